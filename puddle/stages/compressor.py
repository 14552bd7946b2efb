"""Compressor: feed-forward, soft knee, decibel-domain attack and release.

The gain computer and the smoothing are those of Giannoulis, Massberg and Reiss, *Digital Dynamic
Range Compressor Design — A Tutorial and Analysis*, JAES 60 (2012); see `kernels.dynamics`. Attack
and release are the time constants of a one-pole: the reduction has gone 63 % of its way.
"""

from typing import Annotated, ClassVar, Literal

import numpy as np

from puddle.parameter import choice, number
from puddle.picture import Handle, Picture, Pull
from puddle.stages.process import LEVELS, Process, smoothing
from puddle.units import gain_from_db

_RMS_MS = 10.0


class Compressor(Process, frozen=True, tag="compressor", kw_only=True):
    """Feed-forward compressor with a soft knee."""

    noun: ClassVar[str] = "compressor"
    compiled: ClassVar[str] = "dynamics.compress_entry"
    keyable: ClassVar[bool] = True

    threshold_db: Annotated[
        float, number("Threshold", -60, 0, "dB", "Over this level the compressor turns down.")
    ] = -18.0
    ratio: Annotated[
        float,
        number(
            "Ratio",
            1,
            20,
            ":1",
            "How much of what is over the threshold is kept: 4 : 1 keeps a quarter of it.",
            log=True,
        ),
    ] = 4.0
    knee_db: Annotated[
        float,
        number(
            "Knee", 0, 24, "dB", "How gradually it sets in around the threshold: wide is gentle."
        ),
    ] = 6.0
    attack_ms: Annotated[
        float,
        number(
            "Attack",
            0.05,
            200,
            "ms",
            "How fast it turns down: slow attacks let the transient through.",
            log=True,
        ),
    ] = 12.0
    release_ms: Annotated[
        float,
        number(
            "Release",
            5,
            2000,
            "ms",
            "How fast it lets go: be done before the next hit.",
            log=True,
            decimals=0,
        ),
    ] = 90.0
    makeup_db: Annotated[float, number("Make-up", -12, 24, "dB", "Gain after the reduction.")] = 0.0
    detector: Annotated[
        Literal["peak", "RMS"],
        choice("Listens to", "Peak follows every wave; RMS follows what the ear calls loud."),
    ] = "peak"

    def gain_db(self, level_db: float) -> float:
        """The static curve: output level in dB for a steady input level, without make-up."""
        slope = 1.0 - 1.0 / self.ratio
        over = level_db - self.threshold_db
        if 2.0 * abs(over) < self.knee_db:
            return level_db - slope * (over + self.knee_db / 2.0) ** 2 / (2.0 * self.knee_db)
        return level_db - slope * max(0.0, over)

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.dynamics`."""
        return np.array(
            [
                self.threshold_db,
                1.0 - 1.0 / self.ratio,
                self.knee_db,
                smoothing(self.attack_ms, rate_hz),
                smoothing(self.release_ms, rate_hz),
                gain_from_db(self.makeup_db),
                smoothing(_RMS_MS, rate_hz) if self.detector == "RMS" else 0.0,
            ]
        )

    def cells(self, rate_hz: float) -> int:
        """The key; power, reduction, deepest reduction, and a quantum of scratch."""
        from puddle.kernels.dynamics import COMPRESSOR_CELLS
        from puddle.kernels.keys import KEY_CELLS

        return KEY_CELLS + COMPRESSOR_CELLS

    def picture(self, rate_hz: float) -> Picture:
        """What leaves for what comes in, and what would leave untouched."""
        points = tuple((x, self.gain_db(x)) for x in [-60.0 + n for n in range(61)])
        straight = ((-60.0, -60.0), (0.0, 0.0))
        handle = Handle(
            "threshold", self.threshold_db, self.gain_db(self.threshold_db), Pull("threshold_db")
        )
        return Picture("curve", "out", points, LEVELS, LEVELS, (straight,), (handle,))

    def reduction_cell(self) -> int | None:
        """The deepest reduction, already in dB."""
        from puddle.kernels.dynamics import DEEPEST
        from puddle.kernels.keys import KEY_CELLS

        return KEY_CELLS + DEEPEST

    def reduction_db(self, cell: float) -> float:
        """The cell is in dB already."""
        return cell
