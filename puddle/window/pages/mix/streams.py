"""Streams from pads through buses to the master: selected, walked, and routed by dragging."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QFocusEvent, QKeyEvent, QMouseEvent

from puddle.views.streams import MASTER
from puddle.window.pages.mix.streams_picture import StreamsPicture

_DRAG_PX = 6.0


class Streams(StreamsPicture):
    """Click selects; drag to another bus or the master routes, with Ctrl it sends."""

    chosen = pyqtSignal(str)  # a place
    routed = pyqtSignal(str, str, bool)  # from a place to another one, and whether as a send
    pulled = pyqtSignal(object, str)  # a stream, to another place; to none where it is empty
    menu_wanted = pyqtSignal(str, object)  # a place, global point

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        place = self.place_at(event.position())
        if place is None:
            self._grabbed = self.stream_at(event.position())
            place = self._grabbed.source if self._grabbed is not None else None
        if place is not None:
            self._pressed = place, event.position()
            self.chosen.emit(place)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._pressed is None or self._pressed[0] == MASTER:
            return
        away = event.position() - self._pressed[1]
        if self._hand is not None or abs(away.x()) + abs(away.y()) > _DRAG_PX:
            self._hand = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        pressed, hand, grabbed = self._pressed, self._hand, self._grabbed
        self._pressed = self._hand = self._grabbed = None
        self.update()
        if event is None or pressed is None or hand is None:
            return
        target = self.place_at(event.position())
        if grabbed is not None:
            at = next((p.id for p in self._places if p.id == target and p.column > 0), "")
            self.pulled.emit(grabbed, at)
            return
        sends = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        bus = next((p for p in self._places if p.id == target and p.column > 0), None)
        if bus is None and sends:
            return
        self.routed.emit(pressed[0], bus.id if bus is not None else MASTER, sends)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        key = event.key() if event is not None else None
        if key == Qt.Key.Key_Escape and self._hand is not None:
            self._pressed = self._hand = self._grabbed = None
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._want_menu()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._walk(Qt.Key(key))
        elif event is not None:
            super().keyPressEvent(event)

    def _walk(self, key: Qt.Key) -> None:
        here = next(p for p in self._places if p.id == self.selected)
        up_down = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(key)
        if up_down is not None:
            column = [p for p in self._places if p.column == here.column]
            to = column[max(0, min(len(column) - 1, column.index(here) + up_down))]
        else:
            step = 1 if key == Qt.Key.Key_Right else -1
            beside = [p for p in self._places if (p.column - here.column) * step > 0]
            if not beside:
                return
            y = self._rooms[here.id].center().y()
            near = min(abs(p.column - here.column) for p in beside)
            beside = [p for p in beside if abs(p.column - here.column) == near]
            to = min(beside, key=lambda p: abs(self._rooms[p.id].center().y() - y))
        self.chosen.emit(to.id)

    def _want_menu(self) -> None:
        """The menu of the place that keys work on, over it."""
        room = self._rooms[self.selected]
        self.menu_wanted.emit(self.selected, self.mapToGlobal(room.center().toPoint()))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            self._want_menu()
            return
        place = self.place_at(QPointF(event.pos()))
        if place is not None:
            self.chosen.emit(place)
            self.menu_wanted.emit(place, event.globalPos())

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()
