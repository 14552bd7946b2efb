"""Compiled loops: arrays in, arrays out.

Importing this package chooses where Numba keeps its compiled code; it does not import Numba.
"""

from puddle.kernels.cache import prepare

CACHE_FOLDER = prepare()
