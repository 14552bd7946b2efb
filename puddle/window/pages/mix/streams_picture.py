"""The picture of streams from pads through buses to the master: as wide as they are loud."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from functools import partial

from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QRegion,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.views.streams import MASTER, Place, Stream
from puddle.window import theme
from puddle.window.pages.mix.place_looks import (
    NAME_PX,
    Look,
    paint_place,
    paint_told,
    words_room,
)
from puddle.window.widgets.controls import NO_PADS
from puddle.window.widgets.grounds import make_opaque
from puddle.window.widgets.sprites import Sprites

_PAD_WIDE, _BOX_WIDE, _BOX_HIGH = 92.0, 104.0, 42.0
_LEAST_BOX, _LEAST_GAP = 40.0, 30.0
_LEAST_PX, _MOST_PX = 1.4, 15.0
_SEND_SHARE = 0.45  # of the width that a way as loud would have
_FLOOR_DB = -48.0
_NEAR_PX = 5.0
_SAMPLES = 32  # along a stream, to find the one under the hand
_LEAST_DOWN_DB, _MOST_DOWN_DB = 0.5, 18.0


def width_of(peak: float) -> float:
    """How wide a stream of a linear peak is, in px: even in dB above -48."""
    if peak <= 0.0:
        return _LEAST_PX
    share = max(0.0, 1.0 - 20.0 * math.log10(peak) / _FLOOR_DB)
    return _LEAST_PX + (_MOST_PX - _LEAST_PX) * min(1.0, share)


def _wide(stream: Stream, levels: Mapping[Stream, float]) -> float:
    """In whole pixels: what changes by less need not be drawn anew."""
    wide = width_of(levels.get(stream, 0.0)) * (_SEND_SHARE if stream.send else 1.0)
    return max(1.0, float(round(wide)))


class StreamsPicture(QWidget):
    """Places in columns, the streams between them; what the hand does is in `Streams`."""

    def __init__(self) -> None:
        super().__init__()
        self._places: list[Place] = []
        self._streams: list[Stream] = []
        self._rooms: dict[str, QRectF] = {}
        self._around: dict[str, tuple[QRect, QRect]] = {}  # of boxes and of their levels
        self._paths: dict[Stream, QPainterPath] = {}
        self._parts: dict[Stream, QRect] = {}  # the room that each may take
        self._sprites = Sprites()
        self._drawn: dict[Stream, tuple[QPoint, QPixmap]] = {}  # as each looks now, and where
        self._told: Mapping[str, str] = {}
        self._levels: dict[Stream, float] = {}
        self._wides: dict[Stream, float] = {}  # px
        self._down: Mapping[str, float] = {}  # dB, by place
        self._grabbed: Stream | None = None
        self.selected = MASTER
        self._pressed: tuple[str, QPointF] | None = None
        self._hand: QPointF | None = None  # where a drag is
        make_opaque(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Streams")
        self.setToolTip(
            "Click a pad, a bus or the master to edit it. Drag one to a bus: it flows there; with "
            "Ctrl it is sent there too. Drag a stream to another bus, or to nothing: a send ends, "
            "what flows goes to the master. Coral tells how far a bus turns down. Arrows walk, "
            "Enter opens its menu."
        )

    def sizeHint(self) -> QSize:
        return QSize(560, 380)

    def minimumSizeHint(self) -> QSize:
        return QSize(330, 120)

    # What is shown.

    def show_kit(self, places: Sequence[Place], streams: Sequence[Stream]) -> None:
        """Places and streams; what is drawn of levels stays where it was."""
        self._places, self._streams = list(places), list(streams)
        if self.selected not in {place.id for place in places}:
            self.selected = MASTER
        self._describe()
        self._lay()
        self.update()

    @property
    def _has_pads(self) -> bool:
        return any(place.column == 0 for place in self._places)

    def select(self, place: str) -> None:
        """Marks a place."""
        if place != self.selected:
            self.selected = place
            self._drawn.clear()
            self._describe()
            self.update()

    def show_levels(
        self,
        levels: Mapping[Stream, float],
        told: Mapping[str, str],
        down_db: Mapping[str, float],
    ) -> None:
        """How loud each stream is, linear; a line under the names of buses, and how far what is
        in them turns down.
        """
        before, self._levels = self._wides, dict(levels)
        self._wides = {stream: _wide(stream, levels) for stream in self._parts}
        if not self._rooms:
            return
        part = QRegion()
        for stream, wide in self._wides.items():
            if wide != before.get(stream):
                part += self._parts[stream]
                self._drawn.pop(stream, None)
        for place in self._places:
            name = place.id
            other = self._down.get(name, 0.0) != down_db.get(name, 0.0)
            if other or self._told.get(name) != told.get(name):
                part += self._rooms[name].toAlignedRect()
        self._told, self._down = told, down_db
        # One rectangle: into a region of several, Qt copies pictures row by row.
        self.update(part.boundingRect())

    def _describe(self) -> None:
        place = next((p for p in self._places if p.id == self.selected), None)
        into = [
            next((p.name for p in self._places if p.id == s.target), "")
            for s in self._streams
            if s.source == self.selected
        ]
        name = place.name if place is not None else "nothing"
        first = "" if self._has_pads else f"{NO_PADS} "
        flows = ", ".join(into) or "the output"
        self.setAccessibleDescription(f"{first}{name}, flows into {flows}")

    # Where things lie.

    def resizeEvent(self, event: object) -> None:
        self._lay()

    def _lay(self) -> None:
        """Columns from left to right; each one's places share its height."""
        columns = max((place.column for place in self._places), default=1)
        self._rooms = {}
        each = (self.width() - _PAD_WIDE - 8.0) / max(1, columns)  # of a column and what is before
        box = max(_LEAST_BOX, min(_BOX_WIDE, each - _LEAST_GAP))
        for column in range(columns + 1):
            here = [place for place in self._places if place.column == column]
            left = 4.0 if column == 0 else _PAD_WIDE + each * column - box
            for n, place in enumerate(here):
                middle = (n + 0.5) * self.height() / len(here)
                high = min(_BOX_HIGH, self.height() / len(here) - 2.0)
                if column == 0:  # the first name and the last are whole too
                    high = min(20.0, high)
                    edge = 0.5 * NAME_PX
                    middle = max(edge, min(self.height() - edge, middle))
                wide = _PAD_WIDE if column == 0 else box
                self._rooms[place.id] = QRectF(left, middle - high / 2.0, wide, high)
        self._around = {
            name: (
                room.adjusted(-2.0, -2.0, 2.0, 2.0).toAlignedRect(),
                words_room(room).toAlignedRect(),
            )
            for name, room in self._rooms.items()
        }
        self._lay_streams()

    def _lay_streams(self) -> None:
        """Streams into one place arrive side by side, in the order of where they come from."""
        self._sprites.clear()
        self._drawn.clear()
        self._paths, self._parts = {}, {}
        arriving: dict[str, list[Stream]] = {}
        for stream in self._streams:
            if stream.source in self._rooms and stream.target in self._rooms:
                arriving.setdefault(stream.target, []).append(stream)
        for name, into in arriving.items():
            target = self._rooms[name]
            into.sort(key=lambda s: self._rooms[s.source].center().y())
            for n, stream in enumerate(into):
                source = self._rooms[stream.source]
                start = QPointF(source.right(), source.center().y())
                end = QPointF(target.left(), target.top() + (n + 0.5) * target.height() / len(into))
                middle = 0.5 * (start.x() + end.x())
                path = QPainterPath(start)
                path.cubicTo(QPointF(middle, start.y()), QPointF(middle, end.y()), end)
                self._paths[stream] = path
                edge = _MOST_PX / 2.0 + 1.0
                around = path.boundingRect().adjusted(0.0, -edge, 0.0, edge)
                self._parts[stream] = around.toAlignedRect()
        self._wides = {stream: _wide(stream, self._levels) for stream in self._parts}

    def room(self, place: str) -> QRectF:
        """Where a place is drawn."""
        return self._rooms[place]

    def place_at(self, at: QPointF) -> str | None:
        """The place under a point."""
        return next((name for name, room in self._rooms.items() if room.contains(at)), None)

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.color("panel"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._sprites.begin(self.devicePixelRatioF()):
            self._drawn.clear()
        part = event.region() if event is not None else QRegion(self.rect())
        for stream, around in self._parts.items():
            if part.intersects(around):
                self._paint_stream(painter, stream)
        self._paint_places(painter, part)
        if not self._has_pads:
            self._paint_no_pads(painter)
        self._paint_drag(painter)

    def _paint_no_pads(self, painter: QPainter) -> None:
        """What to do first, where pads would be."""
        left = min((room.left() for room in self._rooms.values()), default=float(self.width()))
        painter.setFont(theme.text_font(12))
        painter.setPen(theme.color("soft"))
        flags = Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap
        painter.drawText(QRectF(12.0, 0.0, left - 24.0, self.height()), flags, NO_PADS)

    def _paint_stream(self, painter: QPainter, stream: Stream) -> None:
        drawn = self._drawn.get(stream)
        if drawn is None:
            drawn = self._drawn[stream] = self._stream_drawn(stream)
        if stream is not self._grabbed or self._hand is None:
            painter.drawPixmap(*drawn)
            return
        painter.setOpacity(0.3)  # on its way to somewhere else
        painter.drawPixmap(*drawn)
        painter.setOpacity(1.0)

    def _stream_drawn(self, stream: Stream) -> tuple[QPoint, QPixmap]:
        """A stream in its width now, and where it lies."""
        touched = self.selected in (stream.source, stream.target)
        wide, around = self._wides[stream], self._parts[stream]

        def paint(inside: QPainter) -> None:
            pen = QPen(theme.color(stream.dye, 230 if touched else 130), wide)
            pen.setCapStyle(Qt.PenCapStyle.FlatCap)
            if stream.send:
                pen.setDashPattern([6.0 / max(1.0, wide), 4.0 / max(1.0, wide)])
            inside.setPen(pen)
            inside.drawPath(self._paths[stream])

        made = self._sprites.made(around, (stream, wide, touched), paint)
        return around.topLeft(), made

    def stream_at(self, at: QPointF) -> Stream | None:
        """The stream under a point, the nearest of several."""
        found: list[tuple[float, int, Stream]] = []
        for n, (stream, path) in enumerate(self._paths.items()):
            spots = [path.pointAtPercent(k / _SAMPLES) for k in range(_SAMPLES + 1)]
            away = min(math.hypot(p.x() - at.x(), p.y() - at.y()) for p in spots)
            if away < _NEAR_PX + 0.5 * self._wides[stream]:
                found.append((away, n, stream))
        return min(found)[2] if found else None

    def _paint_places(self, painter: QPainter, part: QRegion) -> None:
        """Pads' names and boxes in one picture; apart what changes: levels, and what turns down."""
        below = {
            place.id: self._told[place.id]
            for place in self._places
            if place.column > 0 and place.id in self._told and self._rooms[place.id].height() > 32.0
        }
        focused = self.hasFocus()

        def paint_still(inside: QPainter) -> None:
            left_out = self.unnamed()
            for place in self._places:
                if place.id in left_out:
                    continue
                chosen = place.id == self.selected
                look = Look(chosen, chosen and focused, bool(below.get(place.id)))
                paint_place(inside, place, self._rooms[place.id], look)

        look = self.selected, focused, *(name for name, told in below.items() if told)
        self._sprites.draw_latest(painter, self.rect(), "places", look, paint_still)
        for name, told in below.items():
            around, words = self._around[name]
            if told and part.intersects(around):
                room = self._rooms[name]
                paint = partial(paint_told, room=room, told=told, dark=name == MASTER)
                self._sprites.draw_latest(painter, words, name, told, paint)
        for name, down_db in self._down.items():
            if name in self._rooms:
                self._paint_down(painter, self._rooms[name], down_db)

    def unnamed(self) -> set[str]:
        """Pads whose names would lie over another's: the selected one's comes first."""
        pads = [place.id for place in self._places if place.column == 0]
        pads.sort(key=lambda name: name != self.selected)
        named: list[float] = []
        left_out = set()
        for name in pads:
            middle = self._rooms[name].center().y()
            if all(abs(middle - other) >= NAME_PX for other in named):
                named.append(middle)
            else:
                left_out.add(name)
        return left_out

    def _paint_down(self, painter: QPainter, room: QRectF, down_db: float) -> None:
        """A coral bar from the top of a box's right edge: how far its stages turn down."""
        if down_db < _LEAST_DOWN_DB:
            return
        tall = max(3.0, (room.height() - 8.0) * min(1.0, down_db / _MOST_DOWN_DB))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("coral"))
        painter.drawRoundedRect(QRectF(room.right() - 8.0, room.top() + 4.0, 4.0, tall), 2.0, 2.0)

    def _paint_drag(self, painter: QPainter) -> None:
        if self._hand is None or self._pressed is None:
            return
        start = self._rooms[self._pressed[0]]
        painter.setPen(QPen(theme.color("water"), 2.0, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(start.right(), start.center().y()), self._hand)
        target = self.place_at(self._hand)
        if target is not None and target != self._pressed[0]:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(self._rooms[target].adjusted(-3, -3, 3, 3), 9.0, 9.0)
