"""A figure that changes all the time."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QFont, QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel

from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground


class Reading(QLabel):
    """A line of text on the panel, of one size whatever it says.

    A label of Qt's asks for a new layout of all that is around it with each new text, and has what
    is under it painted again.
    """

    def __init__(self, text: str, wide_px: int, font: QFont, dye: str = "ink") -> None:
        super().__init__(text)
        self._dye = dye
        self.setFont(font)
        self.setFixedSize(QSize(wide_px, self.fontMetrics().height()))
        make_opaque(self)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        paint_ground(painter, self)
        painter.setPen(theme.color(self._dye))
        painter.drawText(self.rect(), int(self.alignment()), self.text())
