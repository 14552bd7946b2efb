"""Levels in words: as often as they can be read, the highest since."""

from __future__ import annotations

import math
from collections.abc import Mapping

from puddle.units import MINUS, db_from_gain

_LEAST_DB = -60.0
_EVERY = 5  # looks, of which there are 20 a second


class ToldLevels:
    """Peaks by place, told four times a second."""

    def __init__(self) -> None:
        self._looks = 0
        self._highest: dict[str, float] = {}
        self._told: dict[str, str] = {}

    def told(self, peaks: Mapping[str, float]) -> Mapping[str, str]:
        """The peak of each place since it was told before, linear peaks as dB; a place that is
        new at once."""
        for place, peak in peaks.items():
            self._highest[place] = max(peak, self._highest.get(place, 0.0))
        if self._looks % _EVERY == 0 or peaks.keys() != self._told.keys():
            self._told = {place: _in_db(self._highest[place]) for place in peaks}
            self._highest.clear()
        self._looks += 1
        return self._told


def _in_db(peak: float) -> str:
    db = db_from_gain(peak) if peak > 0.0 else -math.inf
    return f"{db:.1f} dBFS".replace("-", MINUS) if db > _LEAST_DB else "silent"
