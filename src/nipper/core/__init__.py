"""Everything computed: pure functions over immutable data and arrays.

Knows no Qt, no files of the bench.
"""
