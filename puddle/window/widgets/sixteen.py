"""Sixteen places, four by four, the first at the lower left: as pads of a controller lie."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque

ACROSS = 4
PLACES = ACROSS * ACROSS
_STEPS = {
    Qt.Key.Key_Left: -1,
    Qt.Key.Key_Right: 1,
    Qt.Key.Key_Up: ACROSS,
    Qt.Key.Key_Down: -ACROSS,
}


class Sixteen(QWidget):
    """Knows where places lie, and goes from one to the next by arrows; whoever derives paints."""

    stepped = pyqtSignal(int)  # the place that an arrow leads to

    def __init__(self) -> None:
        super().__init__()
        self.at_place = -1  # the one that arrows go on from
        make_opaque(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def cell(self, place: int) -> QRectF:
        """The room of a place."""
        wide, high = self.width() / ACROSS, self.height() / ACROSS
        row = ACROSS - 1 - place // ACROSS
        return QRectF(place % ACROSS * wide, row * high, wide, high)

    def place_at(self, at: QPointF) -> int | None:
        """The place whose room something lies in."""
        return next((n for n in range(PLACES) if self.cell(n).contains(at)), None)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = _STEPS.get(Qt.Key(event.key()))
        to = max(0, self.at_place) + (step or 0)
        if step is not None and 0 <= to < PLACES:
            self.stepped.emit(to)
        else:
            super().keyPressEvent(event)

    def paint_focus(self, painter: QPainter) -> None:
        """A line around it while keys go to it."""
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
