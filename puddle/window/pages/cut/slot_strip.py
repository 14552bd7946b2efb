"""Slices of a pattern in their order, as blocks as wide as they last."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque, paint_ground

_HIGH, _GAP, _LEAST_PX, _DRAG_PX = 74, 2.0, 7.0, 6


class Block(msgspec.Struct, frozen=True):
    """A place of the pattern as it is drawn."""

    beat: float
    beats: float
    name: str
    dye: str
    backwards: bool = False


class SlotStrip(QWidget):
    """Blocks that are heard, chosen and dragged to other places."""

    chosen = pyqtSignal(int)
    moved = pyqtSignal(int, int)
    wanted = pyqtSignal(str, int)  # what a key asks for, of a place
    menu_wanted = pyqtSignal(object, int)  # global point, place

    def __init__(self) -> None:
        super().__init__()
        self.blocks: list[Block] = []
        self.place = -1
        self.sounding = -1
        self._pressed: QPointF | None = None
        self._target = -1
        self.setFixedHeight(_HIGH)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        make_opaque(self)
        self.setAccessibleName("Slices in order")
        self.setToolTip(
            "Click a slice to hear it, drag it to another place, right click for more. Arrows "
            "walk; with Shift they move it. R repeats it, B plays it backwards, Delete silences it."
        )

    def sizeHint(self) -> QSize:
        return QSize(400, _HIGH)

    def show_blocks(self, blocks: list[Block], sounding: int) -> None:
        """Sets what is drawn, and which place sounds now."""
        if blocks == self.blocks and sounding == self.sounding:
            return
        self.blocks, self.sounding = blocks, sounding
        self.place = min(self.place, len(blocks) - 1)
        self._tell()
        self.update()

    def _tell(self) -> None:
        said = f"{len(self.blocks)} slices"
        if 0 <= self.place < len(self.blocks):
            block = self.blocks[self.place]
            said = f"{block.name}, place {self.place + 1} of {len(self.blocks)}"
            said += ", backwards" if block.backwards else ""
        self.setAccessibleDescription(said)

    def rooms(self) -> list[QRectF]:
        """Where each block is drawn."""
        if not self.blocks:
            return []
        end = self.blocks[-1].beat + self.blocks[-1].beats
        width = self.width() - 4.0
        return [
            QRectF(
                2.0 + width * b.beat / end, 8.0,
                max(_LEAST_PX, width * b.beats / end - _GAP), _HIGH - 30.0,
            )
            for b in self.blocks
        ]  # fmt: skip

    def _at(self, x: float) -> int:
        return next((n for n, room in enumerate(self.rooms()) if x <= room.right() + _GAP), -1)

    # The hand.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position()
            self._choose(self._at(event.position().x()))

    def _choose(self, place: int) -> None:
        self.place = place
        self._tell()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None or self.place < 0:
            return
        if abs(event.position().x() - self._pressed.x()) >= _DRAG_PX or self._target >= 0:
            target = self._at(event.position().x())
            self._target = target if target >= 0 else len(self.blocks) - 1
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        target, self._target = self._target, -1
        pressed, self._pressed = self._pressed, None
        if event is None or pressed is None or self.place < 0:
            return
        if target >= 0:
            if target != self.place:
                place, self.place = self.place, target
                self.moved.emit(place, target)
            self.update()
        else:
            self.chosen.emit(self.place)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None or not self.blocks:
            return
        where = event.globalPos()
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            if self.place < 0:
                return
            where = self.mapToGlobal(self.rooms()[self.place].center().toPoint())
        else:
            self._choose(self._at(QPointF(event.pos()).x()))
        if self.place >= 0:
            self.menu_wanted.emit(where, self.place)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        steps: dict[int, int] = {Qt.Key.Key_Left.value: -1, Qt.Key.Key_Right.value: 1}
        step = steps.get(event.key(), 0)
        words: dict[int, str] = {
            Qt.Key.Key_Delete.value: "silence", Qt.Key.Key_Return.value: "hear",
            Qt.Key.Key_R.value: "repeat", Qt.Key.Key_B.value: "backwards",
        }  # fmt: skip
        if step and self.blocks:
            to = min(len(self.blocks) - 1, max(0, self.place + step))
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self.place >= 0:
                place, self.place = self.place, to
                if place != to:
                    self.moved.emit(place, to)
            else:
                self._choose(to)
                self.chosen.emit(to)
        elif event.key() in words and self.place >= 0 and not event.modifiers():
            self.wanted.emit(words[event.key()], self.place)
        else:
            super().keyPressEvent(event)

    # Painting.

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        painter.setFont(theme.text_font(11))
        rooms = self.rooms()
        for n, (block, room) in enumerate(zip(self.blocks, rooms, strict=True)):
            sounds = n == self.sounding
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color(block.dye, 225 if sounds else 120))
            painter.drawRoundedRect(room, 5, 5)
            if n == self.place:
                painter.setPen(QPen(theme.color("ink"), 1.6))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(room.adjusted(0.8, 0.8, -0.8, -0.8), 5, 5)
            if block.backwards:
                middle = room.center()
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color("panel"))
                painter.drawPolygon(
                    QPointF(middle.x() - 4, middle.y()),
                    QPointF(middle.x() + 3, middle.y() - 4.5),
                    QPointF(middle.x() + 3, middle.y() + 4.5),
                )
        if 0 <= self._target < len(rooms):
            x = rooms[self._target].left() - _GAP / 2.0
            if self._target > self.place:
                x = rooms[self._target].right() + _GAP / 2.0
            painter.setPen(QPen(theme.color("ink"), 2.4))
            painter.drawLine(QPointF(x, 3), QPointF(x, _HIGH - 18))
        if 0 <= self.place < len(self.blocks):
            painter.setPen(theme.color("ink"))
            room = rooms[self.place]
            words = f"{self.blocks[self.place].name} · {self.place + 1} of {len(self.blocks)}"
            wide = painter.fontMetrics().horizontalAdvance(words) + 4
            left = min(max(2.0, room.center().x() - wide / 2.0), self.width() - wide - 2.0)
            painter.drawText(QPointF(left, _HIGH - 6), words)
