"""A dye, as a drop beside a name."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from puddle.window import theme


class Dot(QWidget):
    """A drop of one dye."""

    def __init__(self, dye: str) -> None:
        super().__init__()
        self._dye = dye
        self.setFixedSize(QSize(14, 14))

    def set_dye(self, dye: str) -> None:
        """Another dye."""
        if dye != self._dye:
            self._dye = dye
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(self._dye))
        painter.drawEllipse(QRectF(1, 1, 12, 12))
