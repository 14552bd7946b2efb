"""A hat pedal: how open the hats are, and the strokes that a foot makes with it.

Control 4 is 0 while the foot is up, the hats open, and 127 while they are pressed together.
"""

from __future__ import annotations

import msgspec

_CLOSED, _OPEN = 0.9, 0.6  # of the pedal's way down
_FAST_S = 0.2  # from open to closed: slower is no stroke
_SPLASH_S = 0.15  # from a stroke to open again
_HARDEST_S = 0.01  # from open to closed in so long is as hard as it gets
_HARDEST = 110.0
_SPLASH = 0.7  # as hard as the stroke that it springs from


class FootStroke(msgspec.Struct, frozen=True):
    """The hats were pressed together, or sprang apart; with a velocity, audibly so."""

    closes: bool
    velocity: float = 0.0


class Pedal:
    """Follows a pedal."""

    def __init__(self) -> None:
        self.down = 0.0  # of its way
        self._open_at = -1e9  # when it was last open, in s
        self._stroke_at = -1e9
        self._stroke = 0.0  # how hard the last one was

    def zone(self, count: int) -> int:
        """Which of some openings it stands at, from 0 for closed."""
        return min(count - 1, int((1.0 - self.down) * count))

    def moved(self, down: float, at_s: float) -> FootStroke | None:
        """What a foot does by moving the pedal to a place at a time; None where nothing sounds."""
        before, self.down = self.down, down
        if before <= _OPEN:
            self._open_at = at_s if down <= _OPEN else max(self._open_at, at_s - _HARDEST_S)
        if before < _CLOSED <= down:
            self._stroke_at, self._stroke = at_s, self._how_hard(at_s - self._open_at)
            return FootStroke(True, self._stroke)
        if before > _OPEN >= down:
            self._open_at = at_s
            sprang = at_s - self._stroke_at <= _SPLASH_S and self._stroke > 0.0
            self._stroke, hard = 0.0, self._stroke
            return FootStroke(False, _SPLASH * hard) if sprang else None
        return None

    def _how_hard(self, took_s: float) -> float:
        if took_s > _FAST_S:
            return 0.0
        return float(max(1.0, _HARDEST * (_HARDEST_S / max(_HARDEST_S, took_s)) ** 0.5))
