"""Per-cell estimates, causes, confidence and remedies.

Knows no simulator: it works from logs, setups and the chemistry's curve.
"""
