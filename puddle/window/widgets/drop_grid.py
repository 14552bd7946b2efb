"""The grid of drops under the keys, beside the mouse."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent, QFocusEvent, QHelpEvent, QKeyEvent
from PyQt6.QtWidgets import QToolTip

from puddle.kit.edits.hits import Spot
from puddle.window.widgets.drop_mouse import DropMouse

_CONTROL = Qt.KeyboardModifier.ControlModifier
_OWN_KEYS = {
    Qt.Key.Key_A, Qt.Key.Key_C, Qt.Key.Key_X, Qt.Key.Key_V, Qt.Key.Key_D,
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down,
}  # fmt: skip


class DropGrid(DropMouse):
    """Arrows, Enter, Delete and the clipboard's keys; Page Up and Down are louder and softer."""

    def event(self, event: QEvent | None) -> bool:
        """Keys of its own are no shortcuts while it has the focus; tooltips tell a drop."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            control = event.modifiers() & _CONTROL
            if (control and event.key() in _OWN_KEYS) or event.key() == Qt.Key.Key_Delete:
                event.accept()
                return True
        if isinstance(event, QHelpEvent):
            found = self.drop_at(QPointF(event.pos()))
            if found is not None:
                QToolTip.showText(event.globalPos(), found[1].told(), self)
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key, control = Qt.Key(event.key()), bool(event.modifiers() & _CONTROL)
        clips = {
            Qt.Key.Key_C: "copy", Qt.Key.Key_X: "cut", Qt.Key.Key_V: "paste",
            Qt.Key.Key_D: "duplicate",
        }  # fmt: skip
        arrows = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
        }  # fmt: skip
        if control and key in clips:
            self.clip_wanted.emit(clips[key])
        elif control and key == Qt.Key.Key_A:
            self.select(
                frozenset(
                    Spot(row.pad_id, d.at)
                    for row in self.view.rows
                    for d in row.drops
                    if not d.echo
                )
            )
        elif key in arrows:
            self._arrow(*arrows[key], control)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.selected:
            self.removed.emit(list(self.selected))
            self.settled.emit()
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) and self._marked():
            self.velocity_moved.emit(self._marked(), 8 if key == Qt.Key.Key_PageUp else -8)
            self.settled.emit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.cell is not None:
            self._toggle_cursor()
        elif key == Qt.Key.Key_Escape and self.selected:
            self.select(frozenset())
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None and event.reason() == QContextMenuEvent.Reason.Keyboard:
            self._open_menu()
        else:
            super().contextMenuEvent(event)

    def _open_menu(self) -> None:
        """The menu of a hit that keys work on; without one, of the cursor's row or the pad's."""
        marked = self._marked()
        spot = self.cell if self.cell in marked else next(iter(marked), None)
        pad = spot.pad if spot else self.cell.pad if self.cell else self.chosen
        n = next((n for n, row in enumerate(self.view.rows) if row.pad_id == pad), None)
        if n is None:
            return
        if pad != self.chosen:
            self.pad_chosen.emit(pad)
        drops = (drop for drop in self.view.rows[n].drops if spot and drop.at == spot.at)
        drop = next(drops, None)
        at = self.center_of(n, drop) if drop else QPointF(8.0, self.row_rect(n).center().y())
        self.menu_wanted.emit(spot or pad, self.mapToGlobal(at.toPoint()))

    def _marked(self) -> list[Spot]:
        """The selection, or the hit under the cursor."""
        if self.selected:
            return list(self.selected)
        return [self.cell] if self.cell is not None and self._has(self.cell) else []

    def _has(self, spot: Spot) -> bool:
        return any(
            row.pad_id == spot.pad and drop.at == spot.at
            for row in self.view.rows
            for drop in row.drops
        )

    def _toggle_cursor(self) -> None:
        assert self.cell is not None
        if self._has(self.cell):
            self.removed.emit([self.cell])
        else:
            self.added.emit(self.cell.pad, self.cell.at)
        self.settled.emit()

    def _arrow(self, across: int, down: int, control: bool) -> None:
        """Moves what is selected; without a selection the cursor."""
        if self.selected:
            self.moved.emit(list(self.selected), across * self.view.step, down, control)
            self.settled.emit()
            return
        rows = self.view.rows
        if not rows:
            return
        names = [row.pad_id for row in rows]
        now = self.cell or Spot(self.chosen if self.chosen in names else names[0], 0.0)
        n = names.index(now.pad) if now.pad in names else 0
        beat = now.at if rows[n].exact else now.at * rows[n].step
        n = max(0, min(len(rows) - 1, n + down))
        row = rows[n]
        last = row.beats - (1e-3 if row.exact else row.step)
        beat = max(0.0, min(last, beat + across * row.step))
        self.cell = Spot(row.pad_id, row.at_beat(beat))
        if row.pad_id != self.chosen:
            self.pad_chosen.emit(row.pad_id)
        self.reveal(beat)
        self.forget()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.forget()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.forget()
