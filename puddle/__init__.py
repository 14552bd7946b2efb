"""Puddle: drum sounds made, layered, tuned, struck and handed over as kits."""

import os

__version__ = "0.1.0"

# Products and decompositions here are small: more threads of OpenBLAS only spin beside the sound.
# It reads this once, when NumPy is loaded.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
