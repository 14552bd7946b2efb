"""Files on their way, as drops on a pond: those that are written are full."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.window import theme

_MOST_DROPS = 240  # more are shown as so many
_GOLDEN = math.pi * (3.0 - math.sqrt(5.0))  # the angle that lays drops evenly
_FLAT = 0.8  # a pond seen from its edge
_FAINT, _FULL = 50, 255


class Crossing(QWidget):
    """A pond with a drop for each file, from the middle outwards."""

    def __init__(self) -> None:
        super().__init__()
        self._dyes: list[str] = []
        self._files = 0
        self._done = 0
        self.setMinimumHeight(120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Files written")

    def show_files(self, dyes: Sequence[str]) -> None:
        """The files' dyes in their order; none is written."""
        self._files = len(dyes)
        step = max(1.0, len(dyes) / _MOST_DROPS)
        self._dyes = [dyes[int(n * step)] for n in range(min(len(dyes), _MOST_DROPS))]
        self.show_done(0)

    def show_done(self, done: int) -> None:
        """How many are written."""
        self._done = done
        self.setAccessibleDescription(f"{done} of {self._files} files are written.")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = QPointF(self.width() / 2.0, self.height() / 2.0)
        wide = min(self.width() / 2.0 - 8.0, (self.height() / 2.0 - 8.0) / _FLAT)
        if wide <= 10.0:
            return
        painter.setPen(QPen(theme.color("pale"), 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for share in (1.0, 0.72, 0.42):
            painter.drawEllipse(middle, share * wide, share * wide * _FLAT)
        count = len(self._dyes)
        if not count:
            return
        radius = min(6.0, max(2.0, 0.55 * wide / math.sqrt(count)))
        full = self._done * count / max(1, self._files)
        painter.setPen(Qt.PenStyle.NoPen)
        for n, dye in enumerate(self._dyes):
            far = (wide - 10.0) * math.sqrt((n + 0.5) / count)
            angle = n * _GOLDEN
            x = middle.x() + far * math.cos(angle)
            y = middle.y() + far * _FLAT * math.sin(angle)
            painter.setBrush(theme.color(dye, _FULL if n < full else _FAINT))
            painter.drawEllipse(QRectF(x - radius, y - radius, 2.0 * radius, 2.0 * radius))
