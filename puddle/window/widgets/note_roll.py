"""A lane's notes: a row for each key, those of the kit's key marked; the chords stand above."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QMenu, QSizePolicy

from puddle.units import note_name
from puddle.window import theme
from puddle.window.widgets.beat_axis import BeatAxis
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.passing import popup_once

_CHORDS_PX = 20.0
_LEAST_ROWS = 13
_EDGE_PX = 6.0
_EARLY_BEATS = 0.25  # that a chord is still reached before it begins


class Note(msgspec.Struct, frozen=True):
    """A hit with its key, as it is drawn."""

    at: float  # its place in the lane
    beat: float
    beats: float
    note: int
    velocity: int
    overlaps: bool = False  # on a mono pad, the next one begins before it ends


class ChordMark(msgspec.Struct, frozen=True):
    """A chord's name, from a beat on."""

    beat: float
    name: str


class NoteRoll(BeatAxis):
    """Clicks add and take out, drags move to other keys, edges make longer."""

    added = pyqtSignal(float, int)  # beat, note
    following_wanted = pyqtSignal(object, int)  # the place that it follows, or None; note
    removed = pyqtSignal(float)  # place
    moved = pyqtSignal(float, int)  # place, note
    lengthened = pyqtSignal(float, float)  # place, beats
    settled = pyqtSignal()
    chord_wanted = pyqtSignal(float)  # a beat, where a chord is to be typed
    chord_removed = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__(left_px=8.0)
        self.notes: tuple[Note, ...] = ()
        self.chords: tuple[ChordMark, ...] = ()
        self.in_key: frozenset[int] = frozenset(range(12))
        self.dye = "slate"
        self.root = 60
        self.step = 0.25
        self.low, self.high = 54, 66
        self._held: tuple[Note, QPointF, str] | None = None
        self._dragged = False
        self._cursor: float | None = None
        make_opaque(self)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(110)
        self.setAccessibleName("Notes of the lane")
        self.setToolTip(
            "Click adds a note and takes it out; drag it up or down to another key, its right edge "
            "for its length. A click in the row above types a chord, a right click takes it out. "
            "Arrows walk and move, with Shift they lengthen; Delete takes out; the menu key adds "
            "notes and chords."
        )

    def sizeHint(self) -> QSize:
        return QSize(600, 160)

    def show_notes(
        self,
        notes: tuple[Note, ...],
        chords: tuple[ChordMark, ...],
        in_key: frozenset[int],
        root: int,
        dye: str,
        step: float,
    ) -> None:
        """Sets the notes, the chords over them, and which names belong to the key."""
        self.notes, self.chords, self.in_key = notes, chords, in_key
        self.root, self.dye, self.step = root, dye, step
        if self._held is None:
            keys = [n.note for n in notes] or [root]
            self.low, self.high = min(*keys, root) - 2, max(*keys, root) + 2
            missing = max(0, _LEAST_ROWS - (self.high - self.low + 1))
            self.low -= missing // 2
            self.high += missing - missing // 2
        told = ", ".join(note_name(n.note) for n in notes[:32])
        self.setAccessibleDescription(told or "no notes")
        self.update()

    # Geometry.

    @property
    def _row(self) -> float:
        return (self.height() - _CHORDS_PX - 2.0) / (self.high - self.low + 1)

    def _y_of(self, note: int) -> float:
        return _CHORDS_PX + (self.high - note) * self._row

    def rect_of(self, note: Note) -> QRectF:
        """Where a note lies."""
        wide = max(6.0, note.beats * self.per_beat - 2.0)
        return QRectF(self.x_of(note.beat), self._y_of(note.note), wide, self._row)

    def note_at_y(self, y: float) -> int:
        """The key at a height."""
        return max(0, min(127, self.high - int((y - _CHORDS_PX) // self._row)))

    def _at(self, at: QPointF) -> Note | None:
        return next((n for n in reversed(self.notes) if self.rect_of(n).contains(at)), None)

    # Drawing.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        paint_ground(painter, self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_rows(painter)
        self._paint_chords(painter)
        for note in self.notes:
            self._paint_note(painter, note)

    def _paint_rows(self, painter: QPainter) -> None:
        painter.setFont(theme.value_font(10))
        for key in range(self.low, self.high + 1):
            room = QRectF(0.0, self._y_of(key), float(self.width()), self._row)
            if key % 12 not in self.in_key:
                painter.fillRect(room, theme.color("inset", 120))
            if key == self.root:
                painter.fillRect(room, theme.color("pale", 110))
            painter.setPen(QPen(theme.color("line", 110), 0.6))
            painter.drawLine(room.topLeft(), room.topRight())
            named = key % 12 == self.root % 12 or self._row >= 13.0
            if named and self._row >= 7.0:
                painter.setPen(theme.color("soft"))
                spot = QRectF(self.width() - 34.0, room.top(), 30.0, room.height())
                painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, note_name(key))
        beat = float(int(self.first_beat))
        while beat <= self.first_beat + self.shown_beats:
            painter.setPen(QPen(theme.color("line"), 1.4 if beat % 4 == 0 else 0.7))
            x = self.x_of(beat)
            painter.drawLine(QPointF(x, _CHORDS_PX), QPointF(x, self.height()))
            beat += 1.0

    def _paint_chords(self, painter: QPainter) -> None:
        painter.setFont(theme.text_font(12, bold=True))
        painter.setPen(theme.color("ink"))
        for chord in self.chords:
            x = self.x_of(chord.beat)
            if self.left_px - 4 <= x <= self.width():
                painter.drawText(QPointF(x + 3.0, _CHORDS_PX - 6.0), chord.name)
        if not self.chords:
            painter.setFont(theme.text_font(11))
            painter.setPen(theme.color("soft"))
            painter.drawText(
                QPointF(self.left_px + 4, _CHORDS_PX - 6.0), "Click here to type a chord"
            )

    def _paint_note(self, painter: QPainter, note: Note) -> None:
        room = self.rect_of(note).adjusted(0, 0.5, 0, -0.5)
        outside = note.note % 12 not in self.in_key
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(self.dye, 110 + note.velocity))
        painter.drawRoundedRect(room, 3, 3)
        if outside or note.overlaps:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            style = Qt.PenStyle.SolidLine if outside else Qt.PenStyle.DotLine
            painter.setPen(QPen(theme.color("coral"), 1.6, style))
            painter.drawRoundedRect(room, 3, 3)
        if self.hasFocus() and self._cursor == note.at:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("water"), 1.6))
            painter.drawRoundedRect(room.adjusted(-2, -2, 2, 2), 4, 4)
        if room.width() > 26.0 and room.height() >= 11.0:
            painter.setPen(theme.color("panel"))
            painter.setFont(theme.value_font(10))
            painter.drawText(
                room.adjusted(4, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, note_name(note.note)
            )

    # The hand.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        beat = self.beat_of(at.x())
        if at.y() < _CHORDS_PX:
            self.chord_wanted.emit(max(0.0, float(int(beat + _EARLY_BEATS))))
            return
        found = self._at(at)
        self._dragged = False
        if found is None:
            self.added.emit(max(0.0, beat), self.note_at_y(at.y()))
            self.settled.emit()
            return
        edge = self.rect_of(found).right() - at.x() < _EDGE_PX
        self._held = (found, at, "length" if edge else "note")
        self._cursor = found.at

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        if self._held is None:
            over = self._at(at)
            edge = over is not None and self.rect_of(over).right() - at.x() < _EDGE_PX
            self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)
            return
        held, start, way = self._held
        if way == "length":
            self._dragged = True
            beats = held.beats + (at.x() - start.x()) / self.per_beat
            self.lengthened.emit(held.at, max(self.step / 4.0, beats))
        elif self._dragged or abs(at.y() - start.y()) > 3.0:
            self._dragged = True
            self.moved.emit(held.at, self.note_at_y(at.y()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, self._held = self._held, None
        if held is None:
            return
        if not self._dragged:
            self.removed.emit(held[0].at)
        self.settled.emit()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """A right click on a chord takes it away; the menu key offers what a mouse can do."""
        if event is None:
            return
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            self._open_menu()
        elif event.pos().y() <= _CHORDS_PX:
            self._take_chord_out(self.beat_of(float(event.pos().x())))

    def _chord_at(self, beat: float) -> ChordMark | None:
        """The chord that stands at a beat, or begins a little after it."""
        before = [chord for chord in self.chords if chord.beat <= beat + _EARLY_BEATS]
        return before[-1] if before else None

    def _take_chord_out(self, beat: float) -> None:
        chord = self._chord_at(beat)
        if chord is not None:
            self.chord_removed.emit(chord.beat)

    # Keys.

    def _noted(self) -> Note | None:
        """The note that keys work on."""
        return next((note for note in self.notes if note.at == self._cursor), None)

    def go_to(self, at: float) -> None:
        """Keys go on with the note at a place."""
        self._cursor = at
        self.update()

    def _open_menu(self) -> None:
        """Offers, where keys work, what has no key of its own."""
        note = self._noted()
        beat = note.beat if note is not None else 0.0
        chord = self._chord_at(beat)
        typed_at = float(int(beat + _EARLY_BEATS))
        menu = QMenu(self)
        for text, there, work in (
            ("A note after this one" if note is not None else "A note", True, self._follow),
            ("Take the note out", note is not None, self._take_out),
            ("Type a chord …", True, lambda: self.chord_wanted.emit(typed_at)),
            (
                f"Take {chord.name} out" if chord is not None else "Take the chord out",
                chord is not None,
                lambda: self._take_chord_out(beat),
            ),
        ):
            entry = menu.addAction(text)
            if entry is not None:
                entry.setEnabled(there)
                entry.triggered.connect(work)
        room = self.rect_of(note) if note is not None else QRectF(self.left_px, _CHORDS_PX, 0, 0)
        popup_once(menu, self.mapToGlobal(room.bottomLeft().toPoint()))

    def _follow(self) -> None:
        note = self._noted()
        self.following_wanted.emit(*((note.at, note.note) if note else (None, self.root)))
        self.settled.emit()

    def _take_out(self) -> None:
        """Takes the note out; keys go on with the one beside it."""
        note = self._noted()
        if note is None:
            return
        n = self.notes.index(note)
        beside = self.notes[n + 1 : n + 2] or self.notes[max(0, n - 1) : n]
        self._cursor = beside[0].at if beside else None
        self.removed.emit(note.at)
        self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows walk and move, with Shift they lengthen; Delete takes out."""
        if event is None:
            return
        key, note = Qt.Key(event.key()), self._noted()
        across = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key)
        up = {Qt.Key.Key_Down: -1, Qt.Key.Key_Up: 1}.get(key)
        if across is not None and event.modifiers() & Qt.KeyboardModifier.ShiftModifier and note:
            beats = max(self.step / 4.0, note.beats + across * self.step)
            self.lengthened.emit(note.at, beats)
            self.settled.emit()
        elif across is not None and self.notes:
            n = self.notes.index(note) if note is not None else -1
            self._cursor = self.notes[max(0, min(len(self.notes) - 1, n + across))].at
            self.update()
        elif up is not None and note is not None:
            self.moved.emit(note.at, max(0, min(127, note.note + up)))
            self.settled.emit()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and note is not None:
            self._take_out()
        else:
            super().keyPressEvent(event)
