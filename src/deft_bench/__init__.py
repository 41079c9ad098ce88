"""Deft Bench: measure, the call, do it, measure again."""

import os

__version__ = "0.1.0"

# The matrices here are small: threads of the linear algebra would wait for each other longer than they work.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
