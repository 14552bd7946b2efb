"""The response curve: what a strike of some velocity plays as, drawn by hand."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.kit.model.document import Point
from puddle.kit.playing.response import bends, strength_of, with_bend, without_bend
from puddle.units import THIN, db_from_gain, plain
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground

_GRAB_PX = 9.0
_EDGE = 8.0
_MOST = 126.0  # from 1 to 127


class ResponseCurve(QWidget):
    """Velocity across, what it plays as upwards. Bends are dragged, made and taken out."""

    moved = pyqtSignal(object)  # the points, while a hand moves them
    settled = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.points: tuple[Point, ...] = ()
        self.power = 2.0  # of the level over the strength
        self.hit: float | None = None
        self.chosen: int | None = None
        self._held = False
        make_opaque(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(136)
        self.setAccessibleName("Response to velocity")
        self.setToolTip(
            "What a strike of some velocity plays as. Click the curve for a bend, drag it, double "
            "click takes it out; Page Up and Down choose one, arrows move it, Delete takes it out."
        )

    def sizeHint(self) -> QSize:
        return QSize(280, 136)

    def show_curve(self, points: tuple[Point, ...], velocity_amount: float) -> None:
        """Another curve, and how far level follows strength in %."""
        self.points, self.power = points, 2.0 * velocity_amount / 100.0
        if self.chosen is not None and self.chosen >= len(points):
            self.chosen = None
        said = ", ".join(f"{p.struck:.0f} plays {p.plays:.0f}" for p in points)
        self.setAccessibleDescription(said or "even")
        self.update()

    def show_hit(self, velocity: float | None) -> None:
        """Marks the last strike."""
        if velocity != self.hit:
            self.hit = velocity
            self.update()

    # Places.

    def _room(self) -> QRectF:
        return QRectF(self.rect()).adjusted(_EDGE, _EDGE, -_EDGE, -_EDGE)

    def place(self, struck: float, plays: float) -> QPointF:
        """Where a bend lies."""
        room = self._room()
        return QPointF(
            room.left() + (struck - 1.0) / _MOST * room.width(),
            room.bottom() - (plays - 1.0) / _MOST * room.height(),
        )

    def values(self, at: QPointF) -> tuple[float, float]:
        """Velocity and strength at a place."""
        room = self._room()
        x = 1.0 + (at.x() - room.left()) / max(1.0, room.width()) * _MOST
        y = 1.0 + (room.bottom() - at.y()) / max(1.0, room.height()) * _MOST
        return min(127.0, max(1.0, x)), min(127.0, max(1.0, y))

    def told(self, velocity: float) -> str:
        """The response at a velocity as text."""
        strength = strength_of(self.points, velocity)
        level = db_from_gain((strength / 127.0) ** self.power) if self.power > 0.0 else 0.0
        played = "" if round(strength) == round(velocity) else f" as {strength:.0f}"
        return f"{velocity:.0f} plays{played} at {plain(level, 1)}{THIN}dB"

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("inset"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8, 8)
        painter.setPen(QPen(theme.color("line"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(self.place(1, 1), self.place(127, 127))
        curve = [self.place(x, y) for x, y in bends(self.points)]
        painter.setPen(QPen(theme.color("water"), 2.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(curve))
        for n, point in enumerate(self.points):
            chosen = n == self.chosen and self.hasFocus()
            painter.setPen(QPen(theme.color("water"), 2.0))
            painter.setBrush(theme.color("water" if chosen else "panel"))
            painter.drawEllipse(self.place(point.struck, point.plays), 5.0, 5.0)
        if self.hit is not None:
            self._paint_hit(painter, self.hit)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8, 8)

    def _paint_hit(self, painter: QPainter, velocity: float) -> None:
        at = self.place(velocity, strength_of(self.points, velocity))
        painter.setPen(QPen(theme.color("coral"), 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(at, QPointF(at.x(), self._room().bottom()))
        painter.drawLine(QPointF(self._room().left(), at.y()), at)
        painter.setFont(theme.text_font(11))
        painter.setPen(theme.color("coral"))
        text = self.told(velocity)
        room = painter.fontMetrics().horizontalAdvance(text)
        left = at.x() + 6.0
        if left + room > self._room().right():
            left = max(self._room().left(), at.x() - room - 6.0)
        painter.drawText(QPointF(left, self._room().bottom() - 3.0), text)

    # The hand.

    def _point_at(self, at: QPointF) -> int | None:
        for n, point in enumerate(self.points):
            away = self.place(point.struck, point.plays) - at
            if away.manhattanLength() <= 1.5 * _GRAB_PX:
                return n
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.chosen = self._point_at(event.position())
        if self.chosen is None:
            x, y = self.values(event.position())
            if abs(y - strength_of(self.points, x)) > 14.0:
                self.update()
                return  # not on the curve
            self._let(*with_bend(self.points, None, x, y))
        self._held = True
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held and self.chosen is not None:
            self._let(*with_bend(self.points, self.chosen, *self.values(event.position())))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held:
            self._held = False
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._held = False
        at = self._point_at(event.position()) if event is not None else None
        if at is not None:
            self._take_out(at)

    def _let(self, points: tuple[Point, ...], chosen: int | None) -> None:
        self.chosen = chosen
        if points != self.points:
            self.points = points
            self.moved.emit(points)
        self.update()

    def _take_out(self, at: int) -> None:
        self._let(without_bend(self.points, at), None)
        self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = Qt.Key(event.key())
        count = len(self.points)
        step = {Qt.Key.Key_PageUp: 1, Qt.Key.Key_PageDown: -1}.get(key)
        if step is not None and count:
            self.chosen = 0 if self.chosen is None else (self.chosen + step) % count
            self.update()
            return
        moves = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        if key == Qt.Key.Key_Insert:
            self._let(*with_bend(self.points, None, 64.0, strength_of(self.points, 64.0)))
            self.settled.emit()
        elif self.chosen is not None and key in moves:
            across, up = moves[key]
            point = self.points[self.chosen]
            self._let(*with_bend(self.points, self.chosen, point.struck + across, point.plays + up))
            self.settled.emit()
        elif self.chosen is not None and key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._take_out(self.chosen)
        else:
            super().keyPressEvent(event)
