"""Transient: more or less attack, more or less of what rings, whatever the level.

Two followers of the level that rise at different speeds stand apart while a hit begins; two that
fall at different speeds stand apart while it rings. Each pair's distance in dB, up to 9 dB, is
how much of its gain acts: nothing depends on how loud the hit is. What lies below and above the
range passes round it, so that both add up to the input.
"""

import math
from functools import cache
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import Process, pole_of, smoothing
from puddle.units import gain_from_db

_FAST_MS = 0.25
_SPAN_DB = 9.0
_LEAST = 1e-5
_DRAWN_HZ = 4000.0


class Transient(Process, frozen=True, tag="transient", kw_only=True):
    """Harder or softer at its start, longer or shorter behind."""

    noun: ClassVar[str] = "transient"
    compiled: ClassVar[str] = "gating.transient_entry"

    attack_db: Annotated[
        float, number("Attack", -18, 18, "dB", "More snaps, less sinks back in the mix.")
    ] = 6.0
    sustain_db: Annotated[
        float, number("Sustain", -24, 24, "dB", "More lets the tail ring, less dries it up.")
    ] = 0.0
    reaction_ms: Annotated[
        float,
        number(
            "Reaction",
            2,
            100,
            "ms",
            "How long the start of a hit is: short is the click, long the whole knock.",
            log=True,
        ),
    ] = 15.0
    above_on: Annotated[bool, switch("Only above", "Leaves the bottom as it is.")] = False
    above_hz: Annotated[
        float,
        number("Above", 20, 4000, "Hz", "What lies under it is untouched.", log=True),
    ] = 150.0
    below_on: Annotated[bool, switch("Only below", "Leaves the top as it is.")] = False
    below_hz: Annotated[
        float,
        number("Below", 200, 20000, "Hz", "What lies over it is untouched.", log=True),
    ] = 6000.0

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.gating`."""
        return np.array(
            [
                self.attack_db,
                self.sustain_db,
                smoothing(_FAST_MS, rate_hz),
                smoothing(self.reaction_ms, rate_hz),
                smoothing(3.0 * self.reaction_ms, rate_hz),
                smoothing(20.0 * self.reaction_ms, rate_hz),
                float(self.above_on),
                pole_of(self.above_hz, rate_hz),
                float(self.below_on),
                pole_of(self.below_hz, rate_hz),
            ]
        )

    def cells(self, rate_hz: float) -> int:
        """Followers and filters."""
        return 13

    def picture(self, rate_hz: float) -> Picture:
        """A hit of 400 ms before, behind, and after it: the followers of `kernels.gating`."""
        floor, whole_ms = -48.0, 240.0
        before = [(2.0 * n, -60.0 * 2.0 * n / 400.0) for n in range(121)]
        turned = self.gains_db()
        every = round(_DRAWN_HZ / 500.0)
        after = [
            (ms, min(18.0, max(floor, level + gain)))
            for (ms, level), gain in zip(before, turned[::every], strict=True)
        ]
        handles = (
            Handle("attack", 0.0, self.attack_db, upwards=Pull("attack_db")),
            Handle(
                "reaction",
                self.reaction_ms,
                after[min(120, round(self.reaction_ms / 2.0))][1],
                across=Pull("reaction_ms"),
            ),
        )
        axes = Axis(0.0, whole_ms, "ms"), Axis(floor, 18.0, "dB")
        return Picture("curve", "level", tuple(after), *axes, (tuple(before),), handles)

    def gains_db(self) -> list[float]:
        """The gain over the hit that is drawn, after silence, at `_DRAWN_HZ`: the kernel's loop."""
        fast, slow, sink, linger = self.coefficients(_DRAWN_HZ)[2:6].tolist()
        quick = late = short = long = smooth = 0.0
        gains = []
        for level in _drawn():
            quick = level + (fast if level > quick else sink) * (quick - level)
            late = quick + (slow if quick > late else sink) * (late - quick)
            short = level if level > short else level + sink * (short - level)
            long = short if short > long else short + linger * (long - short)
            rise = _share((quick + _LEAST) / (late + _LEAST))
            ring = _share((long + _LEAST) / (short + _LEAST))
            wanted = self.attack_db * rise + self.sustain_db * ring * (1.0 - rise)
            smooth = wanted + fast * (smooth - wanted)
            gains.append(smooth)
        return gains


@cache
def _drawn() -> list[float]:
    """The level of the hit that is drawn, linear."""
    count = round(0.24 * _DRAWN_HZ) + 1
    return [gain_from_db(-150.0 * n / _DRAWN_HZ) for n in range(count)]


def _share(ratio: float) -> float:
    """How much of a gain acts for two followers that stand apart."""
    return min(1.0, max(0.0, 20.0 * math.log10(ratio) / _SPAN_DB))
