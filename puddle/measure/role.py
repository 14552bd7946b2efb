"""The likely drum role of a sound: rules of the trade over where its energy lies in time and pitch.

Each rule is a product of soft conditions, 0 to 1, and the role whose rule fits best is taken. What
counts is how the energy is shared out over five bands, how fast it comes and goes, how noisy the
middle of the spectrum is, whether there is a settled pitch, and how far the first moment lies over
it. The lowest mode of a cymbal is measured as a pitch and is none to the ear: a pitch counts only
where the spectrum is no noise.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from puddle.measure.spectrum import WholeSpectrum, fast_size

Role = Literal["kick", "snare", "clap", "hat", "cymbal", "tom", "percussion", "bass", "effect"]

_EDGES_HZ = np.array([20.0, 120.0, 500.0, 2000.0, 6000.0, 24000.0])
_LONGEST_S = 6.0
_FIRST_S, _LATE_S, _LATE_FOR_S = 0.025, 0.060, 0.080
_NOISY_HZ = (400.0, 9000.0)
_NOISY_S = 0.150
_REST_S, _REST_LEVEL = 0.1, 0.02  # the end: a room's noise if it lies under -34 dB
_ROOM_TIMES = 5.0  # what is under that is taken for the room's
_STEP_S = 0.004
_NEAR_BINS, _ROOM_BINS = 5, 201  # that a mean is taken over


@dataclass(frozen=True, slots=True)
class Traits:
    """What the rules look at. Shares of the energy add up to 1; times and notes are log2."""

    sub: float  # share under 120 Hz
    low: float  # to 500 Hz
    mid: float  # to 2 kHz
    high: float  # to 6 kHz
    air: float  # above
    rise: float  # log2 of ms until it is the loudest, and one
    length: float  # log2 of ms until nine tenths of the energy have come
    first: float  # log2 of the first 25 ms' center of gravity in Hz
    late: float  # the same of what comes after 60 ms, if anything does
    noisy: float  # dB of flatness from 400 Hz to 9 kHz: -3 is noise, -40 single tones
    note: float | None  # log2 of the settled pitch in Hz


def traits(whole: WholeSpectrum, hz: float | None) -> Traits | None:
    """Of a sound whose settled pitch is known; None in silence."""
    from puddle.kernels.spectra import energy_reached, sums_between

    rate_hz = whole.rate_hz
    mono = whole.mono[: round(_LONGEST_S * rate_hz)]
    peak = float(np.abs(mono).max(initial=0.0))
    if peak <= 1e-6 or not np.isfinite(peak):
        return None
    mono = mono[int(np.argmax(np.abs(mono) > 0.05 * peak)) :] / peak
    power = np.square(mono)
    length_ms = 1000.0 * float(energy_reached(mono, np.array([0.9]))[0]) / rate_hz
    step = max(1, round(_STEP_S * rate_hz))
    levels = np.add.reduceat(power, np.arange(0, power.size, step))
    rise_ms = 1000.0 * _STEP_S * float(np.argmax(levels))
    sums = sums_between(whole.power, whole.first_bins(_EDGES_HZ)).tolist()
    total = max(sum(sums), 1e-30)
    sub, low, mid, high, air = (share / total for share in sums)
    late = mono[round(_LATE_S * rate_hz) :][: round(_LATE_FOR_S * rate_hz)]
    first = _center(mono[: round(_FIRST_S * rate_hz)], rate_hz)
    return Traits(
        sub=sub,
        low=low,
        mid=mid,
        high=high,
        air=air,
        rise=math.log2(1.0 + rise_ms),
        length=math.log2(max(1.0, length_ms)),
        first=first if first is not None else 10.0,
        late=_center(late, rate_hz) or first or 10.0,
        noisy=_noisiness(mono, rate_hz),
        note=math.log2(hz) if hz else None,
    )


def _center(part: np.ndarray, rate_hz: float) -> float | None:
    if part.size < 64 or float(np.abs(part).max()) < _REST_LEVEL:
        return None  # a room's noise says nothing of the hit
    size = fast_size(2 * part.size)
    power = _hann_power(part, size)
    total = float(power.sum(dtype=np.float64))
    if total <= 1e-18:
        return None
    hz = float(power @ np.fft.rfftfreq(size, 1.0 / rate_hz)) / total
    return math.log2(max(20.0, hz))


def _hann_power(part: np.ndarray, size: int) -> np.ndarray:
    """The power spectrum of what lies under a Hann window: float32 (size / 2 + 1,)."""
    from scipy import fft

    from puddle.kernels.spectra import hann, power_of

    shaped = (part * hann(part.size)).astype(np.float32)
    return np.asarray(power_of(fft.rfft(shaped, size)))


def _noisiness(mono: np.ndarray, rate_hz: float) -> float:
    """Flatness of the beginning, without the room's noise where the end is nothing but that."""
    from scipy.ndimage import uniform_filter1d

    part = mono[: round(_NOISY_S * rate_hz)]
    first, last = (round(hz * 16384 / rate_hz) for hz in _NOISY_HZ)
    power = _hann_power(part, 16384)
    rest = mono[-round(_REST_S * rate_hz) :]
    if mono.size > 3 * part.size and np.abs(rest).max() < _REST_LEVEL:
        room = _hann_power(rest, 16384)
        room = uniform_filter1d(room, _ROOM_BINS, mode="constant") * part.size / rest.size
        power = np.maximum(power - _ROOM_TIMES * room, 0.0)
    inside = uniform_filter1d(power[first:last], _NEAR_BINS, mode="constant")
    mean = float(inside.mean()) if inside.size else 0.0
    if mean <= 1e-20:
        return -100.0
    return 10.0 * (float(np.log10(inside + 1e-10 * mean).mean()) - math.log10(mean))


