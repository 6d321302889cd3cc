"""Tests and benchmarks; Nipper comes before NumPy, or its matrices wait for threads."""

import nipper  # noqa: F401 - sets how many, which is read when NumPy is loaded
