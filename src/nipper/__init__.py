"""Nipper: the bench companion of a lithium battery pack builder."""

import os

# the matrices are small: threads of the linear algebra would wait for each other, and the window
# for them (half of the processors' time of a diagnosis); read when NumPy is loaded
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
