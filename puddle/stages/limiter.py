"""Limiter: look-ahead, to a true-peak ceiling.

Peaks between the samples are found by eight-phase interpolation, twice as fine as in BS.1770-4
annex 2; the gain that each needs is held over the look-ahead, released, and averaged over the
look-ahead, so that it is low enough when the peak arrives and never jumps. See
`kernels.limiting.limit`.
"""

import math
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import Process
from puddle.units import SILENCE_DB, gain_from_db


class Limiter(Process, frozen=True, tag="limiter", kw_only=True):
    """Look-ahead limiter to a true-peak ceiling."""

    noun: ClassVar[str] = "limiter"
    compiled: ClassVar[str] = "limiting.limit_entry"
    structural: ClassVar[tuple[str, ...]] = ("lookahead_ms",)

    ceiling_db: Annotated[
        float,
        number(
            "Ceiling",
            -24,
            0,
            "dBTP",
            "The highest true peak that leaves; −1 dBTP survives lossy encoding.",
        ),
    ] = -1.0
    lookahead_ms: Annotated[
        float,
        number(
            "Look-ahead",
            0.2,
            5,
            "ms",
            "How long before a peak it starts to turn down: longer is smoother, and later.",
            log=True,
            decimals=2,
        ),
    ] = 1.5
    release_ms: Annotated[
        float,
        number("Release", 2, 1000, "ms", "How fast it lets go after a peak.", log=True, decimals=0),
    ] = 60.0

    def _window(self, rate_hz: float) -> int:
        return max(4, round(self.lookahead_ms / 1000.0 * rate_hz))

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """Ceiling, release pole, look-ahead in frames, number of cells."""
        from puddle.kernels.limiting import LIMITER_MARGIN

        return np.array(
            [
                gain_from_db(self.ceiling_db) * LIMITER_MARGIN,
                math.exp(-1000.0 / (self.release_ms * rate_hz)),
                self._window(rate_hz),
                self.cells(rate_hz),
            ]
        )

    def cells(self, rate_hz: float) -> int:
        """Rings for the delay, the peaks' queue and the average."""
        from puddle.kernels.limiting import limiter_cells

        return limiter_cells(self._window(rate_hz))

    def latency_frames(self, rate_hz: float) -> int:
        """The look-ahead and half of the interpolating filter."""
        from puddle.kernels.limiting import limiter_latency

        return limiter_latency(self._window(rate_hz))

    def picture(self, rate_hz: float) -> Picture:
        """Output level over input level."""
        ceiling = self.ceiling_db
        axis = Axis(-24.0, 6.0, "dB")
        points = ((-24.0, -24.0), (ceiling, ceiling), (6.0, ceiling))
        handle = Handle("ceiling", ceiling, ceiling, upwards=Pull("ceiling_db"))
        return Picture("curve", "out", points, axis, axis, handles=(handle,))

    def reduction_cell(self) -> int | None:
        """The deepest 1 - gain."""
        from puddle.kernels.limiting import LIMITER_DEEPEST

        return LIMITER_DEEPEST

    def reduction_db(self, cell: float) -> float:
        """From 1 - gain to dB."""
        gain = 1.0 - cell
        return -20.0 * math.log10(gain) if gain > 1e-6 else -SILENCE_DB
