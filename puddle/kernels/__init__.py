"""Compiled loops: arrays in, arrays out.

Importing this package chooses where Numba keeps its compiled code, which must happen before Numba
itself is imported; so nothing outside imports Numba before it.
"""

from puddle.kernels.cache import prepare

CACHE_FOLDER = prepare()
