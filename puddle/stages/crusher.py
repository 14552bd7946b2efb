"""Crusher: fewer bits, a lower rate, and nothing smoothed.

Samples are rounded to 2^(bits − 1) steps between 0 and full scale and held until the lower rate
asks for the next one. What folds back is the sound of it.
"""

import math
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number
from puddle.picture import Axis, Picture
from puddle.stages.process import Process


class Crusher(Process, frozen=True, tag="crusher", kw_only=True):
    """Bit depth and sample rate reduction."""

    noun: ClassVar[str] = "crusher"
    compiled: ClassVar[str] = "plain.crush_entry"

    bits: Annotated[
        float, number("Depth", 1, 16, "bit", "Fewer are rougher, and swallow what is soft.")
    ] = 12.0
    crushed_hz: Annotated[
        float,
        number(
            "Rate",
            200,
            48000,
            "Hz",
            "How often a new sample is taken: lower folds more of the top back down.",
            log=True,
            decimals=0,
        ),
    ] = 12000.0

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """Quantization steps, and the held rate as a share of the frame rate."""
        return np.array([2.0 ** (self.bits - 1.0), min(1.0, self.crushed_hz / rate_hz)])

    def cells(self, rate_hz: float) -> int:
        """The phase of the sample-and-hold, and its two held samples."""
        return 3

    def picture(self, rate_hz: float) -> Picture:
        """Two milliseconds of a sine of 1 kHz, and what becomes of them."""
        steps, rate = 2.0 ** (self.bits - 1.0), min(rate_hz, self.crushed_hz) / 1000.0
        before, after = [], []
        for n in range(201):
            ms = n / 100.0
            before.append((ms, 100.0 * math.sin(2.0 * math.pi * ms)))
            held = math.sin(2.0 * math.pi * math.floor(ms * rate + 1e-9) / rate)
            crushed = 100.0 * math.floor(held * steps + 0.5) / steps
            after.append((ms, min(100.0, max(-100.0, crushed))))
        axes = Axis(0.0, 2.0, "ms"), Axis(-100.0, 100.0, "%")
        return Picture("curve", "wave", tuple(after), *axes, (tuple(before),))
