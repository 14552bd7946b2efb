"""The room from above: across is pan, away is how much of the room is heard."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QRegion,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.kit.model.document import Pad
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque
from puddle.window.widgets.sprites import Sprites

_RADIUS, _RING_PX = 9.0, 14.0
_LOWEST_DB, _HIGHEST_DB = -40.0, 0.0  # of the send, from near to far
_ARCS = (0.3, 0.55, 0.8, 1.05)
_PAN_STEP, _FAR_STEP = 5.0, 0.05


def far_of(send_db: float | None) -> float:
    """How far away a send puts a pad: 0 where it is not sent, 1 at 0 dB."""
    if send_db is None:
        return 0.0
    return min(1.0, max(0.0, (send_db - _LOWEST_DB) / (_HIGHEST_DB - _LOWEST_DB)))


def send_of(far: float) -> float | None:
    """The send of a pad that stands so far away; None right in front."""
    if far <= 0.0:
        return None
    return _LOWEST_DB + min(1.0, far) * (_HIGHEST_DB - _LOWEST_DB)


class RoomPlan(QWidget):
    """Pads as drops; dragged across and away. The drummer's view is the audience's mirrored."""

    chosen = pyqtSignal(str)  # a pad's id
    moved = pyqtSignal(str, float, float)  # a pad, its pan from -100 to 100, and how far, 0 to 1
    settled = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._pads: list[Pad] = []
        self._far: Mapping[str, float] = {}
        self._rings: dict[str, int] = {}  # how wide each is now, in px
        self._sprites = Sprites()
        self._rooms: dict[str, QRect] = {}
        self._names: list[tuple[Pad, QRectF]] | None = None  # known until something moves
        self.selected = ""
        self.mirrored = False
        self._held = ""
        make_opaque(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Room")
        self.setToolTip(
            "Drag a pad across to pan it, and away to hear more of the room. Arrows move the "
            "selected one."
        )

    def sizeHint(self) -> QSize:
        return QSize(380, 360)

    def minimumSizeHint(self) -> QSize:
        return QSize(240, 130)

    def show_pads(self, pads: Sequence[Pad], far: Mapping[str, float], selected: str) -> None:
        """Where each stands."""
        self._pads, self._far, self.selected = list(pads), far, selected
        self._forget_places()
        pad = next((p for p in pads if p.id == selected), None)
        if pad is not None:
            away = 100.0 * far.get(pad.id, 0.0)
            self.setAccessibleDescription(f"{pad.name}, pan {pad.pan:.0f}, {away:.0f} % away")
        self.update()

    def show_levels(self, levels: Mapping[str, float]) -> None:
        """How loud each is, linear: rings grow with it."""
        part = QRegion()
        for pad in self._pads:
            ring = round(_RADIUS + _RING_PX * min(1.0, math.sqrt(levels.get(pad.id, 0.0))))
            if ring != self._rings.get(pad.id):
                self._rings[pad.id] = ring
                part += self._room_of(pad)
        self.update(part.boundingRect())

    def _room_of(self, pad: Pad) -> QRect:
        """What a pad's ring may take; known until something lies elsewhere."""
        found = self._rooms.get(pad.id)
        if found is None:
            at, most = self.place_of(pad).toPoint(), round(_RADIUS + _RING_PX + 1.0)
            found = self._rooms[pad.id] = QRect(at.x() - most, at.y() - most, 2 * most, 2 * most)
        return found

    def _forget_places(self) -> None:
        self._rooms.clear()
        self._names = None

    def resizeEvent(self, event: object) -> None:
        self._forget_places()

    def mirror(self, on: bool) -> None:
        """Seen from the drummer's stool."""
        self.mirrored = on
        self._forget_places()
        self.update()

    # Places: the listener sits in the middle of the lower edge.

    def place_of(self, pad: Pad) -> QPointF:
        """Where a pad is drawn."""
        side = -1.0 if self.mirrored else 1.0
        x = 0.5 + 0.46 * side * pad.pan / 100.0
        return QPointF(
            x * self.width(), self._top() + (1.0 - self._far.get(pad.id, 0.0)) * self._deep()
        )

    def _top(self) -> float:
        return 26.0

    def _deep(self) -> float:
        return max(20.0, self.height() - self._top() - 62.0)

    def _told(self, at: QPointF) -> tuple[float, float]:
        """Pan and distance of a point."""
        side = -1.0 if self.mirrored else 1.0
        pan = (at.x() / max(1, self.width()) - 0.5) / 0.46 * 100.0 * side
        far = 1.0 - (at.y() - self._top()) / self._deep()
        pan = 0.0 if abs(pan) < 3.0 else max(-100.0, min(100.0, pan))  # the middle draws a little
        return round(pan), max(0.0, min(1.0, far))

    def pad_at(self, at: QPointF) -> str:
        """The pad under a point, the selected one first."""
        near = [
            (math.hypot((self.place_of(p) - at).x(), (self.place_of(p) - at).y()), p.id)
            for p in self._pads
        ]
        found = [(far, pad) for far, pad in near if far <= _RADIUS + 4.0]
        return min(found, key=lambda one: (one[1] != self.selected, one[0]))[1] if found else ""

    # Hands.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._held = self.pad_at(event.position())
        if self._held:
            self.chosen.emit(self._held)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held:
            self.moved.emit(self._held, *self._told(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held:
            self._held = ""
            self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        pad = next((p for p in self._pads if p.id == self.selected), None)
        steps = {
            Qt.Key.Key_Left: (-_PAN_STEP, 0.0), Qt.Key.Key_Right: (_PAN_STEP, 0.0),
            Qt.Key.Key_Up: (0.0, _FAR_STEP), Qt.Key.Key_Down: (0.0, -_FAR_STEP),
        }  # fmt: skip
        step = steps.get(Qt.Key(event.key())) if event is not None else None
        if step is None or pad is None:
            if event is not None:
                super().keyPressEvent(event)
            return
        across = -step[0] if self.mirrored else step[0]
        pan = max(-100.0, min(100.0, pad.pan + across))
        far = max(0.0, min(1.0, self._far.get(pad.id, 0.0) + step[1]))
        self.moved.emit(pad.id, pan, far)
        self.settled.emit()

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        self._sprites.begin(self.devicePixelRatioF())
        self._sprites.draw(painter, self.rect(), (self.width(), self.height()), self._paint_room)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        part = event.region() if event is not None else QRegion(self.rect())
        for pad in sorted(self._pads, key=lambda pad: pad.id == self.selected):
            if part.intersects(self._room_of(pad)):
                self._paint_pad(painter, pad)
        for pad, room in self._named():
            if part.intersects(room.toAlignedRect()):
                self._paint_name(painter, pad, room)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1.0))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)

    def _paint_room(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.color("panel"))
        middle = QPointF(self.width() / 2.0, self.height() - 18.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("line"), 1.0))
        for arc in _ARCS:
            radius = arc * (self.height() - 30.0)
            room = QRectF(middle.x() - radius, middle.y() - radius, 2.0 * radius, 2.0 * radius)
            painter.drawArc(room, 0, 180 * 16)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("soft"))
        tip = [QPointF(-7, 0), QPointF(7, 0), QPointF(0, 9)]
        painter.drawPolygon(QPolygonF([middle + point for point in tip]))

    def _paint_pad(self, painter: QPainter, pad: Pad) -> None:
        chosen, around = pad.id == self.selected, self._room_of(pad)
        ring = float(self._rings.get(pad.id, round(_RADIUS)))

        def paint(inside: QPainter) -> None:
            at = QRectF(around).center()
            inside.setBrush(theme.color(pad.dye, 60))
            inside.setPen(Qt.PenStyle.NoPen)
            inside.drawEllipse(at, ring, ring)
            inside.setBrush(theme.color(pad.dye))
            inside.setPen(QPen(theme.color("ink" if chosen else "panel"), 2.0))
            inside.drawEllipse(at, _RADIUS, _RADIUS)

        self._sprites.draw(painter, around, (pad.dye, ring, chosen), paint)

    def _paint_name(self, painter: QPainter, pad: Pad, room: QRectF) -> None:
        chosen = pad.id == self.selected

        def paint(inside: QPainter) -> None:
            inside.setFont(theme.text_font(11, bold=chosen))
            inside.setPen(theme.color("soft" if pad.mute else "ink"))
            inside.drawText(room, Qt.AlignmentFlag.AlignCenter, pad.name)

        look = (room.getRect(), pad.name, chosen, pad.mute)
        self._sprites.draw_latest(painter, room.toAlignedRect(), pad.id, look, paint)

    def _named(self) -> list[tuple[Pad, QRectF]]:
        """The names that are shown, and where; those that would lie over another are left out."""
        if self._names is None:
            self._names = self._placed_names()
        return self._names

    def _placed_names(self) -> list[tuple[Pad, QRectF]]:
        found: list[tuple[Pad, QRectF]] = []
        last_first = list(reversed(self._pads))
        for pad in sorted(last_first, key=lambda pad: pad.id != self.selected):
            at, font = self.place_of(pad), theme.text_font(11, bold=pad.id == self.selected)
            wide = QFontMetricsF(font).horizontalAdvance(pad.name) + 4.0
            left = min(self.width() - wide, max(0.0, at.x() - wide / 2.0))
            room = QRectF(left, at.y() - _RADIUS - 18.0, wide, 16.0)
            if not any(room.intersects(other) for _, other in found):
                found.append((pad, room))
        return found
