"""The keys plane: notes across, strength upwards, every pad and its rungs as regions.

The ribbon of keys under it plays: lower on a key is harder.
"""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip

from puddle.units import note_name
from puddle.window.widgets.grounds import make_opaque
from puddle.window.widgets.keys_picture import (
    _LEFT,
    _RIBBON,
    Grip,
    KeysPicture,
    Region,
)

_LEAST_NOTES, _MOST_NOTES = 12, 128
_GRAB_PX = 5.0


class KeysPlane(KeysPicture):
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
        """Sets the regions to draw: the selected pad's on top, narrow ones over wide ones."""
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

    def told_note(self, note: int) -> str:
        """A note and the pads that it strikes, in words."""
        names = [r.name for r in self.regions if r.low <= note <= r.high]
        name = note_name(note)
        if not names:
            return f"{name} strikes no pad."
        also = f", also {', '.join(names[1:])}" if len(names) > 1 else ""
        return f"{name} strikes {names[0]}{also}."

    def event(self, event: QEvent | None) -> bool:
        """Shows a tooltip with the pads that the key under the pointer strikes."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            at = QPointF(event.pos())
            if at.y() > self._floor() and at.x() >= _LEFT:
                QToolTip.showText(event.globalPos(), self.told_note(self.note_at(at.x())), self)
                return True
        return super().event(event)

    def show_all(self) -> None:
        """Every note that strikes a pad, and a few around."""
        if self.regions:
            self.first = max(0, min(r.low for r in self.regions) - 2)
            self.last = min(127, max(r.high for r in self.regions) + 2)
            if self.last - self.first + 1 < _LEAST_NOTES:
                self.last = min(127, self.first + _LEAST_NOTES - 1)
        self.update()

    # Places.

    # Painting.

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
        """Sets the cursor and the tooltip for what can be dragged at the pointer."""
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
