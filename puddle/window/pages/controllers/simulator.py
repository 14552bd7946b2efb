"""The simulated controller in a window of its own: pads, gauges, keys, pressure and pedals."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import (
    QCloseEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QShortcut,
)
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from puddle.midi.messages import CONTROL, HAT_PEDAL, NOTE_OFF, NOTE_ON, PRESSURE, SUSTAIN, played
from puddle.parameter import Parameter, Scale
from puddle.window import theme
from puddle.window.pages.controllers.simulated_keys import SimulatedKeys
from puddle.window.widgets.controls import toggle
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.sixteen import PLACES, Sixteen

# As such a controller sends them: in no order that a kit could guess.
NOTES = tuple(36 + (7 * place + 5) % 24 for place in range(PLACES))
_CHANNEL = 9
GAUGES, _FIRST = 8, 21  # controls 21 to 28


def on(place: int, velocity: int) -> bytes:
    """What it sends when a pad of it is struck."""
    return bytes([NOTE_ON | _CHANNEL, NOTES[place], max(1, min(127, velocity))])


def off(place: int) -> bytes:
    """What it sends when a pad of it is let go."""
    return bytes([NOTE_OFF | _CHANNEL, NOTES[place], 0])


class Simulator(QDialog):
    """A window that is played with the mouse: the nearer to the middle, the harder."""

    def __init__(
        self,
        send: Callable[[bytes], None],
        play: Callable[[], None],
        closed: Callable[[], None],
        parent: QWidget,
    ) -> None:
        """`play` starts or stops the groove: Space does so here too."""
        super().__init__(parent)
        self._closed = closed
        space = QShortcut(QKeySequence(Qt.Key.Key_Space), self)
        space.activated.connect(play)
        self.setWindowTitle("Simulated pads")
        self.setModal(False)
        self._send = send
        lines = QVBoxLayout(self)
        self.pads = _Pads(send)
        lines.addWidget(self.pads, 1)
        lines.addSpacing(6)
        side = QVBoxLayout()
        side.setSpacing(0)
        self.gauges = [self._gauge(f"Gauge {n + 1}", CONTROL, _FIRST + n) for n in range(GAUGES)]
        self.pressure = self._gauge("Pressure", PRESSURE, None)
        self.pedal = self._gauge("Hat pedal", CONTROL, HAT_PEDAL)
        for gauge in (*self.gauges, self.pressure, self.pedal):
            side.addWidget(gauge)
        self.sustain = toggle("Sustain", "The sustain pedal: while it is down, nothing is let go.")
        self.sustain.toggled.connect(lambda on: send(bytes([CONTROL, SUSTAIN, 127 if on else 0])))
        side.addWidget(self.sustain, 0, Qt.AlignmentFlag.AlignLeft)
        lines.addLayout(side)
        self.keys = SimulatedKeys(send)
        lines.addWidget(self.keys)

    def _gauge(self, name: str, status: int, number: int | None) -> Gauge:
        """One that sends where it stands."""
        what = f"control {number}" if number is not None else "pressure of the channel"
        known = Parameter(
            field=name, label=name, low=0.0, high=127.0, default=0.0, unit="",
            scale=Scale.LINEAR, decimals=0, says=f"Sends {what}.", part="", kind="whole",
        )  # fmt: skip
        made = Gauge(known, 0.0, name_px=72)
        on = () if number is None else (number,)
        channel = _CHANNEL if status == PRESSURE else 0
        made.moved.connect(lambda value: self._send(bytes([status | channel, *on, round(value)])))
        return made

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
        self.lit: set[int] = set()
        self.at_place = 0
        self.setAccessibleName("Simulated pads")
        self.setToolTip(
            "Sixteen pads: the nearer to the middle, the harder. Arrows and Enter strike too."
        )
        self.stepped.connect(self._choose)

    def sizeHint(self) -> QSize:
        return QSize(240, 150)

    def _radius(self) -> float:
        cell = self.cell(0)
        return max(8.0, min(cell.width(), cell.height()) / 2.0 - 3.0)

    def _choose(self, place: int) -> None:
        self.at_place = place
        self.update()

    def take_light(self, message: bytes) -> None:
        """What the groove sends: a note lights its pad, its end puts the light out."""
        note = played(message)
        if note is None or note.note not in NOTES:
            return
        place = NOTES.index(note.note)
        self.lit = self.lit | {place} if note.velocity else self.lit - {place}
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
        painter.fillRect(self.rect(), theme.color("paper"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.value_font(11))
        radius = self._radius()
        for place, note in enumerate(NOTES):
            center = self.cell(place).center()
            painter.setBrush(theme.color("water", 150 if place == self._held else 30))
            if place in self.lit:
                painter.setBrush(theme.color("sun", 170))
            chosen = place == self.at_place and self.hasFocus()
            painter.setPen(QPen(theme.color("water"), 2.4 if chosen else 1.2))
            painter.drawEllipse(center, radius, radius)
            painter.setPen(theme.color("ink"))
            painter.drawText(center - QPointF(7.0, -4.0), str(note))
