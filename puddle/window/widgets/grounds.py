"""Widgets that paint their own ground.

Qt paints everything under a widget again whenever it changes, up to the window itself, unless the
widget says that nothing shines through. What moves often says so.
"""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QWidget

from puddle.window import theme


def make_opaque(widget: QWidget) -> None:
    """Declares that the widget paints every pixel, so that Qt repaints nothing below it."""
    widget.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)


def paint_ground(painter: QPainter, widget: QWidget) -> None:
    """The panel that the widget stands on."""
    painter.fillRect(widget.rect(), theme.color("panel"))


def paint_chosen_ground(painter: QPainter, widget: QWidget) -> None:
    """The right end of a lane that is selected, its corners round."""
    paint_ground(painter, widget)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.chosen_ground())
    painter.drawRoundedRect(QRectF(widget.rect()).adjusted(-20, 0, 0, 0), 8, 8)
