"""Crusher: fewer bits, a lower rate, and nothing smoothed.

Samples are rounded to 2^(bits − 1) steps between 0 and full scale and held until the lower rate
asks for the next one. What folds back is the sound of it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, ClassVar

from puddle.parameter import number
from puddle.stages.process import Process

if TYPE_CHECKING:
    import numpy as np


class Crusher(Process, frozen=True, tag="crusher", kw_only=True):
    """Coarse and grainy."""

    noun: ClassVar[str] = "crusher"

    bits: Annotated[
        float, number("Bits", 1, 16, "", "Fewer are rougher, and swallow what is soft.")
    ] = 8.0
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
        """Steps, and new samples for each frame."""
        import numpy as np

        return np.array([2.0 ** (self.bits - 1.0), min(1.0, self.crushed_hz / rate_hz)])

    def cells(self, rate_hz: float) -> int:
        """The phase and what is held."""
        return 3

    def entry(self) -> int:
        """The crusher's loop."""
        from puddle.stages.entries import crush_entry

        return int(crush_entry.address)
