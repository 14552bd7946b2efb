"""Records an input: a level that is seen before, a threshold to wait for, and the time it runs."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from platformdirs import user_data_path
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QVBoxLayout, QWidget

from puddle.engine.inputs import InputInfo, inputs
from puddle.engine.recorder import Recorder
from puddle.errors import PuddleError
from puddle.parameter import Parameter, Scale
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, label, restyle
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.meter import Meter
from puddle.window.widgets.recording_span import clock

_TICK_MS = 40
_THRESHOLD = Parameter(
    "threshold", "Waits for", -90.0, -6.0, -90.0, "dB", Scale.LINEAR, 0,
    "It begins with the first sound over this level; at its lowest at once.", "", "number",
)  # fmt: skip
_OVER = "It comes to full scale: turn the input down, or hits are clipped."


def recordings_folder() -> Path:
    """Where recordings go."""
    return user_data_path("puddle") / "recordings"


class RecordDialog(QDialog):
    """Chooses an input, shows its level, and records it."""

    def __init__(
        self, session: Session, done: Callable[[Path], None], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Record")
        self.setMinimumWidth(440)
        self._session, self._done = session, done
        self._recorder: Recorder | None = None
        self._inputs: list[InputInfo] = inputs()
        lines = QVBoxLayout(self)
        lines.setSpacing(8)
        self.choice = QComboBox()
        self.choice.setAccessibleName("Input")
        self.choice.setToolTip("Which input is recorded, its first two channels.")
        self.choice.addItems([i.name for i in self._inputs])
        default = next((n for n, i in enumerate(self._inputs) if i.default), 0)
        self.choice.setCurrentIndex(default)
        self.choice.activated.connect(lambda _: self._listen())
        lines.addWidget(self.choice)
        middle = QHBoxLayout()
        self.meter = Meter()
        self.meter.setAccessibleName("Input level")
        self.meter.setToolTip("The input's peak in dBFS. Click to clear the figure.")
        middle.addWidget(self.meter)
        column = QVBoxLayout()
        self.time = label("0:00.0", "title")
        column.addWidget(self.time)
        self.said = label("", "soft")
        self.said.setWordWrap(True)
        column.addWidget(self.said, 1)
        middle.addLayout(column, 1)
        lines.addLayout(middle)
        self.threshold = Gauge(_THRESHOLD, _THRESHOLD.default)
        self.threshold.moved.connect(self.threshold.set_value)
        lines.addWidget(self.threshold)
        row = QHBoxLayout()
        row.addStretch(1)
        self.record = button("Record", "Begins, or ends and brings it to Cut.", self.toggle)
        self.record.setObjectName("primary")
        row.addWidget(self.record)
        row.addWidget(button("Close", "Ends without a recording, if none runs.", self.close))
        lines.addLayout(row)
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._timer.start()
        self._listen()

    @property
    def recording(self) -> bool:
        """Whether it is being recorded, or waits for the first sound."""
        return self._recorder is not None and self._recorder.path is not None

    def _info(self) -> InputInfo:
        return self._inputs[self.choice.currentIndex()]

    def _begin(self, path: Path | None, threshold: float | None) -> bool:
        self._end()
        rate = float(self._session.settings.rate_hz)
        try:
            self._recorder = Recorder(self._info(), rate, path, threshold)
        except PuddleError as error:
            self._say(str(error), warning=True)
            return False
        return True

    def _listen(self) -> None:
        """Shows the level, and records nothing yet."""
        if not self.recording and self._begin(None, None):
            self._say("Play as loud as you will: the level should stay under full scale.")

    def toggle(self) -> None:
        """Begins, or ends."""
        if self.recording:
            self._stop()
            return
        stamp = time.strftime("%Y-%m-%d %H.%M.%S")
        path = recordings_folder() / f"recording {stamp}.wav"
        level = self.threshold.value
        if self._begin(path, level if level > _THRESHOLD.low else None):
            self.record.setText("Stop")
            self.choice.setEnabled(False)

    def _stop(self) -> None:
        path = self._end()
        self.record.setText("Record")
        self.choice.setEnabled(True)
        if path is not None:
            self._done(path)
            self.close()
        else:
            self._listen()
            self._say("Nothing came over the threshold: no file was made.")

    def _end(self) -> Path | None:
        recorder, self._recorder = self._recorder, None
        return recorder.stop() if recorder is not None else None

    def _say(self, text: str, *, warning: bool = False) -> None:
        self.said.setText(text)
        restyle(self.said, "warning" if warning else "soft")

    def _tick(self) -> None:
        if self._recorder is None:
            return
        state = self._recorder.state()
        self.meter.feed(*state.peaks)
        self.time.setText(clock(state.seconds))
        if state.ended:
            why = state.ended
            if self.recording:
                self._stop()
                self._session.told.emit(f"{why} What was recorded is kept.")
            else:
                self._end()
                self._say(why, warning=True)
        elif state.clipped:
            self._say(_OVER, warning=True)
        elif self.recording:
            waits = "It waits for the first sound over the threshold."
            self._say(waits if state.waiting else f"Into {self._recorder.path}")

    def done(self, result: int) -> None:
        """What was recorded is kept, however it is closed, and brought to Cut."""
        self._timer.stop()
        path = self._end()
        if path is not None:
            self._done(path)
        super().done(result)
