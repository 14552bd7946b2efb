"""Noise: a band of noise under the envelope of the hit.

The level of both sides is followed (attack 0.3 ms, the release that is set) and multiplied with
white noise between two frequencies, each cut by two one-poles. The noise begins alike with every
hit of a one-shot.
"""

import math
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import HEARD, Process, drawn_hz, pole_of, smoothing, spectrum_points
from puddle.units import gain_from_db

_WHITE_RMS = 1.0 / math.sqrt(3.0)


class NoiseFollower(Process, frozen=True, tag="noise", kw_only=True):
    """Band-limited noise under an envelope follower."""

    noun: ClassVar[str] = "noise"
    compiled: ClassVar[str] = "following.noise_entry"

    level_db: Annotated[
        float, number("Level", -48, 12, "dB", "How loud the noise is against the hit.")
    ] = -15.0
    low_hz: Annotated[
        float, number("From", 20, 10000, "Hz", "The bottom of its band.", log=True, decimals=0)
    ] = 2000.0
    high_hz: Annotated[
        float, number("To", 200, 20000, "Hz", "The top of its band.", log=True, decimals=0)
    ] = 12000.0
    release_ms: Annotated[
        float,
        number("Release", 1, 1000, "ms", "How long it lasts when the hit is gone.", log=True),
    ] = 30.0
    seed: Annotated[
        int, number("Seed", 0, 9999, "", "Which of ten thousand noises is used.", decimals=0)
    ] = 1

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """In the order of `kernels.following`."""
        return np.array(
            [
                gain_from_db(self.level_db) / _WHITE_RMS,
                smoothing(0.3, rate_hz),
                smoothing(self.release_ms, rate_hz),
                pole_of(self.high_hz, rate_hz),
                pole_of(self.low_hz, rate_hz),
                float(self.seed) * 7919.0,
            ]
        )

    def cells(self, rate_hz: float) -> int:
        """The envelope, the noise generator's state, and two filters for each channel."""
        from puddle.kernels.following import NOISE_CELLS

        return NOISE_CELLS

    def tail_ms(self) -> float:
        """Until the envelope has fallen by 110 dB."""
        return 12.7 * self.release_ms

    def picture(self, rate_hz: float) -> Picture:
        """The noise's frequency response."""
        hz = drawn_hz()
        low, high = (hz / self.low_hz) ** 2, (hz / self.high_hz) ** 2
        power = (low / (1.0 + low)) ** 2 / (1.0 + high) ** 2
        db = [self.level_db + 10.0 * math.log10(float(p) + 1e-12) for p in power]
        handles = (
            Handle("from", self.low_hz, self.level_db, Pull("low_hz"), Pull("level_db")),
            Handle("to", self.high_hz, self.level_db, Pull("high_hz"), Pull("level_db")),
        )
        points = spectrum_points(hz, db, -60.0)
        return Picture("curve", "noise", points, HEARD, Axis(-60.0, 15.0, "dB"), handles=handles)
