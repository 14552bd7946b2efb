"""A picture of what parameters mean, drawn by the code that computes it, and moved by hand."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.picture import Axis, Handle, Picture
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.strokes import stroke

_HEIGHT = 96
_NEAR_PX = 9.0
_FINE = 0.1
_STILL = "What the gauges below add up to; it follows them."
_MOVES = f"{_STILL} Its round handles move them: drag, with Shift for fine; double-click resets."


class PictureView(QWidget):
    """A curve or stems in a small frame, its axes named at their ends, with handles.

    While a handle is held the axes stay as they were, so that it follows the hand.
    """

    moved = pyqtSignal(str, object)  # a handle's name, and new values by field
    settled = pyqtSignal()
    reset = pyqtSignal(object)  # the fields of a handle

    def __init__(self, picture: Picture, name: str) -> None:
        super().__init__()
        self._picture = picture
        self._axes: tuple[Axis, Axis] | None = None  # of the moment a handle was taken
        self._held = ""
        self._near = ""
        self._last = QPointF()
        self._at = (0.0, 0.0)  # where the held handle is, as places on the axes
        self.setFixedHeight(_HEIGHT)
        make_opaque(self)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setAccessibleName(name)
        self._tell()

    def show_picture(self, picture: Picture) -> None:
        """Sets the picture to draw."""
        if picture != self._picture:
            self._picture = picture
            self._tell()
            self.update()

    def _tell(self) -> None:
        shown = self._picture
        across, upwards = shown.across, shown.upwards
        self.setAccessibleDescription(
            f"{shown.title} from {across.text(across.low)} to {across.text(across.high)}, "
            f"{upwards.text(upwards.low)} to {upwards.text(upwards.high)}"
        )
        self.setToolTip(_MOVES if shown.handles else _STILL)

    # Where things are.

    @property
    def across(self) -> Axis:
        """The axis to the right."""
        return self._axes[0] if self._axes else self._picture.across

    @property
    def upwards(self) -> Axis:
        """The axis upwards."""
        return self._axes[1] if self._axes else self._picture.upwards

    def _room(self) -> QRectF:
        metrics = self.fontMetrics()
        ends = (self.upwards.text(self.upwards.low), self.upwards.text(self.upwards.high))
        side = max(44, *(metrics.horizontalAdvance(text) + 14 for text in ends))
        return QRectF(side, 7, self.width() - side - 12, _HEIGHT - 29)

    def point(self, x: float, y: float) -> QPointF:
        """Where a place of the picture is on the widget."""
        room = self._room()
        across, upwards = self.across.place(x), self.upwards.place(y)
        return QPointF(room.left() + across * room.width(), room.bottom() - upwards * room.height())

    def handle_at(self, at: QPointF) -> Handle | None:
        """The nearest handle under the hand."""
        reach = [((self.point(h.x, h.y) - at).manhattanLength(), h) for h in self._picture.handles]
        near = [(far, h.name, h) for far, h in reach if far <= 1.4 * _NEAR_PX]
        return min(near, key=lambda found: found[:2])[2] if near else None

    def _handle(self, name: str) -> Handle | None:
        return next((h for h in self._picture.handles if h.name == name), None)

    # The hand.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        handle = self.handle_at(event.position())
        if handle is not None:
            self._axes = (self._picture.across, self._picture.upwards)
            self._held = handle.name
            self._last = event.position()
            self._at = (self.across.place(handle.x), self.upwards.place(handle.y))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        handle = self._handle(self._held)
        if handle is None:
            self._point_out(self.handle_at(event.position()))
            return
        step = event.position() - self._last
        self._last = event.position()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            step *= _FINE
        room = self._room()
        self._at = (self._at[0] + step.x() / room.width(), self._at[1] - step.y() / room.height())
        x, y = self.across.value(self._at[0]), self.upwards.value(self._at[1])
        self.moved.emit(handle.name, handle.values(x, y))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held:
            self._held, self._axes = "", None
            self.settled.emit()
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        handle = self.handle_at(event.position()) if event is not None else None
        if handle is not None:
            self.reset.emit(tuple(handle.values(0.0, 0.0)))

    def leaveEvent(self, event: QEvent | None) -> None:
        self._point_out(None)

    def _point_out(self, handle: Handle | None) -> None:
        name = handle.name if handle else ""
        if name == self._near:
            return
        self._near = name
        shape = Qt.CursorShape.ArrowCursor
        if handle is not None:
            shape = Qt.CursorShape.SizeAllCursor
            if handle.upwards is None:
                shape = Qt.CursorShape.SizeHorCursor
            elif handle.across is None:
                shape = Qt.CursorShape.SizeVerCursor
        self.setCursor(shape)
        self.update()

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        painter.setFont(theme.text_font(11))
        room = self._room()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("inset", 110))
        painter.drawRoundedRect(room.adjusted(-4, -4, 4, 4), 6, 6)
        self._paint_words(painter, room)
        painter.save()
        painter.setClipRect(room.adjusted(-5, -5, 5, 5))
        if self._picture.kind == "stems":
            self._paint_stems(painter, room)
        else:
            self._paint_curve(painter)
        painter.restore()
        self._paint_handles(painter, room)

    def _paint_words(self, painter: QPainter, room: QRectF) -> None:
        across, upwards, title = self.across, self.upwards, self._picture.title
        painter.setPen(theme.color("soft"))
        right = Qt.AlignmentFlag.AlignRight
        width = room.left() - 9
        high, low = upwards.text(upwards.high), upwards.text(upwards.low)
        painter.drawText(QRectF(0, room.top() - 4, width, 16), right, high)
        painter.drawText(QRectF(0, room.center().y() - 8, width, 16), right, title)
        painter.drawText(QRectF(0, room.bottom() - 12, width, 16), right, low)
        under = QRectF(room.left(), room.bottom() + 6, room.width(), 15)
        painter.drawText(under, Qt.AlignmentFlag.AlignLeft, across.text(across.low))
        painter.drawText(under, right, across.text(across.high))
        named = self._handle(self._held or self._near)
        if named is not None:
            painter.setPen(theme.color("ink"))
            painter.drawText(under, Qt.AlignmentFlag.AlignHCenter, self._named(named))

    def _named(self, handle: Handle) -> str:
        said = [handle.name]
        if handle.across is not None:
            said.append(self.across.text(handle.x))
        if handle.upwards is not None:
            said.append(self.upwards.text(handle.y))
        return ", ".join(said)

    def _paint_curve(self, painter: QPainter) -> None:
        for part in self._picture.parts:
            stroke(painter, self._line(part), theme.color("water", 130), 1.0)
        stroke(painter, self._line(self._picture.points), theme.color("water"), 2.0)

    def _line(self, points: tuple[tuple[float, float], ...]) -> QPolygonF:
        room, places = self._room(), np.array(points).reshape(-1, 2)
        xs, ys = self.across.places(places[:, 0]), self.upwards.places(places[:, 1])
        return polygon(room.left() + xs * room.width(), room.bottom() - ys * room.height())

    def _paint_stems(self, painter: QPainter, room: QRectF) -> None:
        for x, y in self._picture.points:
            top = self.point(x, y)
            painter.setPen(QPen(theme.color("water"), 1.4))
            painter.drawLine(QPointF(top.x(), room.bottom()), top)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("water"))
            painter.drawEllipse(top, 2.2, 2.2)

    def _paint_handles(self, painter: QPainter, room: QRectF) -> None:
        inside = room.adjusted(-8, -8, 8, 8)
        for handle in self._picture.handles:
            at = self.point(handle.x, handle.y)
            if inside.contains(at):
                taken = handle.name in (self._held, self._near)
                painter.setPen(QPen(theme.color("water"), 1.6))
                painter.setBrush(theme.color("water" if taken else "panel"))
                painter.drawEllipse(at, 4.5, 4.5)
