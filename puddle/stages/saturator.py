"""Saturator: a curve at five times the rate, as loud as before, and clean where it should be.

The middle of the spectrum goes through one of five curves f(g x), with g the drive: *round*
x / √(1 + x²), *cubic* (3 x − x³) / 2 up to full scale, *hard* (a straight line, then flat),
*uneven* (round, with its zero moved by 0.6: even harmonics) and *fold* sin(π x / 4). The curve is
averaged between neighboring samples (see `kernels.shaping`) at five times the rate, the fold is
taken at fifteen times (see `kernels.folding`), so that what they make does not fold back: aliases
of a sine of up to 15 kHz lie some 60 dB down, whatever the drive. Its gain is such that a sine of
−12 dBFS keeps its level. What lies below and above two frequencies (two one-poles each) goes round
the curve, delayed alike, so that both add up to the input where nothing is bent; the tone is a
tilt around 1 kHz, behind the curve.
"""

import math
from functools import lru_cache
from typing import Annotated, ClassVar, Literal

import numpy as np

from puddle.parameter import choice, number, switch
from puddle.picture import Axis, Picture
from puddle.stages.process import Process, pole_of
from puddle.units import gain_from_db

_CURVES = ("round", "cubic", "hard", "uneven", "fold")
_REFERENCE = 0.25
_TILT_HZ = 1000.0
_DC_HZ = 5.0


class Saturator(Process, frozen=True, tag="saturator", kw_only=True):
    """Oversampled waveshaper with a tilt behind it."""

    noun: ClassVar[str] = "saturator"
    compiled: ClassVar[str] = "saturation.saturate_entry"
    structural: ClassVar[tuple[str, ...]] = ("shape",)

    shape: Annotated[
        Literal["round", "cubic", "hard", "uneven", "fold"],
        choice(
            "Curve",
            "Round is soft everywhere, cubic firmer, hard only bends peaks; uneven adds even "
            "harmonics, fold turns the wave back on itself.",
        ),
    ] = "round"
    drive_db: Annotated[
        float, number("Drive", 0, 36, "dB", "How far into the curve the hit is pushed.")
    ] = 9.0
    tone_db: Annotated[
        float,
        number("Tone", -12, 12, "dB", "Tilts what was bent: darker below zero, brighter above."),
    ] = 0.0
    below_on: Annotated[bool, switch("Clean below", "Leaves the bottom as it is.")] = False
    below_hz: Annotated[
        float,
        number(
            "Below",
            20,
            2000,
            "Hz",
            "What lies under it is not bent: the bottom stays round.",
            log=True,
            decimals=0,
        ),
    ] = 120.0
    above_on: Annotated[bool, switch("Clean above", "Leaves the top as it is.")] = False
    above_hz: Annotated[
        float,
        number(
            "Above",
            500,
            20000,
            "Hz",
            "What lies over it is not bent: the top stays clear.",
            log=True,
            decimals=0,
        ),
    ] = 5000.0

    def curve(self, x: float) -> float:
        """What becomes of a value, with the level brought back."""
        return self.match() * _bent(self.shape, gain_from_db(self.drive_db) * x)

    def match(self) -> float:
        """The gain that gives a sine of −12 dBFS its level back."""
        return _match(self.shape, self.drive_db)

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.saturation`."""
        return np.array(
            [
                _CURVES.index(self.shape),
                gain_from_db(self.drive_db),
                self.match(),
                float(self.below_on),
                pole_of(self.below_hz, rate_hz),
                float(self.above_on),
                pole_of(self.above_hz, rate_hz),
                gain_from_db(-0.5 * self.tone_db),
                gain_from_db(0.5 * self.tone_db),
                pole_of(_TILT_HZ, rate_hz),
                pole_of(_DC_HZ, rate_hz),
            ]
        )

    def cells(self, rate_hz: float) -> int:
        """Filter states, ring buffers, and scratch at the higher rate."""
        from puddle.kernels.saturation import SATURATION_CELLS

        return SATURATION_CELLS

    def latency_frames(self, rate_hz: float) -> int:
        """The delay of the oversampling filters."""
        from puddle.kernels.oversampling import OVER_LATENCY

        return OVER_LATENCY

    def tail_ms(self) -> float:
        """Until the filters have rung out."""
        return 60.0

    def picture(self, rate_hz: float) -> Picture:
        """The curve, from full scale to full scale, and the straight line behind it."""
        axis = Axis(-100.0, 100.0, "%")
        match, drive = self.match(), gain_from_db(self.drive_db)
        points = [
            (float(x), 100.0 * match * _bent(self.shape, drive * x / 100.0))
            for x in range(-100, 101, 2)
        ]
        held = tuple((x, min(100.0, max(-100.0, y))) for x, y in points)
        straight = ((-100.0, -100.0), (100.0, 100.0))
        return Picture("curve", "out", held, axis, axis, (straight,))


@lru_cache(256)
def _match(shape: str, drive_db: float) -> float:
    drive = gain_from_db(drive_db)
    count = 256
    values = [
        _bent(shape, drive * _REFERENCE * math.sin(2.0 * math.pi * (n + 0.5) / count))
        for n in range(count)
    ]
    mean = sum(values) / count
    power = sum((v - mean) ** 2 for v in values) / count
    return _REFERENCE / math.sqrt(2.0 * power)


def _bent(shape: str, x: float) -> float:
    """`kernels.shaping.curve` in plain Python: drawn and matched before any kernel is loaded."""
    if shape == "round":
        return x / math.sqrt(1.0 + x * x)
    if shape == "cubic":
        u = min(1.0, max(-1.0, x))
        return u * (1.5 - 0.5 * u * u)
    if shape == "hard":
        return min(1.0, max(-1.0, x))
    if shape == "uneven":
        u = x + 0.6
        return u / math.sqrt(1.0 + u * u) - 0.6 / math.sqrt(1.36)
    return math.sin(0.25 * math.pi * x)
