"""Tests: `python -m tests`."""

import puddle  # noqa: F401  # says how many threads NumPy takes, which whoever loads it reads once
