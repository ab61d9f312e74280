"""Oskren: from raw recordings to designed, varied, sliced and shipped sounds."""

import os

__version__ = "0.1.0"

# the cores are shared out to worker processes: threads of the linear algebra beside them only stand in each other's way
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
