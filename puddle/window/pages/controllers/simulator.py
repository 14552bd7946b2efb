"""The simulated controller: sixteen pads in a small window of their own, with notes of its own."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QCloseEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from puddle.midi.messages import NOTE_OFF, NOTE_ON
from puddle.window import theme
from puddle.window.widgets.controls import label
from puddle.window.widgets.sixteen import PLACES, Sixteen

# As such a controller sends them: in no order that a kit could guess.
NOTES = tuple(36 + (7 * place + 5) % 24 for place in range(PLACES))
_CHANNEL = 9


def on(place: int, velocity: int) -> bytes:
    """What it sends when a pad of it is struck."""
    return bytes([NOTE_ON | _CHANNEL, NOTES[place], max(1, min(127, velocity))])


def off(place: int) -> bytes:
    """What it sends when a pad of it is let go."""
    return bytes([NOTE_OFF | _CHANNEL, NOTES[place], 0])


class Simulator(QDialog):
    """A window that is played with the mouse: the nearer to the middle, the harder."""

    def __init__(
        self, send: Callable[[bytes], None], closed: Callable[[], None], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._closed = closed
        self.setWindowTitle("Simulated pads")
        self.setModal(False)
        lines = QVBoxLayout(self)
        said = label("Struck with the mouse: the nearer the middle, the harder.", "soft")
        said.setWordWrap(True)
        lines.addWidget(said)
        self.pads = _Pads(send)
        lines.addWidget(self.pads, 1)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._closed()
        super().closeEvent(event)

    def reject(self) -> None:
        self._closed()
        super().reject()


class _Pads(Sixteen):
    def __init__(self, send: Callable[[bytes], None]) -> None:
        super().__init__()
        self._send = send
        self._held: int | None = None
        self.at_place = 0
        self.setAccessibleName("Simulated pads")
        self.setToolTip("Sixteen pads; arrows choose one, Enter strikes it at 100.")
        self.stepped.connect(self._choose)

    def sizeHint(self) -> QSize:
        return QSize(232, 232)

    def _radius(self) -> float:
        cell = self.cell(0)
        return min(cell.width(), cell.height()) / 2.0 - 6.0

    def _choose(self, place: int) -> None:
        self.at_place = place
        self.update()

    def strike(self, place: int, velocity: int) -> None:
        """Strikes one."""
        self._held = self.at_place = place
        self._send(on(place, velocity))
        self.update()

    def let_go(self) -> None:
        """Lets go of what is held."""
        if self._held is not None:
            self._send(off(self._held))
            self._held = None
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self.place_at(event.position()) if event is not None else None
        if event is None or place is None:
            return
        away = event.position() - self.cell(place).center()
        far = math.hypot(away.x(), away.y()) / self._radius()
        if far <= 1.0:
            self.strike(place, round(127.0 - 100.0 * far))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.let_go()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.strike(self.at_place, 100)
            self.let_go()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.color("panel"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.value_font(11))
        radius = self._radius()
        for place, note in enumerate(NOTES):
            center = self.cell(place).center()
            painter.setBrush(theme.color("water", 150 if place == self._held else 30))
            chosen = place == self.at_place and self.hasFocus()
            painter.setPen(QPen(theme.color("water"), 2.4 if chosen else 1.2))
            painter.drawEllipse(center, radius, radius)
            painter.setPen(theme.color("ink"))
            painter.drawText(center - QPointF(7.0, -4.0), str(note))
