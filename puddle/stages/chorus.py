"""Chorus: three copies a side, each now a little earlier, now later; also a widener.

Each copy is read from a ring 12 ms later, and by a sine of the depth earlier and later, a third
of a turn apart; on the right the sines run ahead by up to a quarter of a turn. With little depth
and all of the spread it widens without a waver.
"""

import math
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import Process

_MIDDLE_MS = 12.0
_RING_MS = 26.0


class Chorus(Process, frozen=True, tag="chorus", kw_only=True):
    """Modulated delays beside the input."""

    noun: ClassVar[str] = "chorus"
    compiled: ClassVar[str] = "delays.chorus_entry"
    starts_dry: ClassVar[float] = 70.0

    speed_hz: Annotated[
        float, number("Speed", 0.05, 8, "Hz", "How fast the copies waver.", log=True, decimals=2)
    ] = 0.6
    depth_ms: Annotated[float, number("Depth", 0, 10, "ms", "How far they waver.", decimals=2)] = (
        2.0
    )
    spread: Annotated[
        float,
        number("Spread", 0, 100, "%", "How much both sides differ: this widens.", decimals=0),
    ] = 100.0

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.delays`."""
        per_ms = rate_hz / 1000.0
        return np.array(
            [
                _MIDDLE_MS * per_ms,
                self.depth_ms * per_ms,
                self.speed_hz / rate_hz,
                self.spread / 100.0,
                float(self._span(rate_hz)),
            ]
        )

    def _span(self, rate_hz: float) -> int:
        return round(_RING_MS / 1000.0 * rate_hz)

    def cells(self, rate_hz: float) -> int:
        """One ring buffer for each side."""
        from puddle.kernels.delays import chorus_cells

        found: int = chorus_cells(self._span(rate_hz))
        return found

    def tail_ms(self) -> float:
        """The longest delay, and the fade after it."""
        return _RING_MS + 12.0

    def picture(self, rate_hz: float) -> Picture:
        """How late the three copies on the left are, over two turns."""
        whole_s = 2.0 / self.speed_hz
        copies = tuple(
            tuple(
                (
                    1000.0 * whole_s * n / 80.0,
                    _MIDDLE_MS + self.depth_ms * math.sin(2.0 * math.pi * (n / 40.0 + k / 3.0)),
                )
                for n in range(81)
            )
            for k in range(3)
        )
        axes = Axis(0.0, 1000.0 * whole_s, "ms"), Axis(0.0, 24.0, "ms")
        top = Handle(
            "depth",
            125.0 * whole_s,
            _MIDDLE_MS + self.depth_ms,
            upwards=Pull("depth_ms", offset=_MIDDLE_MS),
        )
        return Picture("curve", "late", copies[0], *axes, copies[1:], (top,))
