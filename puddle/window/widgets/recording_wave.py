"""A part of a recording with the marks of its hits: moved, added, taken away, joined, heard."""

from __future__ import annotations

import msgspec
import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from puddle.window.widgets.grounds import make_opaque
from puddle.window.widgets.recording_picture import RecordingPicture, WaveLook
from puddle.window.widgets.recording_span import RecordingSpan, clock

_GRIP_PX = 6
_CLICK_PX = 4
_COMMANDS = {
    Qt.Key.Key_Delete: "remove",
    Qt.Key.Key_Backspace: "remove",
    Qt.Key.Key_Return: "hear",
    Qt.Key.Key_Enter: "hear",
}


class Grip(msgspec.Struct, frozen=True):
    """What the hand is on: a hit's start or end, or the downbeat."""

    part: str  # "start", "end", "downbeat"
    at: int  # the frame of the hit's start


class RecordingWave(QWidget):
    """The waveform that is seen, with its marks."""

    chosen = pyqtSignal(int)  # a hit's place; it is heard
    goes_on = pyqtSignal(int)  # heard from there on
    start_moved = pyqtSignal(int, int)  # from a frame to another, while it is dragged
    end_moved = pyqtSignal(int, int)  # of the hit at a frame, to a frame
    downbeat_moved = pyqtSignal(int)
    added = pyqtSignal(int)  # a frame
    wanted = pyqtSignal(str)  # what a key asks for of the chosen hit
    walked = pyqtSignal(int)  # by so many hits
    settled = pyqtSignal()
    menu_wanted = pyqtSignal(object, int, int)  # global point, the hit's place or -1, the frame

    def __init__(self, span: RecordingSpan) -> None:
        super().__init__()
        self.span = span
        self.look = WaveLook()
        self._picture = RecordingPicture(span)
        self._grip: Grip | None = None
        self._near: Grip | None = None
        self._pressed = QPointF()
        self._panned = self._moved = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(120)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        make_opaque(self)
        self.setAccessibleName("Hits of the recording")
        self.setToolTip(
            "Click a hit to hear it, with Shift to go on from there. Drag its mark or its dotted "
            "end; double click to add a mark; right click for more. The wheel zooms, with Shift it "
            "moves; arrows walk from hit to hit."
        )
        span.changed.connect(self.update)

    def show_look(self, look: WaveLook) -> None:
        """Sets what is drawn."""
        self.look = look
        self._tell()
        self.update()

    def _tell(self) -> None:
        look = self.look
        if look.cut is None:
            self.setAccessibleDescription("no hits yet")
            return
        said = f"{len(look.cut)} hits"
        if 0 <= look.chosen < len(look.cut):
            start, end = int(look.cut.starts[look.chosen]), int(look.cut.ends[look.chosen])
            rate = look.cut.rate_hz
            said = (
                f"{look.names.get(start, 'hit')} of {len(look.cut)}, at {clock(start / rate, 3)}, "
                f"{1000.0 * (end - start) / rate:.0f} ms long"
            )
        self.setAccessibleDescription(said)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        near = self._grip or self._near
        held = (near.part, near.at) if near is not None else ("", -1)
        self._picture.paint(painter, QRectF(self.rect()), self.look, held, self.hasFocus())

    # Where things are.

    def _x(self, frame: float) -> float:
        return self.span.x_of(frame, self.width())

    def _frame(self, x: float) -> int:
        at = round(self.span.frame_at(x, self.width()))
        return min(max(0, at), max(0, self.span.frames - 1))

    def _grip_at(self, at: QPointF) -> Grip | None:
        """The mark or end under the hand: handles first, then lines."""
        cut = self.look.cut
        if cut is None or not len(cut):
            return None
        downbeat = self.look.downbeat
        low = at.y() > self.height() - 22
        if downbeat is not None and low and abs(self._x(downbeat) - at.x()) <= _GRIP_PX:
            return Grip("downbeat", downbeat)
        near = 1.5 * _GRIP_PX * self.span.count / max(1, self.width())
        place = self.span.frame_at(at.x(), self.width())
        first, last = np.searchsorted(cut.starts, (place - near, place + near))
        starts = [int(n) for n in cut.starts[first:last]]
        starts += [int(n) for n in cut.joined if abs(n - place) <= near]
        if starts:
            return Grip("start", min(starts, key=lambda n: abs(n - place)))
        under = cut.under(place - near)
        if under is not None and abs(int(cut.ends[under]) - place) <= near:
            return Grip("end", int(cut.starts[under]))
        return None

    # The hand.

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._pressed, self._moved = event.position(), False
        if event.button() == Qt.MouseButton.MiddleButton:
            self._panned = True
        elif event.button() == Qt.MouseButton.LeftButton:
            self._grip = self._grip_at(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        if self._panned:
            self.span.pan((self._pressed.x() - at.x()) / max(1, self.width()))
            self._pressed = at
            return
        if not event.buttons() & Qt.MouseButton.LeftButton:
            self._point_out(self._grip_at(at))
            return
        if not self._moved and abs(at.x() - self._pressed.x()) < _CLICK_PX:
            return
        if self._grip is None:
            self._moved = True
            self.span.pan((self._pressed.x() - at.x()) / max(1, self.width()))
            self._pressed = at
            return
        self._moved = True
        self._drag(self._grip, self._frame(at.x()))

    def _drag(self, grip: Grip, to: int) -> None:
        if grip.part == "start":
            if to != grip.at:
                self.start_moved.emit(grip.at, to)
                self._grip = Grip("start", to)
        elif grip.part == "end":
            self.end_moved.emit(grip.at, to)
        else:
            self.downbeat_moved.emit(to)
            self._grip = Grip("downbeat", to)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        moved, self._moved = self._moved, False
        grip, self._grip = self._grip, None
        if self._panned:
            self._panned = False
            return
        if moved:
            if grip is not None:
                self.settled.emit()
            return
        if event.button() != Qt.MouseButton.LeftButton or self.look.cut is None:
            return
        place = self._hit_at(event.position(), grip)
        if place is None:
            return
        on = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        (self.goes_on if on else self.chosen).emit(place)

    def _hit_at(self, at: QPointF, grip: Grip | None) -> int | None:
        cut = self.look.cut
        if cut is None:
            return None
        if grip is not None and grip.part == "start":
            return cut.place_of(grip.at)
        return cut.under(self.span.frame_at(at.x(), self.width()))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if self._grip_at(event.position()) is None and self.look.cut is not None:
            self.added.emit(self._frame(event.position().x()))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None or self.look.cut is None:
            return
        at = QPointF(event.pos())
        where = event.globalPos()
        frame = self._frame(at.x())
        if event.reason() == QContextMenuEvent.Reason.Keyboard and self.look.chosen >= 0:
            frame = int(self.look.cut.starts[self.look.chosen])
            where = self.mapToGlobal(QPoint(round(self._x(frame)), 24))
            self.menu_wanted.emit(where, self.look.chosen, frame)
            return
        place = self._hit_at(at, self._grip_at(at))
        self.menu_wanted.emit(where, -1 if place is None else place, frame)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        turned = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or turned.x():
            self.span.pan(-0.15 * (turned.y() or turned.x()) / 120.0)
        else:
            at = self.span.frame_at(event.position().x(), self.width())
            self.span.zoom(0.8 ** (turned.y() / 120.0), at)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = Qt.Key(event.key()) if event.key() in list(Qt.Key) else Qt.Key.Key_unknown
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.walked.emit(-1 if key == Qt.Key.Key_Left else 1)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            middle = self.span.first + self.span.count / 2.0
            chosen = self.look.chosen
            if self.look.cut is not None and 0 <= chosen < len(self.look.cut):
                middle = float(self.look.cut.starts[chosen])
            self.span.zoom(0.7 if key == Qt.Key.Key_Up else 1.4, middle)
        elif key in _COMMANDS:
            self.wanted.emit("go on" if shift and _COMMANDS[key] == "hear" else _COMMANDS[key])
        else:
            super().keyPressEvent(event)

    def _point_out(self, grip: Grip | None) -> None:
        if grip != self._near:
            self._near = grip
            shape = Qt.CursorShape.SizeHorCursor if grip else Qt.CursorShape.ArrowCursor
            self.setCursor(shape)
            self.update()
