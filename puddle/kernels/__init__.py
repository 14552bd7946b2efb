"""Compiled loops: arrays in, arrays out.

Importing this package does not import Numba; `compiling` does.
"""
