"""Kavrel: the drawing set of one home storage lab."""

import os

# The matrices here are small: more than one thread for each costs two to eight times the time.
# Read by OpenBLAS when it is loaded, so it has to be said before NumPy is.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
