"""Equalizer: low cut, low shelf, four bells, high shelf, high cut.

Shelves and bells are the analog prototypes of R. Bristow-Johnson's *Cookbook formulae for audio EQ
biquad filter coefficients*; cuts are Butterworth high-passes and low-passes of 12 to 48 dB an
octave, as cascades of second-order sections with Q = 1 / (2 cos θ) at the poles' angles. Each
section is matched to its prototype up to 20 kHz (`stages.matched`).
"""

import math
from typing import Annotated, ClassVar, Literal

import numpy as np

from puddle.parameter import choice, number, switch
from puddle.picture import Axis, Picture
from puddle.stages.cascade import matched_cascade
from puddle.stages.matched import Analog, Row, bilinear_section, longest_ring_ms, matched_section
from puddle.stages.process import HEARD, Process, drawn_hz, spectrum_points

Slope = Literal["12 dB/oct", "24 dB/oct", "36 dB/oct", "48 dB/oct"]
_MOST_SECTIONS = 4
SECTIONS = 14
_RINGS_AT_HZ = 48000.0  # a ring lasts as long at every rate

_CUT_ON = "Turns this cut on."
_FREQUENCY = "Where the bell stands."
_GAIN = "How far the bell lifts or cuts."
_WIDTH = "How narrow the bell is: low values color broadly, high ones pick out one ring."


def _bell_hz(part: str) -> object:
    return number("Frequency", 20, 20000, "Hz", _FREQUENCY, log=True, part=part)


def _bell_db(part: str) -> object:
    return number("Gain", -24, 24, "dB", _GAIN, part=part)


def _bell_q(part: str) -> object:
    return number("Width", 0.1, 18, "Q", _WIDTH, log=True, decimals=2, part=part)


class Equalizer(Process, frozen=True, tag="equalizer", kw_only=True):
    """Parametric equalizer of eight bands."""

    noun: ClassVar[str] = "equalizer"
    compiled: ClassVar[str] = "filters.equalize_entry"
    structural: ClassVar[tuple[str, ...]] = (
        "low_cut_on",
        "low_cut_slope",
        "high_cut_on",
        "high_cut_slope",
    )

    low_cut_on: Annotated[bool, switch("Low cut", _CUT_ON, part="Low cut")] = False
    low_cut_hz: Annotated[
        float,
        number(
            "Frequency",
            10,
            2000,
            "Hz",
            "What lies under it is taken away.",
            log=True,
            part="Low cut",
        ),
    ] = 30.0
    low_cut_slope: Annotated[
        Slope, choice("Slope", "How steeply it falls away.", part="Low cut")
    ] = "12 dB/oct"
    low_shelf_db: Annotated[
        float, number("Gain", -24, 24, "dB", "Lifts or lowers the whole bottom.", part="Low shelf")
    ] = 0.0
    low_shelf_hz: Annotated[
        float,
        number(
            "Frequency", 20, 2000, "Hz", "Where the shelf is half way.", log=True, part="Low shelf"
        ),
    ] = 100.0
    bell1_db: Annotated[float, _bell_db("Bell 1")] = 0.0
    bell1_hz: Annotated[float, _bell_hz("Bell 1")] = 110.0
    bell1_q: Annotated[float, _bell_q("Bell 1")] = 1.0
    bell2_db: Annotated[float, _bell_db("Bell 2")] = 0.0
    bell2_hz: Annotated[float, _bell_hz("Bell 2")] = 350.0
    bell2_q: Annotated[float, _bell_q("Bell 2")] = 1.0
    bell3_db: Annotated[float, _bell_db("Bell 3")] = 0.0
    bell3_hz: Annotated[float, _bell_hz("Bell 3")] = 1200.0
    bell3_q: Annotated[float, _bell_q("Bell 3")] = 1.0
    bell4_db: Annotated[float, _bell_db("Bell 4")] = 0.0
    bell4_hz: Annotated[float, _bell_hz("Bell 4")] = 4200.0
    bell4_q: Annotated[float, _bell_q("Bell 4")] = 1.0
    high_shelf_db: Annotated[
        float, number("Gain", -24, 24, "dB", "Lifts or lowers the whole top.", part="High shelf")
    ] = 0.0
    high_shelf_hz: Annotated[
        float,
        number(
            "Frequency",
            500,
            20000,
            "Hz",
            "Where the shelf is half way.",
            log=True,
            part="High shelf",
        ),
    ] = 7000.0
    high_cut_on: Annotated[bool, switch("High cut", _CUT_ON, part="High cut")] = False
    high_cut_hz: Annotated[
        float,
        number(
            "Frequency",
            200,
            20000,
            "Hz",
            "What lies over it is taken away.",
            log=True,
            part="High cut",
        ),
    ] = 16000.0
    high_cut_slope: Annotated[
        Slope, choice("Slope", "How steeply it falls away.", part="High cut")
    ] = "12 dB/oct"

    def sections(self, rate_hz: float) -> np.ndarray:
        """Biquads (14, 5) as b0, b1, b2, a1, a2 with a0 = 1; the identity where nothing acts."""
        rows = [
            *_cut(self.low_cut_on, self.low_cut_hz, self.low_cut_slope, rate_hz, high_pass=True),
            _shelf(self.low_shelf_db, self.low_shelf_hz, rate_hz, low=True),
            _bell(self.bell1_db, self.bell1_hz, self.bell1_q, rate_hz),
            _bell(self.bell2_db, self.bell2_hz, self.bell2_q, rate_hz),
            _bell(self.bell3_db, self.bell3_hz, self.bell3_q, rate_hz),
            _bell(self.bell4_db, self.bell4_hz, self.bell4_q, rate_hz),
            _shelf(self.high_shelf_db, self.high_shelf_hz, rate_hz, low=False),
            *_cut(
                self.high_cut_on, self.high_cut_hz, self.high_cut_slope, rate_hz, high_pass=False
            ),
        ]
        return np.array(rows)

    def response_db(self, hz: np.ndarray, rate_hz: float) -> np.ndarray:
        """The curve: gain in dB at each frequency."""
        z = np.exp(-2j * np.pi * np.asarray(hz, np.float64) / rate_hz)
        total = np.ones_like(z)
        for b0, b1, b2, a1, a2 in self.sections(rate_hz):
            total *= (b0 + b1 * z + b2 * z * z) / (1.0 + a1 * z + a2 * z * z)
        found: np.ndarray = 20.0 * np.log10(np.maximum(np.abs(total), 1e-9))
        return found

    def coefficients(self, rate_hz: float) -> np.ndarray:
        """Five coefficients of each biquad, flattened."""
        return self.sections(rate_hz).ravel()

    def cells(self, rate_hz: float) -> int:
        """Four for each section, and the sections of the quantum before."""
        from puddle.kernels.filters import moving_cells

        found: int = moving_cells(SECTIONS)
        return found

    def tail_ms(self) -> float:
        """Until the slowest section that acts has rung out by 120 dB."""
        return longest_ring_ms(self.sections(_RINGS_AT_HZ), _RINGS_AT_HZ)

    def picture(self, rate_hz: float) -> Picture:
        """The frequency response."""
        hz = drawn_hz()
        db = self.response_db(hz, rate_hz).clip(-18.0, 18.0)
        return Picture(
            "curve", "gain", spectrum_points(hz, db, -18.0), HEARD, Axis(-18.0, 18.0, "dB")
        )


