"""All of a recording in a strip; the part that is seen below is a window in it that is dragged."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import (
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.library.cutting import Outline
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.recording_span import RecordingSpan, clock
from puddle.window.widgets.strokes import fill

_HIGH = 58
_EDGE_PX = 6


class RecordingOverview(QWidget):
    """The outline of a whole recording."""

    def __init__(self, span: RecordingSpan) -> None:
        super().__init__()
        self.span = span
        self._outline: Outline | None = None
        self._ticks = np.zeros(0, np.int64)
        self._picture: QPixmap | None = None
        self._held = ""
        self._grip = 0.0
        self.setFixedHeight(_HIGH)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        make_opaque(self)
        self.setAccessibleName("Whole recording")
        self.setToolTip("Drag the window to another part, its edges to see more or less of it.")
        span.changed.connect(self.update)

    def show_recording(self, outline: Outline | None, starts: np.ndarray) -> None:
        """Sets what is drawn: the outline, and where hits begin."""
        if outline is self._outline and starts is self._ticks:
            return
        self._outline, self._ticks = outline, starts
        self._picture = None
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._picture = None

    def dress(self) -> None:
        """Drawn anew after the theme has changed."""
        self._picture = None
        self.update()

    # The hand.

    def _window(self) -> QRectF:
        frames = max(1, self.span.frames)
        left = self.span.first / frames * self.width()
        width = max(8.0, self.span.count / frames * self.width())
        return QRectF(min(left, self.width() - width), 0, width, self.height())

    def _part_at(self, x: float) -> str:
        window = self._window()
        if abs(x - window.left()) < _EDGE_PX:
            return "left"
        if abs(x - window.right()) < _EDGE_PX:
            return "right"
        return "whole" if window.contains(x, self.height() / 2.0) else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        x = event.position().x()
        self._held = self._part_at(x)
        if not self._held:
            at = x / max(1, self.width()) * self.span.frames
            self.span.show(at - self.span.count / 2.0, self.span.count)
            self._held = "whole"
        self._grip = x / max(1, self.width()) * self.span.frames - self.span.first

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x = event.position().x()
        at = x / max(1, self.width()) * self.span.frames
        span = self.span
        if self._held == "whole":
            span.show(at - self._grip, span.count)
        elif self._held == "left":
            span.show(min(at, span.last - 24.0), span.last - min(at, span.last - 24.0))
        elif self._held == "right":
            span.show(span.first, at - span.first)
        else:
            edge = self._part_at(x) in ("left", "right")
            shape = Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.PointingHandCursor
            self.setCursor(shape)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = ""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            at = event.position().x() / max(1, self.width()) * self.span.frames
            self.span.zoom(0.8 ** (event.angleDelta().y() / 120.0), at)
            event.accept()

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if self._picture is None:
            self._picture = self._painted()
        painter.drawPixmap(0, 0, self._picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        window = self._window().adjusted(0.75, 0.75, -0.75, -0.75)
        painter.setBrush(theme.color("water", 38))
        painter.setPen(QPen(theme.color("water"), 1.5))
        painter.drawRoundedRect(window, 6, 6)
        self.setAccessibleDescription(
            f"{clock(self.span.first / self.span.rate_hz)} to "
            f"{clock(self.span.last / self.span.rate_hz)} is seen"
        )

    def _painted(self) -> QPixmap:
        scale = self.devicePixelRatioF()
        made = QPixmap(max(1, round(self.width() * scale)), max(1, round(self.height() * scale)))
        made.setDevicePixelRatio(scale)
        painter = QPainter(made)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("inset"))
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        if self._outline is not None and self._outline.lows.size:
            fill(painter, self._area(self._outline), theme.color("soft", 190))
        if self._ticks.size and self.span.frames:
            painter.setPen(QPen(theme.color("ink"), 1.0))
            columns = np.unique(
                (self._ticks / self.span.frames * self.width()).astype(np.int64)
            ).tolist()
            for x in columns:
                painter.drawLine(x, self.height() - 5, x, self.height() - 1)
        painter.end()
        return made

    def _area(self, outline: Outline) -> QPolygonF:
        lows, highs = by_columns(outline, 0.0, float(self.span.frames or 1), self.width())
        middle, room = self.height() / 2.0, self.height() / 2.0 - 5.0
        loud = max(
            1e-6, float(np.abs(lows).max(initial=0.0)), float(np.abs(highs).max(initial=0.0))
        )
        xs = np.arange(lows.size) + 0.5
        up, down = middle - highs / loud * room - 0.5, middle - lows / loud * room + 0.5
        return polygon(np.concatenate([xs, xs[::-1]]), np.concatenate([up, down[::-1]]))


def by_columns(
    outline: Outline, first: float, count: float, columns: int
) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and highest value under each of some columns of a part of a recording."""
    edges = (first + count * np.arange(columns + 1) / max(1, columns)) / outline.size
    starts = np.clip(np.floor(edges[:-1]).astype(np.int64), 0, max(0, outline.lows.size - 1))
    ends = np.clip(np.ceil(edges[1:]).astype(np.int64), starts + 1, max(1, outline.lows.size))
    pairs = np.stack([starts, ends], axis=1).ravel()
    # What ends with the outline has nothing behind it: one value more, that changes nothing.
    lows = np.minimum.reduceat(np.append(outline.lows, outline.lows[-1:]), pairs)[::2]
    highs = np.maximum.reduceat(np.append(outline.highs, outline.highs[-1:]), pairs)[::2]
    return lows, highs
