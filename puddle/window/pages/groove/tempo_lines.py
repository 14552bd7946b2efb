"""The tempo: tapped, halved and doubled; tempos that are kept; the metronome and the count-in."""

from __future__ import annotations

import time
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from puddle.kit import edits
from puddle.kit.edits import patterns
from puddle.kit.model.document import Kit
from puddle.parameter import Parameter, percent
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, clear, label, toggle
from puddle.window.widgets.fields import Fields
from puddle.window.widgets.flow import Flow
from puddle.window.widgets.gauge import Gauge

_QUANTIZE = percent(
    "quantize",
    "Quantize",
    "How far recorded strokes are drawn to their steps; at 0 they stay where they were heard.",
    100.0,
    zero="as played",
)
_FORGET_S = 2.5  # after so long a pause, tapping begins anew
_FIELDS = ("tempo_bpm", "metronome", "metronome_db", "count_in", "pattern_key")


class Tapped:
    """A tempo from the times of taps: their median distance."""

    def __init__(self) -> None:
        self._times: list[float] = []

    def tap(self, now_s: float) -> float | None:
        """The tempo in bpm so far; None for a first tap."""
        if self._times and now_s - self._times[-1] > _FORGET_S:
            self._times = []
        self._times = [*self._times[-8:], now_s]
        gaps = sorted(b - a for a, b in zip(self._times, self._times[1:], strict=False))
        if not gaps:
            return None
        middle = (
            gaps[len(gaps) // 2]
            if len(gaps) % 2
            else (0.5 * (gaps[len(gaps) // 2 - 1] + gaps[len(gaps) // 2]))
        )
        return 60.0 / max(middle, 0.1)


class TempoLines(QWidget):
    """Rows for the tempo and the metronome."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._tapped = Tapped()
        lines = QVBoxLayout(self)
        lines.setContentsMargins(0, 8, 0, 0)
        lines.setSpacing(4)
        lines.addWidget(label("Tempo and metronome", "title"))
        others = tuple(f for f in Kit.__struct_fields__ if f not in _FIELDS)
        self.fields = Fields(Kit(name=""), self._change, session.settle, leave_out=others)
        lines.addWidget(self.fields)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.tap_button = button("Tap", "Tap the tempo with the mouse, four times.", self.tap)
        row.addWidget(self.tap_button)
        row.addWidget(button("Half", "Half the tempo.", lambda: self.set_tempo(0.5 * self._bpm)))
        row.addWidget(button("Double", "Twice the tempo.", lambda: self.set_tempo(2 * self._bpm)))
        row.addWidget(button("Keep", "Keeps this tempo with the kit, to be tried.", self.keep))
        lines.addLayout(row)
        self.kept = Flow(4)
        lines.addLayout(self.kept)
        self._shown: tuple[Any, ...] = ()
        lines.addWidget(label("Recording", "title"))
        self.quantize = Gauge(_QUANTIZE, session.settings.record_quantize)
        self.quantize.moved.connect(self._set_quantize)
        lines.addWidget(self.quantize)
        self.replaces = toggle(
            "Replace", "What is played takes the place of what the lane had; else it is added."
        )
        self.replaces.setChecked(session.settings.record_replaces)
        self.replaces.clicked.connect(self._set_replaces)
        lines.addWidget(self.replaces)

    def _set_quantize(self, value: float) -> None:
        self.quantize.set_value(value)
        self._session.settings.record_quantize = value

    def _set_replaces(self, on: bool) -> None:
        self._session.settings.record_replaces = on

    @property
    def _bpm(self) -> float:
        return self._session.kit.tempo_bpm

    def show_kit(self) -> None:
        """The kit's values, and a pill for each tempo that is kept."""
        kit = self._session.kit
        self.fields.show_values(kit)
        if kit.tempos == self._shown:
            return
        self._shown = kit.tempos
        clear(self.kept)
        for bpm in kit.tempos:
            says = "Plays at this tempo; with Shift it is no longer kept."
            made = button(f"{bpm:g}", says, partial(self.try_tempo, bpm), name=f"{bpm:g} bpm")
            self.kept.addWidget(made)

    def _change(self, field: str, value: Any, known: Parameter) -> None:
        text = known.text(value) if known.kind != "switch" else ("on" if value else "off")
        self._session.edit(
            f"{known.label} {text}", lambda kit: edits.set_kit(kit, **{field: value}), field
        )

    def set_tempo(self, bpm: float) -> None:
        """Another tempo, where that is in range."""
        if 20.0 <= bpm <= 300.0:
            self._session.edit(
                f"Tempo {bpm:.1f} bpm", lambda kit: edits.set_kit(kit, tempo_bpm=bpm)
            )
        else:
            self._session.told.emit(f"{bpm:.1f} bpm is outside of 20 to 300.")

    def tap(self) -> None:
        """One tap; from the second one on they say a tempo."""
        bpm = self._tapped.tap(time.monotonic())
        if bpm is not None:
            wanted = round(min(300.0, max(20.0, bpm)), 1)
            self._session.edit(
                f"Tempo {wanted:.1f} bpm, tapped",
                lambda kit: edits.set_kit(kit, tempo_bpm=wanted),
                "tapped",
            )

    def keep(self) -> None:
        """Keeps the tempo of now."""
        bpm = self._bpm
        self._session.edit(f"{bpm:g} bpm kept", lambda kit: patterns.keep_tempo(kit, bpm))

    def try_tempo(self, bpm: float) -> None:
        """Plays at a kept tempo; with Shift it is let go."""
        from PyQt6.QtCore import Qt
        from PyQt6.QtWidgets import QApplication

        if QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._session.edit(
                f"{bpm:g} bpm no longer kept", lambda kit: patterns.drop_tempo(kit, bpm)
            )
        else:
            self.set_tempo(bpm)
