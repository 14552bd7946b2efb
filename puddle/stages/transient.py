"""Transient: more or less attack, more or less of what rings, whatever the level.

Two followers of the level that rise at different speeds stand apart while a hit begins; two that
fall at different speeds stand apart while it rings. Each pair's distance in dB, up to 9 dB, is
how much of its gain acts: nothing depends on how loud the hit is. What lies below and above the
range passes round it, so that both add up to the input.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, ClassVar

from puddle.parameter import number, switch
from puddle.stages.process import Process, pole_of, smoothing

if TYPE_CHECKING:
    import numpy as np

_FAST_MS = 0.25


class Transient(Process, frozen=True, tag="transient", kw_only=True):
    """Harder or softer at its start, longer or shorter behind."""

    noun: ClassVar[str] = "transient"

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
        number("Only above", 20, 4000, "Hz", "What lies under it is untouched.", log=True),
    ] = 150.0
    below_on: Annotated[bool, switch("Only below", "Leaves the top as it is.")] = False
    below_hz: Annotated[
        float,
        number("Only below", 200, 20000, "Hz", "What lies over it is untouched.", log=True),
    ] = 6000.0

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.gating`."""
        import numpy as np

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

    def entry(self) -> int:
        """The transient's loop."""
        from puddle.stages.entries import transient_entry

        return int(transient_entry.address)