def _over(value: float, edge: float, soft: float) -> float:
    """Towards 1 over an edge, towards 0 under it, a half there."""
    return 1.0 / (1.0 + math.exp(min(50.0, max(-50.0, (edge - value) / soft))))


def _under(value: float, edge: float, soft: float) -> float:
    return 1.0 - _over(value, edge, soft)


def _near(value: float, center: float, width: float) -> float:
    """1 at the center, falling to e^-1 at a width to either side."""
    return math.exp(-(((value - center) / width) ** 2))


def scores(t: Traits) -> dict[Role, float]:
    """How well each role's rule fits."""
    bottom, top = t.sub + t.low, t.high + t.air
    noisy = _over(t.noisy, -24.0, 5.0)
    pitched = 0.0 if t.note is None else 1.0
    note = t.note if t.note is not None else 6.0
    fall = t.first - note  # octaves of the first moment over the pitch: a beater, a bend
    deep = _over(bottom, 0.7, 0.08)
    brushed = _over(t.late - note, 0.55, 0.15) * _over(top, 0.012, 0.006)
    short = _under(t.length, 8.2, 0.3)
    return {
        "kick": deep
        * _under(note, 6.25, 0.15)
        * _under(t.rise, 4.5, 0.6)
        * (_under(t.length, 7.1, 0.3) if fall < 1.2 else _under(t.length, 8.3, 0.3))
        * (0.35 + 0.65 * _over(fall, 0.45, 0.15))
        * (1.0 if pitched else 0.6 * short),
        "bass": deep
        * pitched
        * _under(note, 7.2, 0.3)
        * _over(t.length + 0.25 * t.rise, 7.2, 0.25)
        * _under(fall, 1.1, 0.15)
        * _under(t.noisy, -20.0, 8.0),
        "tom": deep
        * pitched
        * _near(note, 6.8, 0.85)
        * _near(t.length, 6.6, 1.6)
        * _under(fall, 1.7, 0.25)
        * (1.0 - 0.9 * brushed * _over(note, 6.95, 0.12))
        * (0.45 + 0.55 * _under(t.rise, 3.0, 0.6)),
        "snare": _over(bottom, 0.15, 0.05)
        * _over(note, 6.95, 0.12)
        * _under(note, 8.5, 0.2)
        * (brushed if pitched else 0.8 * noisy * _under(t.air, 0.75, 0.1))
        * _under(t.length, 7.9, 0.4)
        * _over(t.first, 9.0, 0.4)
        * (0.3 + 0.7 * _over(top, 0.03, 0.01)),
        "clap": _over(t.mid + t.high, 0.8, 0.06)
        * _under(bottom, 0.14, 0.03)
        * _under(t.air, 0.16, 0.03)
        * _over(t.noisy, -13.0, 1.5)
        * _under(t.length, 8.0, 0.3)
        * _over(t.length, 2.9, 0.25)
        * _under(t.late - t.first, 0.6, 0.2)
        * (1.0 - 0.8 * _over(t.rise, 4.2, 0.15) * _under(t.rise, 5.3, 0.1)),
        "hat": _over(top, 0.88, 0.03)
        * _over(t.air, 0.33, 0.06)
        * _under(t.length, 8.9, 0.25)
        * _under(t.rise, 3.95, 0.12)
        * _under(t.noisy, -5.0, 0.6),
        "cymbal": _over(t.length, 5.9, 0.2)
        * _over(top, 0.33, 0.04)
        * _over(t.mid, 0.09, 0.02)
        * _under(bottom, 0.25, 0.05)
        * _over(t.late, 10.9, 0.15)
        * _over(t.air, 0.055, 0.01)
        * _under(t.noisy, -7.5, 1.0)
        * (0.7 + 0.3 * pitched),
        "percussion": max(
            pitched * _under(t.noisy, -30.0, 4.0) * _over(note, 7.3, 0.15)
            * (0.45 + 0.55 * _over(note, 7.7, 0.2)),
            0.9 * _over(top, 0.8, 0.05) * _over(t.rise, 3.95, 0.1) * _under(t.noisy, -6.5, 0.8)
            * _over(t.length, 4.5, 0.3) * _under(abs(t.late - t.first), 0.8, 0.15)
            * _under(t.length, 8.2, 0.2),
            0.75 * _over(t.mid, 0.6, 0.06) * _near(t.rise, 4.7, 0.5) * noisy
            * _under(bottom, 0.1, 0.03),
            0.55 * pitched * deep * _under(t.noisy, -30.0, 5.0) * _near(note, 6.7, 0.4)
            * _over(fall, 0.6, 0.15) * _over(note, 6.3, 0.1),
        ),
        "effect": 0.16
        + 0.5 * (1.0 - pitched) * _under(t.noisy, -16.0, 3.0) * _under(t.air, 0.45, 0.05)
        + 0.5 * (1.0 - pitched) * deep * _over(t.length, 8.3, 0.2)
        + 0.5 * (1.0 - pitched) * _over(abs(t.late - t.first), 1.0, 0.2)
        + 0.5 * _over(t.noisy, -4.0, 0.8) * (1.0 - pitched) * _over(t.air, 0.12, 0.05)
        + 0.4 * _over(t.noisy, -7.0, 0.6) * (1.0 - pitched) * _under(t.length, 2.8, 0.2),
    }  # fmt: skip


def likely_role(found: Traits) -> tuple[Role, float]:
    """The role that fits best, and its share of all scores (0 to 1)."""
    every = scores(found)
    best = max(every, key=lambda role: every[role])
    return best, every[best] / sum(every.values())
