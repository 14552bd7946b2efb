"""Strokes that no hand made: a pad that bounces, and one that shakes its neighbor."""

from __future__ import annotations

import math

_MUCH_SOFTER = 0.4  # of the velocity that shook it


class Triggers:
    """Tells strokes from double triggers and crosstalk. One for each controller."""

    def __init__(self, double_ms: float, crosstalk_ms: float) -> None:
        self._double_s = double_ms / 1000.0
        self._crosstalk_s = crosstalk_ms / 1000.0
        self._last: dict[int, float] = {}  # when each pad was struck, in s
        self._hardest = (-math.inf, 0.0, -1)  # of the latest strokes: when, how hard, where

    def is_stroke(self, pad: int, velocity: float, at_s: float) -> bool:
        """Whether a note on a pad, at a rising time, is a stroke; it is remembered if so."""
        if at_s - self._last.get(pad, -math.inf) < self._double_s:
            return False
        when, hard, where = self._hardest
        rings = at_s - when < self._crosstalk_s
        if rings and where != pad and velocity < _MUCH_SOFTER * hard:
            return False
        self._last[pad] = at_s
        if not rings or velocity >= hard:
            self._hardest = (at_s, velocity, pad)
        return True
