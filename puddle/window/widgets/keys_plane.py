"""The keys plane: notes across, strength upwards, every pad and its rungs as regions.

The ribbon of keys under it plays: lower on a key is harder.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from puddle.units import note_name
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground

_LEFT, _TOP, _RIBBON, _FOOT = 30.0, 10.0, 44.0, 20.0
_STRENGTHS = 127
_BLACK = {1, 3, 6, 8, 10}
_LEAST_NOTES, _MOST_NOTES = 12, 128
_GRAB_PX = 5.0
_LEAST_NAMED_PX = 7.5


@dataclass(frozen=True)
class Region:
    """A pad on some neighboring notes, with its ranges of strengths from soft to hard."""

    pad_id: str
    name: str
    dye: str
    low: int
    high: int
    ranges: tuple[tuple[int, int], ...]

    @property
    def edges(self) -> list[int]:
        """Strengths at which a range begins and another ends: they can be dragged."""
        ends = {high + 1 for _, high in self.ranges}
        return sorted(low for low, _ in self.ranges if low > 1 and low in ends)


@dataclass(frozen=True)
class Grip:
    """What a hand has hold of: a region, one of its sides, or the edge under a strength."""

    region: Region
    part: str  # "whole", "left", "right" or "edge"
    at: int  # the note under the hand, or the strength


class KeysPlane(QWidget):
    """Columns over a ribbon of keys."""

    pad_chosen = pyqtSignal(str)
    region_moved = pyqtSignal(str, object, object)  # pad, notes from and to: (lowest, highest)
    edge_moved = pyqtSignal(str, int, int)  # pad, the strength that it lies under, and where to
    settled = pyqtSignal()
    key_struck = pyqtSignal(int, float)  # note, strength
    key_let_go = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.regions: list[Region] = []
        self.chosen = ""
        self.first, self.last = 24, 58
        self.hit: tuple[int, float] | None = None
        self._held: Grip | None = None
        self._key: int | None = None  # of the ribbon, while it is down
        make_opaque(self)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(QSize(220, 200))
        self.setAccessibleName("Keys")
        self.setToolTip(
            "Which notes strike which pads. Drag a pad to other notes, a side to more or fewer, an "
            "edge to another velocity; the wheel zooms, with Shift it moves along; the keys below "
            "play, lower is harder."
        )

    def show_regions(self, regions: list[Region], chosen: str) -> None:
        """Others; the chosen pad's are drawn last, and wide ones under narrow ones."""
        self.regions = sorted(regions, key=lambda r: (r.pad_id == chosen, r.low - r.high))
        if chosen != self.chosen:
            self.chosen = chosen
            self._reveal_chosen()
        both = [note_name(n) for n in self.conflicts()]
        said = f"notes with several pads: {', '.join(both)}" if both else "every note has one pad"
        self.setAccessibleDescription(said)
        self.update()

    def _reveal_chosen(self) -> None:
        """Moves along to the chosen pad's notes where none of them is in sight."""
        mine = [r for r in self.regions if r.pad_id == self.chosen]
        if not mine or any(r.low <= self.last and r.high >= self.first for r in mine):
            return
        nearest = min(mine, key=lambda r: min(abs(r.low - self.last), abs(r.high - self.first)))
        self._pan((nearest.low + nearest.high - self.first - self.last) // 2)

    def conflicts(self) -> list[int]:
        """Notes that strike several pads: shown, not forbidden."""
        notes = [n for r in self.regions for n in range(r.low, r.high + 1)]
        return sorted({n for n in notes if notes.count(n) > 1})

    def told_note(self, note: int) -> str:
        """A note and the pads that it strikes, in words."""
        names = [r.name for r in self.regions if r.low <= note <= r.high]
        name = note_name(note)
        if not names:
            return f"{name} strikes no pad."
        also = f", also {', '.join(names[1:])}" if len(names) > 1 else ""
        return f"{name} strikes {names[0]}{also}."

    def event(self, event: QEvent | None) -> bool:
        """Over the keys, what each of them strikes."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            at = QPointF(event.pos())
            if at.y() > self._floor() and at.x() >= _LEFT:
                QToolTip.showText(event.globalPos(), self.told_note(self.note_at(at.x())), self)
                return True
        return super().event(event)

    def show_hit(self, note: int, velocity: float) -> None:
        """Marks the last strike."""
        self.hit = (note, velocity)
        self.update()

    def forget_hit(self) -> None:
        """Marks no strike: another kit is open."""
        self.hit = None
        self.update()

    def show_all(self) -> None:
        """Every note that strikes a pad, and a few around."""
        if self.regions:
            self.first = max(0, min(r.low for r in self.regions) - 2)
            self.last = min(127, max(r.high for r in self.regions) + 2)
            if self.last - self.first + 1 < _LEAST_NOTES:
                self.last = min(127, self.first + _LEAST_NOTES - 1)
        self.update()

    # Places.

    def _note_px(self) -> float:
        return (self.width() - _LEFT - 6.0) / (self.last - self.first + 1)

    def x_of(self, note: int) -> float:
        """Where a note's place begins."""
        return _LEFT + (note - self.first) * self._note_px()

    def note_at(self, x: float) -> int:
        """The note at a place."""
        return min(127, max(0, self.first + int((x - _LEFT) // max(1.0, self._note_px()))))

    def _floor(self) -> float:
        return self.height() - _RIBBON - _FOOT

    def y_of(self, velocity: float) -> float:
        """Where a strength begins, from below."""
        return self._floor() - (velocity - 1.0) / _STRENGTHS * (self._floor() - _TOP)

    def velocity(self, y: float) -> float:
        """The strength at a height."""
        return 1.0 + (self._floor() - y) / max(1.0, self._floor() - _TOP) * _STRENGTHS

    def _room(self, region: Region, low: int, high: int) -> QRectF:
        wide = self._note_px()
        top, bottom = self.y_of(high + 1), self.y_of(low)
        gap = 1.0 if wide > 8.0 else 0.0
        return QRectF(
            self.x_of(region.low) + gap,
            top + 1,
            max(2.0, wide * (region.high - region.low + 1) - 2 * gap),
            max(2.0, bottom - top - 2),
        )

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        painter.setFont(theme.value_font(11))
        for velocity in (1, 32, 64, 96, 127):
            y = self.y_of(velocity if velocity < _STRENGTHS else _STRENGTHS + 1)
            painter.setPen(QPen(theme.color("line", 150), 1))
            painter.drawLine(QPointF(_LEFT, y), QPointF(self.width() - 6.0, y))
            painter.setPen(theme.color("soft"))
            painter.drawText(QPointF(2.0, min(y + 4.0, self._floor())), str(velocity))
        painter.setClipRect(QRectF(_LEFT, 0, self.width() - _LEFT, self.height()))
        for region in self.regions:
            self._paint_region(painter, region)
        self._paint_ribbon(painter)
        painter.setClipping(False)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)

    def _paint_region(self, painter: QPainter, region: Region) -> None:
        chosen = region.pad_id == self.chosen
        for low, high in region.ranges:
            middle = (low + high) / 2.0 / _STRENGTHS
            painter.setPen(QPen(theme.color(region.dye), 2.4 if chosen else 1.0))
            painter.setBrush(theme.color(region.dye, round(24 + 90 * middle)))
            painter.drawRoundedRect(self._room(region, low, high), 5, 5)
        room = self._note_px() * (region.high - region.low + 1)
        if room < _LEAST_NAMED_PX:
            return
        painter.setFont(theme.text_font(min(11, round(room) + 1), bold=chosen))
        painter.setPen(theme.color("ink"))
        if room > painter.fontMetrics().horizontalAdvance(region.name) + 14.0:
            painter.drawText(QPointF(self.x_of(region.low) + 7.0, self._floor() - 8.0), region.name)
            return
        painter.save()
        painter.translate(self.x_of(region.low) + room / 2.0 + 4.0, self._floor() - 8.0)
        painter.rotate(-90.0)
        painter.drawText(QPointF(0, 0), region.name)
        painter.restore()

    def _paint_ribbon(self, painter: QPainter) -> None:
        top, wide = self._floor() + 6.0, self._note_px()
        clash = set(self.conflicts())
        dark, light = ("paper", "soft") if theme.is_night() else ("ink", "panel")
        for note in range(self.first, self.last + 1):
            black = note % 12 in _BLACK
            tall = _RIBBON - (16.0 if black else 6.0)
            painter.setPen(QPen(theme.color("line"), 1))
            painter.setBrush(theme.color(dark if black else light))
            painter.drawRoundedRect(QRectF(self.x_of(note) + 0.5, top, wide - 1.0, tall), 3, 3)
            if note in clash:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color("coral"))
                painter.drawRoundedRect(QRectF(self.x_of(note), top - 5.0, wide, 5.0), 2, 2)
            if note % 12 == 0 and wide > 6.0:
                painter.setFont(theme.text_font(10))
                painter.setPen(theme.color("paper" if theme.is_night() else "soft"))
                painter.drawText(QPointF(self.x_of(note) + 2.0, top + tall - 4.0), note_name(note))
        if self.hit is not None:
            note, velocity = self.hit
            at = QPointF(self.x_of(note) + wide / 2.0, self.height() - 11.0)
            painter.setFont(theme.text_font(11))
            painter.setPen(theme.color("coral"))
            text = f"▲ last hit: {note_name(note)} at {velocity:.0f}"
            room = painter.fontMetrics().horizontalAdvance(text)
            left = min(max(_LEFT, at.x() - 5.0), self.width() - room - 4.0)
            painter.drawText(QPointF(left, at.y() + 6.0), text)

    # The hand.

    def grip_at(self, at: QPointF) -> Grip | None:
        """What a hand would take hold of: an edge before a side, a side before the whole."""
        if at.y() > self._floor() or at.x() < _LEFT:
            return None
        note = self.note_at(at.x())
        region = next((r for r in reversed(self.regions) if r.low <= note <= r.high), None)
        if region is None:
            return None
        for edge in region.edges:
            if abs(self.y_of(edge) - at.y()) <= _GRAB_PX:
                return Grip(region, "edge", edge)
        side = min(_GRAB_PX, 0.25 * self._note_px())
        if at.x() - self.x_of(region.low) <= side:
            return Grip(region, "left", note)
        if self.x_of(region.high + 1) - at.x() <= side:
            return Grip(region, "right", note)
        return Grip(region, "whole", note)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        if self._floor() < at.y() < self._floor() + _RIBBON:
            self._key = self.note_at(at.x())
            down = (at.y() - self._floor() - 6.0) / (_RIBBON - 6.0)
            self.key_struck.emit(self._key, min(127.0, max(1.0, 1.0 + 126.0 * down)))
            return
        self._held = self.grip_at(at)
        if self._held is not None:
            self.pad_chosen.emit(self._held.region.pad_id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._held is None:
            self._tell(event)
            return
        held, at = self._held, event.position()
        if held.part == "edge":
            to = min(127, max(2, round(self.velocity(at.y()))))
            if to != held.at:
                self._held = replace(held, at=to)
                self.edge_moved.emit(held.region.pad_id, held.at, to)
            return
        note = self.note_at(at.x())
        region = held.region
        low, high = region.low, region.high
        if held.part == "left":
            low = min(note, high)
        elif held.part == "right":
            high = max(note, low)
        else:
            step = min(127 - high, max(-low, note - held.at))
            low, high = low + step, high + step
            note = held.at + step
        if (low, high) != (region.low, region.high):
            self._held = Grip(replace(region, low=low, high=high), held.part, note)
            self.region_moved.emit(region.pad_id, (region.low, region.high), (low, high))

    def _tell(self, event: QMouseEvent) -> None:
        """What lies under the hand, and what it would do there."""
        grip = self.grip_at(event.position())
        shapes = {
            "edge": Qt.CursorShape.SizeVerCursor,
            "left": Qt.CursorShape.SplitHCursor,
            "right": Qt.CursorShape.SplitHCursor,
            "whole": Qt.CursorShape.SizeHorCursor,
        }
        self.setCursor(shapes[grip.part] if grip else Qt.CursorShape.ArrowCursor)
        if grip is not None:
            region = grip.region
            notes = f"{note_name(region.low)} ({region.low})"
            if region.high > region.low:
                notes += f" to {note_name(region.high)} ({region.high})"
            text = f"{region.name}: {notes}"
            QToolTip.showText(event.globalPosition().toPoint(), text, self)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._key is not None:
            self.key_let_go.emit(self._key)
            self._key = None
        if self._held is not None:
            self._held = None
            self.settled.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turn = 1 if event.angleDelta().y() + event.angleDelta().x() > 0 else -1
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._pan(-3 * turn)
        else:
            self._zoom(turn, self.note_at(event.position().x()))
        event.accept()

    def _zoom(self, turn: int, around: int) -> None:
        count = self.last - self.first + 1
        wanted = min(_MOST_NOTES, max(_LEAST_NOTES, round(count * (0.8 if turn > 0 else 1.25))))
        share = (around - self.first) / max(1, count)
        self.first = min(max(0, round(around - share * wanted)), 128 - wanted)
        self.last = self.first + wanted - 1
        self.update()

    def _pan(self, notes: int) -> None:
        count = self.last - self.first
        self.first = min(max(0, self.first + notes), 127 - count)
        self.last = self.first + count
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Left and Right move the chosen pad's lowest notes, with Shift their upper side.

        With Ctrl they look elsewhere.
        """
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(
            Qt.Key(event.key()) if event else Qt.Key.Key_unknown
        )
        if event is None or step is None:
            super().keyPressEvent(event)
            return
        mine = sorted((r for r in self.regions if r.pad_id == self.chosen), key=lambda r: r.low)
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._pan(step)
        elif mine:
            low, high = mine[0].low, mine[0].high
            wider = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            to = (low, max(low, high + step)) if wider else (low + step, high + step)
            if to[0] >= 0 and to[1] <= 127 and to != (low, high):
                self.region_moved.emit(self.chosen, (low, high), to)
                self.settled.emit()
