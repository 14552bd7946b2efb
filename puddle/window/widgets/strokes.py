"""Lines and areas that are drawn fast.

Qt draws an antialiased line of one pixel thirty times as fast as one of two, and fills an area
without antialiasing five times as fast as with it. So a thick line is some thin ones side by side,
and an area is filled coarsely under a thin line along its edge.
"""

from __future__ import annotations

from functools import cache

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

# Three so far from the middle have the ink of a line of two pixels, on the mean of all directions.
_THREE = ((0.0, -1.35), (1.17, 0.675), (-1.17, 0.675))
_RING = ((1.0, 0.0), (-1.0, 0.0), (0.0, 1.0), (0.0, -1.0))
_DIAGONAL = ((0.7, 0.7), (-0.7, 0.7), (0.7, -0.7), (-0.7, -0.7))


def stroke(painter: QPainter, line: QPolygonF, color: QColor, width: float) -> None:
    """An opaque polyline of a width in logical pixels."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(_hair(color))
    for dx, dy in _offsets(width, _scale(painter)):
        painter.translate(dx, dy)
        painter.drawPolyline(line)
        painter.translate(-dx, -dy)


def fill(painter: QPainter, area: QPolygonF, color: QColor) -> None:
    """An area; its edges are coarse where no line is drawn along them."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color)
    painter.drawPolygon(area)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)


def outline(painter: QPainter, area: QPolygonF, color: QColor) -> None:
    """A hairline all around an area."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(_hair(color))
    painter.drawPolygon(area)


def _hair(color: QColor) -> QPen:
    pen = QPen(color, 1.0)
    pen.setCosmetic(True)  # one pixel of the screen, however it is scaled
    return pen


def _scale(painter: QPainter) -> float:
    device = painter.device()
    return device.devicePixelRatioF() if device is not None else 1.0


@cache
def _offsets(width: float, scale: float) -> tuple[tuple[float, float], ...]:
    """Where to draw lines of one pixel so that they are so thick together; logical pixels."""
    half = (width * scale - 1.0) / 2.0  # in pixels of the screen
    if half <= 0.1:
        return ((0.0, 0.0),)
    if half <= 0.75:
        points = [(dx * half, dy * half) for dx, dy in _THREE]
    else:
        points = [(dx * r, dy * r) for r in (half, half / 2.0) for dx, dy in _RING]
        points += [(dx * half, dy * half) for dx, dy in _DIAGONAL]
    return tuple((dx / scale, dy / scale) for dx, dy in points)