_IDENTITY = (1.0, 0.0, 0.0, 0.0, 0.0)


def _bell(gain_db: float, hz: float, q: float, rate_hz: float) -> Row:
    a = 10.0 ** (gain_db / 40.0)
    bottom = (1.0, 1.0 / (a * q), 1.0)
    return (
        _flat(bottom, hz, rate_hz)
        if gain_db == 0.0
        else matched_section((1.0, a / q, 1.0), bottom, hz, rate_hz)
    )


def _shelf(gain_db: float, hz: float, rate_hz: float, *, low: bool) -> Row:
    a = 10.0 ** (gain_db / 40.0)
    root = math.sqrt(2.0 * a)  # the steepest slope without a hump (cookbook, S = 1)
    tall, small = (a, a * root, a * a), (a, root, 1.0)
    if not low:
        tall, small = tall[::-1], small[::-1]
    if gain_db == 0.0:
        return _flat(small, hz, rate_hz)
    return matched_section(tall, small, hz, rate_hz)


def _flat(bottom: Analog, hz: float, rate_hz: float) -> Row:
    """Lets everything pass, with the poles of a section: what rings in it dies away."""
    return bilinear_section(bottom, bottom, hz, rate_hz)


def _cut(on: bool, hz: float, slope: str, rate_hz: float, *, high_pass: bool) -> list[Row]:
    count = int(slope.split()[0]) // 12 if on else 0
    top = (1.0, 0.0, 0.0) if high_pass else (0.0, 0.0, 1.0)
    angles = [math.pi * (2 * k + 1) / (4 * count) for k in range(count)]
    bottoms = tuple((1.0, 2.0 * math.cos(angle), 1.0) for angle in angles)
    rows = matched_cascade(top, bottoms, hz, rate_hz) if bottoms else ()
    return [*rows] + [_IDENTITY] * (_MOST_SECTIONS - count)
