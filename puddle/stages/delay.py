"""Delay: repeats that come round through a tone.

A ring of frames that is read after the time set; what is read goes through a one-pole low-pass
and a low cut, is heard, and goes in again by the feedback. The more it swaps sides, the more the
repeats go from left to right and back. The dry blend says how much of the hit itself is heard.
Counted in steps, the time is steps · 15 000 / tempo ms: a step is a sixteenth of a bar of four
beats. It is four seconds at most.
"""

import math
from typing import Annotated, ClassVar, Literal

import numpy as np

from puddle.parameter import changed, choice, number
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import Process, pole_of

_LONGEST_MS = 4000
_STEP_MS_AT_1_BPM = 15000.0
_LONGEST_TAIL_MS = 20000.0


class Delay(Process, frozen=True, tag="delay", kw_only=True):
    """Feedback delay with filters in its loop."""

    noun: ClassVar[str] = "delay"
    compiled: ClassVar[str] = "delays.delay_entry"
    starts_dry: ClassVar[float] = 70.0
    structural: ClassVar[tuple[str, ...]] = ("counted", "time_ms", "steps")

    counted: Annotated[
        Literal["in ms", "in steps"],
        choice("Counted", "In steps, the repeats keep to the kit's tempo."),
    ] = "in ms"
    time_ms: Annotated[
        float,
        number("Time", 1, _LONGEST_MS, "ms", "Counted in ms: how much later it comes.", log=True),
    ] = 180.0
    steps: Annotated[
        float,
        number(
            "Steps", 0.25, 16, "steps", "Counted in steps: how many sixteenths later.", decimals=2
        ),
    ] = 3.0
    feedback: Annotated[
        float,
        number("Feedback", 0, 95, "%", "How much of each repeat comes round again.", decimals=0),
    ] = 35.0
    high_cut_hz: Annotated[
        float,
        number(
            "High cut", 300, 20000, "Hz", "Each repeat is darker by this.", log=True, decimals=0
        ),
    ] = 6000.0
    low_cut_hz: Annotated[
        float,
        number("Low cut", 10, 2000, "Hz", "Each repeat is thinner by this.", log=True, decimals=0),
    ] = 120.0
    width: Annotated[
        float,
        number("Swap", 0, 100, "%", "How much the repeats go from side to side.", decimals=0),
    ] = 0.0

    def at_tempo(self, bpm: float) -> "Delay":
        """The process with its time in ms, where it was counted in steps."""
        if self.counted == "in ms":
            return self
        return changed(self, counted="in ms", time_ms=self.steps * _STEP_MS_AT_1_BPM / bpm)

    def _span(self, rate_hz: float) -> int:
        return max(1, round(self.time_ms / 1000.0 * rate_hz))

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.delays`."""
        return np.array(
            [
                float(self._span(rate_hz)),
                self.feedback / 100.0,
                pole_of(self.high_cut_hz, rate_hz),
                pole_of(self.low_cut_hz, rate_hz),
                self.width / 100.0,
                float(self.cells(rate_hz)),
            ]
        )

    def cells(self, rate_hz: float) -> int:
        """The ring buffer, and the states of the loop's filters."""
        from puddle.kernels.delays import echo_cells

        return echo_cells(self._span(rate_hz))

    def tail_ms(self) -> float:
        """Until the repeats have fallen by 100 dB, and the low cut has rung out."""
        share = self.feedback / 100.0
        repeats = 1.0 + (5.0 / -math.log10(share) if share > 0.0 else 0.0)
        return min(_LONGEST_TAIL_MS, repeats * self.time_ms + 2000.0 / self.low_cut_hz + 50.0)

    def picture(self, rate_hz: float) -> Picture:
        """The hit and its repeats, over the unit in which they are counted."""
        field, unit = ("time_ms", "ms") if self.counted == "in ms" else ("steps", "steps")
        apart = float(getattr(self, field))
        share = self.feedback / 100.0
        stems = [(0.0, 0.0)]
        level = 0.0
        for n in range(1, 13):
            stems.append((n * apart, level))
            level = level + 20.0 * math.log10(share) if share > 0.0 else -99.0
            if level <= -36.0:
                break
        axes = Axis(0.0, max(2.2 * apart, stems[-1][0] * 1.05), unit), Axis(-36.0, 3.0, "dB")
        handle = Handle("time", apart, 0.0, across=Pull(field))
        return Picture("stems", "repeats", tuple(stems), *axes, handles=(handle,))
