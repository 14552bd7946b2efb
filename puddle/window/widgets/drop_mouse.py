"""The grid of drops under the mouse: add, take out, paint, choose, move, copy, loud and soft."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QMouseEvent,
    QWheelEvent,
)

from puddle.kit.edits.hits import Spot
from puddle.views.pattern import Drop, PatternView
from puddle.window.widgets.drop_geometry import HEAD_PX, RULER_PX
from puddle.window.widgets.drop_grid_picture import DropGridPicture

_MOVED_PX = 4.0
_VELOCITY_PX = 0.75  # pixels to a step of velocity
_CONTROL = Qt.KeyboardModifier.ControlModifier
_SHIFT = Qt.KeyboardModifier.ShiftModifier


class _Held(msgspec.Struct):
    """What the button was pressed on, and how it is dragged."""

    at: QPointF
    row: int
    drop: Drop | None
    way: str = ""  # "", "velocity", "move", "paint", "band"
    last: float = -1.0  # the place that was painted last
    modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier


class DropMouse(DropGridPicture):
    """Signals say what is wanted; the page edits the pattern. Keys are in `DropGrid`."""

    pad_chosen = pyqtSignal(str)
    lane_switched = pyqtSignal(str, str)  # pad, "mute" or "solo"
    lane_moved = pyqtSignal(str, int)  # pad, to which row
    added = pyqtSignal(str, float)  # pad, place
    removed = pyqtSignal(list)  # spots
    painted = pyqtSignal(str, float)  # pad, place: while it is dragged across
    velocity_moved = pyqtSignal(list, int)  # spots, by so much from where the drag began
    moved = pyqtSignal(list, float, int, bool)  # spots, beats, rows, whether copies
    settled = pyqtSignal()
    selection_changed = pyqtSignal(object)  # a frozenset of spots
    clip_wanted = pyqtSignal(str)  # "copy", "cut", "paste", "duplicate"
    menu_wanted = pyqtSignal(object, object)  # a spot (or a pad's id for its head), global point
    span_changed = pyqtSignal()  # other beats are shown

    def __init__(self) -> None:
        super().__init__()
        self._held: _Held | None = None
        self._lane_held: int | None = None
        self._panned_from: tuple[float, float] | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Pattern")
        self.setToolTip(
            "Click adds a hit and takes it out. Drag across empty steps to paint, a drop up or "
            "down for its velocity, sideways to move it, with Ctrl to copy. Shift and drag "
            "selects; Ctrl and wheel zooms, a drag of the numbers above moves along."
        )

    # Showing.

    def show_view(self, view: PatternView, chosen: str) -> None:
        """Sets what is drawn."""
        resized = view.beats != self.view.beats or view.step != self.view.step
        before, both = self.view, {chosen, self.chosen}
        other = chosen != self.chosen
        was = self.scroll_px
        self.view, self.chosen = view, chosen
        known = {Spot(row.pad_id, d.at) for row in view.rows for d in row.drops}
        self.selected = frozenset(self.selected & known)
        if resized or self.shown_beats > view.beats:
            self.fit()
        self.scroll_px = min(self.scroll_px, self.most_scroll())
        if other:
            self._reveal_row()
        count = sum(len(row.drops) for row in view.rows)
        self.setAccessibleDescription(f"{len(view.rows)} lanes, {count} hits")
        alike = len(before.rows) == len(view.rows) and not resized
        if alike and was == self.scroll_px and before.bar == view.bar:
            pairs = enumerate(zip(before.rows, view.rows, strict=True))
            marked = both if other else set()
            self.forget([n for n, (a, b) in pairs if a is not b or b.pad_id in marked])
        else:
            self.forget()

    def show_playhead(self, beat: float | None) -> None:
        """Marks the step that sounds."""
        before = None if self.playhead is None else self.step_rect(self.playhead)
        after = None if beat is None else self.step_rect(beat)
        self.playhead = beat
        if before == after:
            return
        for column in (before, after):
            if column is not None:
                self.update(column.adjusted(-2, -2, 2, 2).toRect())

    def select(self, spots: frozenset[Spot]) -> None:
        """Selects hits."""
        if spots != self.selected:
            pads = {spot.pad for spot in self.selected ^ spots}
            self.selected = spots
            self.forget([n for n, row in enumerate(self.view.rows) if row.pad_id in pads])
            self.selection_changed.emit(spots)

    def reveal(self, beat: float) -> None:
        """Shows the page of steps that holds a beat."""
        if not self.first_beat <= beat < self.first_beat + self.shown_beats:
            self.first_beat = beat // self.shown_beats * self.shown_beats
            self._bound()

    def _reveal_row(self) -> None:
        """Scrolls to the selected pad's row where it is out of sight."""
        n = next((n for n, row in enumerate(self.view.rows) if row.pad_id == self.chosen), None)
        if n is None:
            return
        room = self.row_rect(n)
        if room.top() < RULER_PX:
            self.scroll_px -= RULER_PX - room.top()
        elif room.bottom() > self.height():
            self.scroll_px += room.bottom() - self.height() + 4.0
        self.scroll_px = max(0.0, min(self.scroll_px, self.most_scroll()))

    def _bound(self) -> None:
        self.first_beat = max(0.0, min(self.first_beat, self.view.beats - self.shown_beats))
        self.scroll_px = max(0.0, min(self.scroll_px, self.most_scroll()))
        self.forget()
        self.span_changed.emit()

    # What lies where.

    def drop_at(self, at: QPointF) -> tuple[int, Drop] | None:
        """The row and drop under a point; the nearest where several reach there."""
        n = self.row_at(at.y())
        if n is None or at.x() < HEAD_PX - 6:
            return None
        found = None
        best = 1e9
        for drop in self.view.rows[n].drops:
            center = self.center_of(n, drop)
            away = abs(center.x() - at.x())
            reach = max(8.0, self.radius_of(n, drop.velocity))
            if away <= reach and away < best:
                found, best = (n, drop), away
        return found

    def place_at(self, n: int, x: float) -> float | None:
        """The place in a row's lane under a point; None outside of it."""
        row = self.view.rows[n]
        beat = self.beat_of(x)
        if row.exact:
            beat -= row.step / 2.0
        if not -row.step / 2.0 <= beat < max(row.beats, self.view.length):
            return None
        beat = max(0.0, beat) % row.beats  # an echo stands for its own cycle
        return row.at_beat(beat)

    # The mouse.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        n = self.row_at(at.y())
        if at.y() < RULER_PX and at.x() > HEAD_PX:
            self._panned_from = (at.x(), self.first_beat)
            return
        if n is None:
            self.select(frozenset())
            return
        row = self.view.rows[n]
        if at.x() < HEAD_PX - 8:
            self._press_head(n, at)
            return
        found = self.drop_at(at)
        self._held = _Held(at, n, found[1] if found else None, modifiers=event.modifiers())
        if found is None and event.modifiers() & _SHIFT:
            self._held.way = "band"
        if row.pad_id != self.chosen:
            self.pad_chosen.emit(row.pad_id)

    def _press_head(self, n: int, at: QPointF) -> None:
        row, room = self.view.rows[n], self.row_rect(n)
        if self.mute_rect(room).contains(at):
            self.lane_switched.emit(row.pad_id, "mute")
        elif self.solo_rect(room).contains(at):
            self.lane_switched.emit(row.pad_id, "solo")
        else:
            self._lane_held = n
            self.pad_chosen.emit(row.pad_id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._lane_held is not None:
            self._drag_lane(event.position())
            return
        if self._panned_from is not None:
            x, first = self._panned_from
            moved = (event.position().x() - x) / self.per_beat
            # The thumb in the ruler is dragged: it is as much shorter as there is more to see.
            self.first_beat = first + moved * self.view.beats / self.shown_beats
            self._bound()
            return
        held = self._held
        if held is None:
            return
        by = event.position() - held.at
        if not held.way:
            if max(abs(by.x()), abs(by.y())) < _MOVED_PX:
                return
            held.way = self._way(held, by)
        if held.way == "velocity":
            self.velocity_moved.emit(self._dragged(held), round(-by.y() / _VELOCITY_PX))
        elif held.way == "paint":
            self._paint_to(held, event.position())
        elif held.way == "band":
            self.band = QRectF(held.at, event.position()).normalized()
            self.update()
        else:
            self._move(held, event)

    def _way(self, held: _Held, by: QPointF) -> str:
        if held.drop is None:
            return "band" if held.modifiers & _SHIFT else "paint"
        return "velocity" if abs(by.y()) > abs(by.x()) else "move"

    def _dragged(self, held: _Held) -> list[Spot]:
        """The selection, or the one drop that is dragged."""
        assert held.drop is not None
        own = Spot(self.view.rows[held.row].pad_id, held.drop.at)
        return list(self.selected) if own in self.selected else [own]

    def _paint_to(self, held: _Held, at: QPointF) -> None:
        row = self.view.rows[held.row]
        places = {self.place_at(held.row, x) for x in (held.at.x(), at.x())}
        step = row.step * self.per_beat
        x, last = min(held.at.x(), at.x()), max(held.at.x(), at.x())
        while x < last:
            places.add(self.place_at(held.row, x))
            x += max(2.0, step / 2.0)
        for place in sorted(p for p in places if p is not None):
            self.painted.emit(row.pad_id, place)

    def _move(self, held: _Held, event: QMouseEvent) -> None:
        row = self.view.rows[held.row]
        by = event.position() - held.at
        step = self.view.step if not row.exact or not event.modifiers() & _SHIFT else 1e-3
        beats = round(by.x() / self.per_beat / step) * step
        now = self.row_at(max(RULER_PX + 1.0, event.position().y()))
        rows = (now if now is not None else held.row) - held.row
        copies = bool((held.modifiers | event.modifiers()) & _CONTROL)
        self.moved.emit(self._dragged(held), beats, rows, copies)

    def _drag_lane(self, at: QPointF) -> None:
        to = self.row_at(at.y())
        if to is not None and self._lane_held is not None and to != self._lane_held:
            self.lane_moved.emit(self.view.rows[self._lane_held].pad_id, to)
            self._lane_held = to

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, self._held = self._held, None
        self._panned_from = None
        if self._lane_held is not None:
            self._lane_held = None
            self.settled.emit()
            return
        if event is None or held is None:
            return
        if held.way == "band":
            self._choose_band(event.modifiers())
        elif held.way:
            self.settled.emit()
        else:
            self._click(held, event.modifiers())

    def _click(self, held: _Held, modifiers: Qt.KeyboardModifier) -> None:
        row = self.view.rows[held.row]
        if held.drop is not None:
            spot = Spot(row.pad_id, held.drop.at)
            if modifiers & (_SHIFT | _CONTROL):
                self.select(self.selected ^ {spot})
            else:
                self.removed.emit([spot])
                self.settled.emit()
            return
        place = self.place_at(held.row, held.at.x())
        if place is None:
            return
        self.cell = Spot(row.pad_id, place)
        if self.selected:
            self.select(frozenset())
        self.added.emit(row.pad_id, place)
        self.settled.emit()

    def _choose_band(self, modifiers: Qt.KeyboardModifier) -> None:
        band, self.band = self.band, None
        self.update()
        if band is None:
            return
        inside = {
            Spot(row.pad_id, drop.at)
            for n, row in enumerate(self.view.rows)
            for drop in row.drops
            if not drop.echo and band.contains(self.center_of(n, drop))
        }
        kept = self.selected if modifiers & _CONTROL else frozenset()
        self.select(frozenset(kept | inside))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """On a drop its velocity; with Ctrl the zoom, with Shift along; else up and down."""
        if event is None:
            return
        turns = (event.angleDelta().y() or event.angleDelta().x()) / 120.0
        at = event.position()
        if event.modifiers() & _CONTROL:
            self.zoom(0.8**turns, self.beat_of(at.x()))
        elif event.modifiers() & _SHIFT:
            self.first_beat -= turns * self.view.beat
            self._bound()
        else:
            found = self.drop_at(at)
            if found is not None:
                n, drop = found
                spot = Spot(self.view.rows[n].pad_id, drop.at)
                spots = list(self.selected) if spot in self.selected else [spot]
                self.velocity_moved.emit(spots, round(4 * turns))
                self.settled.emit()
            else:
                self.scroll_px -= turns * self.row_px
                self._bound()
        event.accept()

    def zoom(self, factor: float, around: float) -> None:
        """Shows more or fewer beats, around one of them."""
        before = self.shown_beats
        least = min(self.view.beats, 4.0 * self.view.step)
        self.shown_beats = max(least, min(self.view.beats, before * factor))
        self.first_beat = around - (around - self.first_beat) * self.shown_beats / before
        self._bound()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        at = QPointF(event.pos())
        n = self.row_at(at.y())
        if n is None:
            return
        row = self.view.rows[n]
        if row.pad_id != self.chosen:
            self.pad_chosen.emit(row.pad_id)
        found = self.drop_at(at)
        if found is None:
            self.menu_wanted.emit(row.pad_id, event.globalPos())
            return
        self.menu_wanted.emit(Spot(row.pad_id, found[1].at), event.globalPos())
