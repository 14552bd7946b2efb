"""The stretch of time that lanes over each other share."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

_SHORTEST_MS = 2.0
_MARGIN = 0.012  # of the sound, before its start, so that handles there can be grabbed


class TimeAxis(QObject):
    """The stretch of time that all lanes show, in ms."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.first_ms = 0.0
        self.last_ms = 500.0
        self._whole_ms = 500.0

    def set_whole(self, length_ms: float) -> None:
        """The length of the sound; an axis that showed all of it goes on doing so.

        Rounded up a little, so that it stands still while a length is changed.
        """
        showed_all = self.first_ms <= 0.0 and self.last_ms >= self._whole_ms * 0.999
        step = 10.0 ** math.floor(math.log10(max(20.0, length_ms))) / 20.0
        whole_ms = step * math.ceil(max(20.0, length_ms) / step)
        if showed_all and whole_ms == self._whole_ms and self.first_ms < 0.0:
            return
        self._whole_ms = whole_ms
        if showed_all:
            self.show_all()

    def show_all(self) -> None:
        """Zooms out to the whole sound."""
        self.first_ms, self.last_ms = -_MARGIN * self._whole_ms, self._whole_ms * 1.01
        self.changed.emit()

    def zoom(self, factor: float, around_ms: float) -> None:
        """Zooms around a time."""
        span = (self.last_ms - self.first_ms) / factor
        span = min(max(span, _SHORTEST_MS), self._whole_ms * 1.6)
        share = (around_ms - self.first_ms) / (self.last_ms - self.first_ms)
        self.first_ms = max(-_MARGIN * self._whole_ms, around_ms - share * span)
        self.last_ms = self.first_ms + span
        self.changed.emit()

    def pan(self, by_ms: float) -> None:
        """Scrolls by so many ms."""
        by_ms = max(by_ms, -_MARGIN * self._whole_ms - self.first_ms)
        self.first_ms += by_ms
        self.last_ms += by_ms
        self.changed.emit()

    def x(self, ms: float, width: float) -> float:
        """Where a time stands in a canvas."""
        return (ms - self.first_ms) / (self.last_ms - self.first_ms) * width

    def ms(self, x: float, width: float) -> float:
        """The time at a place of a canvas."""
        return self.first_ms + x / max(1.0, width) * (self.last_ms - self.first_ms)

    def ticks(self) -> list[float]:
        """Some six to ten round times."""
        span = self.last_ms - self.first_ms
        step = 10.0 ** np.floor(np.log10(span / 5.0))
        for factor in (1.0, 2.0, 5.0, 10.0):
            if span / (step * factor) <= 10.0:
                step *= factor
                break
        start = np.ceil(max(0.0, self.first_ms) / step) * step
        return [float(t) for t in np.arange(start, self.last_ms, step)]
