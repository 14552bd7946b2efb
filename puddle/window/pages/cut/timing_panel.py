"""Tempo and bars of a recording, and what is sent, kept and written of it."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from puddle.kit.model.document import Recording
from puddle.parameter import parameters
from puddle.window.session.cutter import Cutter
from puddle.window.widgets.controls import button, column, label, scrolled, toggle
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.recording_span import clock

_SENDS = (
    "Sending puts soft to hard on velocity layers, takes of one strength in a round robin, and "
    "leaves the recording as it is."
)


class TimingPanel(QWidget):
    """What is said of the time, and buttons."""

    asked = pyqtSignal(str)  # a command of the page
    tempo_set = pyqtSignal(float, str)
    settled = pyqtSignal()
    whole_chosen = pyqtSignal(bool)
    cleaning_chosen = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        outer = column((0, 0, 0, 0), 0)
        lines = column((12, 8, 12, 8), 5)
        lines.addWidget(label("Timing", "title"))
        self.said = label("", "")
        self.said.setWordWrap(True)
        lines.addWidget(self.said)
        known = next(p for p in parameters(Recording) if p.field == "bpm")
        self.bpm = Gauge(known, 0.0)
        self.bpm.moved.connect(lambda value: self.tempo_set.emit(value, known.text(value)))
        self.bpm.settled.connect(self.settled)
        lines.addWidget(self.bpm)
        self._found = 0.0
        row = QHBoxLayout()
        row.setSpacing(5)
        self.half = button("Half", "Half the tempo.", lambda: self._times(0.5))
        self.double = button("Double", "Twice the tempo.", lambda: self._times(2.0))
        self.take = button(
            "To the kit", "The kit's tempo becomes that of the recording.",
            lambda: self.asked.emit("tempo"),
        )  # fmt: skip
        for made in (self.half, self.double, self.take):
            row.addWidget(made)
        row.addStretch(1)
        lines.addLayout(row)
        for texts in (
            (
                ("Keep as pattern", "The hits at exact times, each group on its pad.", "pattern"),
                ("on steps", "The same, each hit drawn to its nearest step.", "steps"),
                ("as feel", "Their timing and strengths, for any lane.", "feel"),
            ),
            (
                ("Write MIDI …", "A Standard MIDI File, a track for each group.", "midi"),
                ("Write hits …", "Each hit as a file of its own.", "write"),
            ),
        ):
            row = QHBoxLayout()
            row.setSpacing(5)
            for text, says, name in texts:
                row.addWidget(button(text, says, partial(self.asked.emit, name)))
            row.addStretch(1)
            lines.addLayout(row)
        switches = {p.field: p for p in parameters(Recording)}
        whole, clean = switches["keeps_whole"], switches["cleans"]
        self.whole = toggle("the whole recording", whole.says, whole.label)
        self.cleans = toggle("hum and rumble cut", clean.says, clean.label)
        self.cleans.clicked.connect(self.cleaning_chosen)
        self.whole.clicked.connect(self.whole_chosen)
        lines.addStretch(1)
        outer.addWidget(scrolled(lines), 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 2, 12, 8)
        foot.setSpacing(6)
        self.send = button(
            "Send groups to pads", _SENDS,
            lambda: self.asked.emit("send"),
        )  # fmt: skip
        self.send.setObjectName("primary")
        self.order = button(
            "In order", "Each hit on a pad of its own, with a pattern that plays the recording.",
            lambda: self.asked.emit("order"),
        )  # fmt: skip
        foot.addWidget(self.send)
        foot.addWidget(self.order)
        foot.addStretch(1)
        kept = QHBoxLayout()
        kept.setContentsMargins(12, 2, 12, 0)
        kept.setSpacing(6)
        kept.addWidget(label("Sent:", "soft"))
        kept.addWidget(self.whole)
        kept.addWidget(self.cleans)
        kept.addStretch(1)
        outer.addLayout(kept)
        outer.addLayout(foot)
        self.setLayout(outer)

    def _times(self, factor: float) -> None:
        if self._found > 0.0:
            value = min(400.0, self._found * factor)
            self.tempo_set.emit(value, f"{value:.2f} bpm")
            self.settled.emit()

    def show_cutter(self, cutter: Cutter, groups: int) -> None:
        """The tempo and what can be sent."""
        shown = cutter.recording
        self._found = cutter.tempo.bpm
        if shown is not None:
            self.bpm.set_value(shown.bpm)
            self.whole.setChecked(shown.keeps_whole)
            self.cleans.setChecked(shown.cleans)
        self.said.setText(_told(cutter))
        for made in (self.half, self.double, self.take):
            made.setEnabled(self._found > 0.0)
        words = {0: "groups", 1: "one group"}.get(groups, f"{groups} groups")
        self.send.setText(f"Send {words} to pads")
        self.send.setEnabled(groups > 0)
        self.order.setEnabled(cutter.cut is not None and len(cutter.cut) > 0)


def _told(cutter: Cutter) -> str:
    cut, shown, beats = cutter.cut, cutter.recording, cutter.beats
    if cut is None or shown is None:
        return "The tempo follows once the hits are found."
    if cutter.tempo.bpm <= 0.0:
        return "Too few hits to tell a tempo; type it if you know it."
    seconds = cut.frames / cut.rate_hz - cutter.tempo.downbeat_s
    bars = seconds * cutter.tempo.bpm / 240.0
    count = f"{round(bars)} bars" if bars >= 1.5 else "one bar"
    said = f"{cutter.tempo.bpm:.2f} bpm, {count} from {clock(cutter.tempo.downbeat_s, 2)}"
    if shown.bpm > 0.0:
        return f"{said}, as you set it."
    if not cutter.tempo.fits:
        return f"Perhaps {said}: hardly any tempo fits. Type it if there is one."
    sure = "surely" if beats is not None and beats.sure > 0.7 else "likely"
    return f"{said}, {sure}."
