"""A keyboard of two octaves that is played with the mouse: the lower it is struck, the harder."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from puddle.midi.messages import NOTE_OFF, NOTE_ON
from puddle.units import note_name
from puddle.window import theme
from puddle.window.widgets.grounds import make_opaque

FIRST, KEYS = 48, 25  # C3 to C5
_BLACK = (1, 3, 6, 8, 10)
_BLACK_WIDE, _BLACK_HIGH = 0.62, 0.6  # of a white key


def _is_black(key: int) -> bool:
    return (FIRST + key) % 12 in _BLACK


class SimulatedKeys(QWidget):
    """Two octaves from C3, on channel 1."""

    def __init__(self, send: Callable[[bytes], None]) -> None:
        super().__init__()
        self._send = send
        self._held: int | None = None
        self.at = 0
        make_opaque(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Simulated keys")
        self.setToolTip("Two octaves from C3: the lower a key is struck, the harder.")

    def sizeHint(self) -> QSize:
        return QSize(240, 52)

    def key_room(self, key: int) -> QRectF:
        """Where a key lies, counted from the lowest."""
        whites = sum(not _is_black(n) for n in range(KEYS))
        wide = self.width() / whites
        before = sum(not _is_black(n) for n in range(key))
        if not _is_black(key):
            return QRectF(before * wide, 0.0, wide, self.height())
        half = 0.5 * _BLACK_WIDE * wide
        return QRectF(before * wide - half, 0.0, 2.0 * half, _BLACK_HIGH * self.height())

    def _key_at(self, at: QPointF) -> int | None:
        found = [n for n in range(KEYS) if self.key_room(n).contains(at)]
        return min(found, key=lambda n: not _is_black(n), default=None)

    def strike(self, key: int, velocity: int) -> None:
        """Strikes one."""
        self.let_go()
        self._held = self.at = key
        self._send(bytes([NOTE_ON, FIRST + key, max(1, min(127, velocity))]))
        self.update()

    def let_go(self) -> None:
        """Lets go of what is held."""
        if self._held is not None:
            self._send(bytes([NOTE_OFF, FIRST + self._held, 0]))
            self._held = None
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        key = self._key_at(event.position()) if event is not None else None
        if event is not None and key is not None:
            deep = event.position().y() / self.key_room(key).height()
            self.strike(key, round(30.0 + 97.0 * deep))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.let_go()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        key = event.key() if event is not None else None
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.strike(self.at, 100)
            self.let_go()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            self.at = max(0, min(KEYS - 1, self.at + step))
            self.setAccessibleDescription(note_name(FIRST + self.at))
            self.update()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.color("paper"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for key in sorted(range(KEYS), key=_is_black):
            held = key == self._held
            ground = "water" if held else "ink" if _is_black(key) else "panel"
            chosen = key == self.at and self.hasFocus()
            painter.setBrush(theme.color(ground))
            painter.setPen(QPen(theme.color("water" if chosen else "line"), 2.0 if chosen else 1.0))
            painter.drawRoundedRect(self.key_room(key).adjusted(0.5, -4.0, -0.5, -1.0), 4.0, 4.0)
