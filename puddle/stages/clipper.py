"""Clipper: a ceiling with a knee, at five times the rate.

Up to 1 − s of the ceiling the wave passes, from 1 + s on it is flat, and a parabola joins both:
f(u) = u − (u − 1 + s)² / 4 s. The curve is averaged between neighboring samples at eight times
the rate, like the saturator's. Coming back to the rate rounds off what is square: peaks may then
stand by up to 1 dB over the ceiling, which the limiter can hold.
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number
from puddle.picture import Axis, Picture
from puddle.stages.process import Process
from puddle.units import gain_from_db


class Clipper(Process, frozen=True, tag="clipper", kw_only=True):
    """Oversampled clipper with a soft knee."""

    noun: ClassVar[str] = "clipper"
    compiled: ClassVar[str] = "saturation.clip_entry"

    ceiling_db: Annotated[
        float,
        number("Ceiling", -36, 0, "dBFS", "Where the wave is cut off: shorter peaks, same body."),
    ] = -6.0
    soft: Annotated[
        float,
        number(
            "Softness",
            0,
            100,
            "%",
            "How gradually it sets in: none is a hard edge, all bends from half way on.",
            decimals=0,
        ),
    ] = 20.0

    def curve(self, x: float) -> float:
        """The transfer curve's output for an input."""
        ceiling, soft = gain_from_db(self.ceiling_db), max(1e-3, self._soft())
        u = abs(x) / ceiling
        past = min(2.0 * soft, max(0.0, u - 1.0 + soft))
        bent = ceiling * (min(u, 1.0 + soft) - past * past / (4.0 * soft))
        return bent if x >= 0.0 else -bent

    def _soft(self) -> float:
        return 0.5 * self.soft / 100.0

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """Ceiling and half the width of the knee."""
        return np.array([gain_from_db(self.ceiling_db), self._soft()])

    def cells(self, rate_hz: float) -> int:
        """As many as the saturator's: both share the oversampling filters."""
        from puddle.kernels.saturation import SATURATION_CELLS

        return SATURATION_CELLS

    def latency_frames(self, rate_hz: float) -> int:
        """The delay of the oversampling filters."""
        from puddle.kernels.oversampling import OVER_LATENCY

        return OVER_LATENCY

    def tail_ms(self) -> float:
        """Until the filters have rung out."""
        return 2.0

    def picture(self, rate_hz: float) -> Picture:
        """The curve, from full scale to full scale, and the straight line behind it."""
        axis = Axis(-100.0, 100.0, "%")
        points = tuple((x, 100.0 * self.curve(x / 100.0)) for x in range(-100, 101, 2))
        held = tuple((x, min(100.0, max(-100.0, y))) for x, y in points)
        straight = ((-100.0, -100.0), (100.0, 100.0))
        return Picture("curve", "out", held, axis, axis, (straight,))
