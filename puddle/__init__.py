"""Puddle: drum sounds made, layered, tuned, struck and handed over as kits."""

__version__ = "0.1.0"
