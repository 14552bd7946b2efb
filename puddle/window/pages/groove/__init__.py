"""Groove: a sound is judged where it will live."""
