"""Pads as drops of water: round, ringing outward when they are struck."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QMimeData, QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPixmap,
)
from PyQt6.QtWidgets import QSizePolicy

from puddle.kit.model.document import Pad
from puddle.window.shore.pad_picture import PadPicture
from puddle.window.widgets.grounds import make_opaque
from puddle.window.widgets.mime import PAD_MIME, SOUNDS_MIME

_STEPS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class PadDrop(PadPicture):
    """One pad. The nearer the center it is clicked, the harder."""

    struck = pyqtSignal(float)  # velocity
    released = pyqtSignal()
    chosen = pyqtSignal()
    menu_wanted = pyqtSignal(object)  # a global point
    sound_wanted = pyqtSignal()  # in an empty place
    dropped_files = pyqtSignal(list)
    dropped_sounds = pyqtSignal(list)  # ids of the library's
    dropped_pad = pyqtSignal(object)  # the QMimeData of a pad, of this window or another
    mute_wanted = pyqtSignal()
    solo_wanted = pyqtSignal()
    added = pyqtSignal()  # to the selection, or out of it
    reached = pyqtSignal()  # the selection goes from the shown pad to here
    walked = pyqtSignal(int, int)  # the focus goes to a neighbor: places across, rows down

    def __init__(self, place: int) -> None:
        super().__init__()
        make_opaque(self)
        self.place = place
        self._seen: tuple[object, ...] = ()
        self._pad: Pad | None = None
        self._key = ""
        self._selected = self._also = False
        self._rings: list[tuple[float, float]] = []  # (start in s, strength 0..1)
        self._over = False
        self._compact = False
        self._pressed: QPointF | None = None
        self._still_key: tuple[object, ...] = ()
        self._still_pixmap = QPixmap()
        self.locked_velocity: float | None = None
        self.carried: Callable[[str], QMimeData] = lambda _: QMimeData()  # what a drag carries
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # Tab reaches one of them, arrows the others
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumSize(QSize(40, 94))
        self.setFixedHeight(94)

    def set_compact(self, compact: bool) -> None:
        """A smaller drop, its letter beside its name: four rows of them leave room to work."""
        self._compact = compact
        self.setMinimumHeight(0)
        self.setFixedHeight(58 if compact else 94)
        self.update()

    def show_pad(self, pad: Pad | None, key: str, selected: bool, also: bool = False) -> None:
        """Shows a pad, or an empty place, with the letter that strikes it.

        A pad whose sound is edited looks as it did: then nothing is drawn anew.
        """
        empty = pad is not None and not pad.sound.layers
        seen = (
            (pad.name, pad.role, pad.dye, pad.mute, pad.solo, pad.alternate, empty) if pad else None
        )
        self._pad = pad
        if self._seen == (seen, key, selected, also):
            return
        self._seen = (seen, key, selected, also)
        self._key, self._selected, self._also = key, selected, also
        name = pad.name if pad else "empty"
        self.setAccessibleName(f"Pad {self.place + 1}: {name}")
        state = ", muted" if pad and pad.mute else ", solo" if pad and pad.solo else ""
        state += ", no sound yet" if empty else ""
        state += ", selected" if selected else ", selected too" if also else ""
        self.setAccessibleDescription(f"{pad.role if pad else 'empty'}{state}")
        plays = ""
        if pad is not None and len(pad.alternates) > 1:
            plays = f", plays {pad.alternates[pad.alternate].name}"
        self.setToolTip(
            f"{name}{plays}: click to strike, harder near the center; right click for more."
            if pad
            else "Empty: click to make a sound, or drop a sound file here."
        )
        self.update()

    # Painting.

    # The hand.

    def velocity_at(self, at: QPointF) -> float:
        """Full in the center, soft at the rim."""
        if self.locked_velocity is not None:
            return self.locked_velocity
        center = self.center()
        away = ((at.x() - center.x()) ** 2 + (at.y() - center.y()) ** 2) ** 0.5
        found: float = max(12.0, min(127.0, 127.0 - 100.0 * away / self._radius()))
        return found

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        modifiers = event.modifiers()
        if self._pad is not None and self._heeds(modifiers):
            return
        self._pressed = event.position()
        if self._pad is not None:  # heard first, shown after
            self.struck.emit(self.velocity_at(event.position()))
        self.chosen.emit()
        if self._pad is None:
            self.sound_wanted.emit()

    def _heeds(self, modifiers: Qt.KeyboardModifier) -> bool:
        """Whether keys that are held make something else of a click than a strike."""
        shift = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        if modifiers & Qt.KeyboardModifier.AltModifier:
            (self.solo_wanted if shift else self.mute_wanted).emit()
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            self.added.emit()
        elif shift:
            self.reached.emit()
        else:
            return False
        return True

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._pressed is None or self._pad is None:
            return
        if (event.position() - self._pressed).manhattanLength() > 24:
            self._pressed = None
            self.released.emit()
            drag = QDrag(self)
            drag.setMimeData(self.carried(self._pad.id))
            drag.exec(Qt.DropAction.MoveAction | Qt.DropAction.CopyAction)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._pressed is not None:
            self._pressed = None
            self.released.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self._pad is not None and not event.isAutoRepeat():
                self.struck.emit(self.locked_velocity or 100.0)
            self.chosen.emit()
        elif event is not None and event.key() in _STEPS and not _is_held(event):
            self.walked.emit(*_STEPS[Qt.Key(event.key())])
        elif event is not None:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.chosen.emit()
            self.menu_wanted.emit(event.globalPos())

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event is None or data is None:
            return
        if data.hasUrls() or data.hasFormat(PAD_MIME):
            self._over = True
            self.update()
            event.acceptProposedAction()

    def dragLeaveEvent(self, event: QDragLeaveEvent | None) -> None:
        self._over = False
        self.update()

    def dropEvent(self, event: QDropEvent | None) -> None:
        self._over = False
        self.update()
        data = event.mimeData() if event else None
        if event is None or data is None:
            return
        event.acceptProposedAction()
        if data.hasFormat(PAD_MIME):
            self.dropped_pad.emit(data)
        elif data.hasFormat(SOUNDS_MIME):
            self.dropped_sounds.emit([int(n) for n in data.data(SOUNDS_MIME).data().split()])
        else:
            files = [url.toLocalFile() for url in data.urls() if url.isLocalFile()]
            self.dropped_files.emit(files)


def _is_held(event: QKeyEvent) -> bool:
    """Whether another key makes something else of an arrow."""
    return bool(event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier)
