"""Band compressor: three bands that sum flat, each turned down over one level and up under another.

Linkwitz-Riley crossovers of 24 dB an octave part the spectrum; the lowest band also goes through
the allpass of the upper crossover, so that the three add up to an allpass: every level is as it
was while nothing acts. In each band what is over *above* is turned down, and what is under
*below* turned up (by at most 24 dB, and not what is near −75 dB), by the same slope 1 − 1 /
ratio; one depth for all says how much of it is heard. Levels are peaks that fall with time
constants of 40, 12 and 4 ms. Gains are smoothed in dB by one-poles. A key is parted by the same
crossovers, and each band then follows the key's.
"""

import math
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number
from puddle.picture import Axis, Handle, Picture, Pull
from puddle.stages.process import Process, smoothing

_Q = math.sqrt(0.5)
_FOLLOWED_MS = (40.0, 12.0, 4.0)  # how slowly the followers of the bands' levels fall


def _above(part: str) -> object:
    return number("Above", -60, 0, "dB", "What is louder is turned down.", part=part)


def _below(part: str) -> object:
    return number("Below", -72, 0, "dB", "What is softer is turned up.", part=part)


def _gain(part: str) -> object:
    return number("Gain", -18, 18, "dB", "How loud the band is at full depth.", part=part)


class BandCompressor(Process, frozen=True, tag="bands", kw_only=True):
    """Three-band upward and downward compressor."""

    noun: ClassVar[str] = "band compressor"
    compiled: ClassVar[str] = "bands.bands_entry"
    keyable: ClassVar[bool] = True
    blends: ClassVar[bool] = True

    depth: Annotated[
        float,
        number("Depth", 0, 100, "%", "How much of all that is heard.", decimals=0, part="All"),
    ] = 60.0
    ratio: Annotated[
        float,
        number("Ratio", 1, 20, ":1", "How much levels are drawn together.", log=True, part="All"),
    ] = 4.0
    attack_ms: Annotated[
        float,
        number("Attack", 0.1, 100, "ms", "How fast it turns down.", log=True, part="All"),
    ] = 8.0
    release_ms: Annotated[
        float,
        number("Release", 5, 1000, "ms", "How fast it lets go.", log=True, decimals=0, part="All"),
    ] = 90.0
    low_hz: Annotated[
        float,
        number(
            "Low to middle",
            40,
            800,
            "Hz",
            "Where both bands meet.",
            log=True,
            decimals=0,
            part="All",
        ),
    ] = 160.0
    high_hz: Annotated[
        float,
        number(
            "Middle to high",
            1000,
            12000,
            "Hz",
            "Where both bands meet.",
            log=True,
            decimals=0,
            part="All",
        ),
    ] = 3200.0
    low_above_db: Annotated[float, _above("Low")] = -18.0
    low_below_db: Annotated[float, _below("Low")] = -42.0
    low_gain_db: Annotated[float, _gain("Low")] = 0.0
    mid_above_db: Annotated[float, _above("Middle")] = -20.0
    mid_below_db: Annotated[float, _below("Middle")] = -42.0
    mid_gain_db: Annotated[float, _gain("Middle")] = 0.0
    high_above_db: Annotated[float, _above("High")] = -24.0
    high_below_db: Annotated[float, _below("High")] = -45.0
    high_gain_db: Annotated[float, _gain("High")] = 0.0

    def levels(self) -> tuple[tuple[float, float, float], ...]:
        """For each band where it is turned down, where up, and its gain, in dB."""
        return (
            (self.low_above_db, self.low_below_db, self.low_gain_db),
            (self.mid_above_db, self.mid_below_db, self.mid_gain_db),
            (self.high_above_db, self.high_below_db, self.high_gain_db),
        )

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """Without a dry blend."""
        return self.blended_coefficients(rate_hz, 0.0, 1.0)

    def blended_coefficients(self, rate_hz: float, dry: float, entered: float) -> np.ndarray:
        """In the order of `kernels.bands`; what is blended in is the bands as they came."""
        low, high = self.low_hz, max(self.high_hz, 1.25 * self.low_hz)
        rows = [
            *[_section(low, rate_hz, "low")] * 2,
            *[_section(low, rate_hz, "high")] * 2,
            _section(high, rate_hz, "all"),
            *[_section(high, rate_hz, "low")] * 2,
            *[_section(high, rate_hz, "high")] * 2,
        ]
        slope = 1.0 - 1.0 / self.ratio
        rest = [
            self.depth / 100.0,
            slope,
            slope,
            smoothing(self.attack_ms, rate_hz),
            smoothing(self.release_ms, rate_hz),
            1.0 - dry,
            dry / entered,
        ]
        bands = [
            [*levels, smoothing(ms, rate_hz) ** 2]
            for levels, ms in zip(self.levels(), _FOLLOWED_MS, strict=True)
        ]
        return np.concatenate([np.ravel(rows), rest, np.ravel(bands)])

    def cells(self, rate_hz: float) -> int:
        """The key; filters, gains, and the deepest of them."""
        from puddle.kernels.bands import BAND_CELLS
        from puddle.kernels.keys import KEY_CELLS

        return KEY_CELLS + BAND_CELLS

    def tail_ms(self) -> float:
        """Until the crossovers have rung out."""
        return min(400.0, 8000.0 / self.low_hz)

    def picture(self, rate_hz: float) -> Picture:
        """What leaves for what comes in: the middle band, and the others behind it."""
        axis = Axis(-72.0, 6.0, "dB")
        low, mid, high = (
            tuple((x, self.out_db(x, band)) for x in [-72.0 + n for n in range(79)])
            for band in range(3)
        )
        handles = (
            Handle(
                "above",
                self.mid_above_db,
                self.out_db(self.mid_above_db, 1),
                Pull("mid_above_db"),
            ),
            Handle(
                "below",
                self.mid_below_db,
                self.out_db(self.mid_below_db, 1),
                Pull("mid_below_db"),
            ),
        )
        return Picture("curve", "out", mid, axis, axis, (low, high), handles)

    def out_db(self, level_db: float, band: int) -> float:
        """A steady level of a band as it leaves; as `kernels.bands.band_gain_db`."""
        above, below, gain = self.levels()[band]
        slope = 1.0 - 1.0 / self.ratio
        lift = min(24.0, slope * max(0.0, below - level_db))
        lift *= min(1.0, max(0.0, (level_db + 75.0) / 15.0))
        turned = lift - slope * max(0.0, level_db - above) + gain
        return level_db + self.depth / 100.0 * turned

    def reduction_cell(self) -> int | None:
        """The deepest gain, already in dB."""
        from puddle.kernels.bands import BAND_DEEPEST
        from puddle.kernels.keys import KEY_CELLS

        return KEY_CELLS + BAND_DEEPEST

    def reduction_db(self, cell: float) -> float:
        """The cell is in dB already."""
        return cell


def _section(hz: float, rate_hz: float, kind: str) -> tuple[float, ...]:
    """A second-order Butterworth section, or the allpass with its poles."""
    w = 2.0 * math.pi * min(hz, 0.45 * rate_hz) / rate_hz
    c, alpha = math.cos(w), math.sin(w) / (2.0 * _Q)
    a0, a1, a2 = 1.0 + alpha, -2.0 * c, 1.0 - alpha
    if kind == "all":
        top = (a2, a1, a0)
    elif kind == "low":
        top = ((1.0 - c) / 2.0, 1.0 - c, (1.0 - c) / 2.0)
    else:
        top = ((1.0 + c) / 2.0, -(1.0 + c), (1.0 + c) / 2.0)
    return (*(v / a0 for v in top), a1 / a0, a2 / a0)
