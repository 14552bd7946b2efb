"""What a one-shot's role is told by: how its energy is shared out over the bands, how long it stays
in each, how noisy each is, what is strongest and what is settled as a pitch.

Times are log2 of ms and one, so that 0 is a time of none; frequencies are log2 of Hz; shares of the
energy are log10. Level does not count.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from puddle.measure.pitch import Pitch
from puddle.measure.spectrum import WholeSpectrum, fast_size

NAMES = (
    "rise",  # until it is the loudest
    "length",  # until nine tenths of the energy have come
    "fall",  # from the loudest until it stays 20 dB under that
    *(f"share under {hz} Hz" for hz in (90, 180, 400, 1000, 2500, 5000, 10000)),
    "share above",
    *(f"noise to {hz} Hz" for hz in (600, 2500, 6000, 12000)),  # dB of flatness; -3 is noise
    *(f"stay to {hz} Hz" for hz in (300, 1500, 6000)),  # until nine tenths of that band have come
    "stay above",
    "strongest",  # the sixth octave that has the most
    "lowest",  # the first that has 6 % of that
    "peak",  # dB of the strongest against all
    "first",  # center of gravity of the first 25 ms
    "late",  # and of what comes after 60 ms
    "pitch",  # 0 where none is settled
    "confidence",  # 0 to 1
)
_SHARES_HZ = np.array([20.0, 90.0, 180.0, 400.0, 1000.0, 2500.0, 5000.0, 10000.0, 24000.0])
_NOISE_HZ = ((150.0, 600.0), (400.0, 2500.0), (2000.0, 6000.0), (5000.0, 12000.0))
_STAY_HZ = ((20.0, 300.0), (300.0, 1500.0), (2000.0, 6000.0), (6000.0, 20000.0))
_SIXTHS = np.arange(56) / 6.0 + math.log2(30.0)  # to 17.5 kHz
_LONGEST_S = 6.0
_ONSET = 0.05  # of the peak
_STEP_S = 0.002
_NOISE_S = 0.15
_FIRST_S, _LATE_S, _LATE_FOR_S = 0.025, 0.06, 0.08
_WINDOW_S = 0.0116  # of short spectra, half of it apart
_AT_ONCE = 32  # short spectra: what they take stays near the processor
_REST = 0.01  # of the peak: what is softer is a room's noise


def traits(whole: WholeSpectrum, pitch: Pitch) -> np.ndarray | None:
    """The figures that `NAMES` names: float32 (26,); None in silence and where it is not finite."""
    mono = whole.mono[: round(_LONGEST_S * whole.rate_hz)]
    peak = float(np.abs(mono).max(initial=0.0))
    if peak <= 1e-6 or not math.isfinite(peak):
        return None
    mono = mono[int(np.argmax(np.abs(mono) > _ONSET * peak)) :] / peak
    first, late = _centers(mono, whole.rate_hz)
    found = [
        *_times(mono, whole.rate_hz),
        *_shares(whole),
        *_noises(mono[: round(_NOISE_S * whole.rate_hz)], whole.rate_hz),
        *_stays(mono, whole.rate_hz),
        *_strongest(whole),
        first,
        late,
        math.log2(pitch.hz) if pitch.hz else 0.0,
        pitch.confidence,
    ]
    return np.array(found, np.float32)


def _in_octaves(ms: float) -> float:
    return math.log2(1.0 + ms)


def _times(mono: np.ndarray, rate_hz: float) -> tuple[float, float, float]:
    """Rise, length and fall."""
    from puddle.kernels.spectra import energy_reached

    length_ms = 1000.0 * float(energy_reached(mono, np.array([0.9]))[0]) / rate_hz
    step = max(1, round(_STEP_S * rate_hz))
    levels = np.add.reduceat(np.square(mono), np.arange(0, mono.size, step))
    loudest = int(np.argmax(levels))
    over = np.flatnonzero(levels >= 0.01 * levels[loudest])
    step_ms = 1000.0 * step / rate_hz
    fall_ms = step_ms * (int(over[-1]) + 1 - loudest)
    return _in_octaves(step_ms * loudest), _in_octaves(length_ms), _in_octaves(fall_ms)


def _shares(whole: WholeSpectrum) -> np.ndarray:
    from puddle.kernels.spectra import sums_between

    sums = sums_between(whole.power, whole.first_bins(_SHARES_HZ))
    return np.asarray(np.log10(sums / max(float(sums.sum()), 1e-30) + 1e-5))


def _power(part: np.ndarray, window: np.ndarray) -> np.ndarray:
    """The power spectrum of what lies under a window: float32 (bins,)."""
    from scipy import fft

    from puddle.kernels.spectra import power_of

    return np.asarray(power_of(fft.rfft(part * window, fast_size(part.size))))


@lru_cache(64)
def _hann(frames: int) -> np.ndarray:
    """float32: in double precision, short spectra would take twice as long."""
    return np.hanning(frames).astype(np.float32)


@lru_cache(64)
def _falling(frames: int) -> np.ndarray:
    """The second half of a Hann window."""
    return np.hanning(2 * frames)[frames:].astype(np.float32)


def _noises(part: np.ndarray, rate_hz: float) -> list[float]:
    """The flatness of each band of the beginning, which falls off like half a Hann window."""
    power = _power(part, _falling(part.size))
    per_bin = rate_hz / (2 * (power.size - 1))
    power += 1e-12 * power.max()
    found = []
    for low, high in _NOISE_HZ:
        inside = power[int(low / per_bin) : int(high / per_bin)]
        mean = float(inside.mean()) if inside.size else 0.0
        flat = float(np.log10(inside).mean()) - math.log10(mean) if mean > 0.0 else 0.0
        found.append(10.0 * flat)
    return found


def _stays(mono: np.ndarray, rate_hz: float) -> list[float]:
    """Until nine tenths of each band's energy have come, by short spectra."""
    from scipy import fft

    from puddle.kernels.spectra import band_energies_of

    size = fast_size(max(16, round(_WINDOW_S * rate_hz)))
    hop = size // 2
    padded = np.zeros(mono.size + 2 * size, np.float32)
    padded[hop : hop + mono.size] = mono
    rows = np.lib.stride_tricks.sliding_window_view(padded, size)[::hop]
    firsts, lasts = _short_bands(size, rate_hz)
    energies = np.concatenate([
        band_energies_of(fft.rfft(rows[n : n + _AT_ONCE] * _hann(size)), firsts, lasts)
        for n in range(0, rows.shape[0], _AT_ONCE)
    ])  # fmt: skip
    come = np.cumsum(energies, axis=0)
    rows_to = np.argmax(come >= 0.9 * come[-1], axis=0).tolist()
    return [_in_octaves(1000.0 * hop * row / rate_hz) for row in rows_to]


@lru_cache(16)
def _short_bands(size: int, rate_hz: float) -> tuple[np.ndarray, np.ndarray]:
    """The first bin of each band in short spectra, and the one behind its last: int64."""
    bins = np.ceil(np.array(_STAY_HZ) * size / rate_hz).astype(np.int64)
    low, high = np.minimum(bins, size // 2 + 1).T
    return np.ascontiguousarray(low), np.ascontiguousarray(high)


def _strongest(whole: WholeSpectrum) -> tuple[float, float, float]:
    """The strongest sixth octave, the lowest that is strong, and how strong the first is."""
    from puddle.kernels.spectra import sums_between

    at = _SIXTHS[: np.searchsorted(_SIXTHS, math.log2(0.45 * whole.rate_hz))]
    edges = 2.0 ** np.append(at - 1.0 / 12.0, at[-1] + 1.0 / 12.0)
    sums = sums_between(whole.power, whole.first_bins(edges))
    best = int(np.argmax(sums))
    lowest = int(np.argmax(sums > 0.06 * sums[best]))
    share = float(sums[best]) / max(float(sums.sum()), 1e-30)
    return float(at[best]), float(at[lowest]), 10.0 * math.log10(max(share, 1e-10))


def _centers(mono: np.ndarray, rate_hz: float) -> tuple[float, float]:
    """Centers of gravity of the first moment and of what comes later, if anything does."""
    late = mono[round(_LATE_S * rate_hz) :][: round(_LATE_FOR_S * rate_hz)]
    first = _center(mono[: round(_FIRST_S * rate_hz)], rate_hz) or 10.0
    return first, _center(late, rate_hz) or first


def _center(part: np.ndarray, rate_hz: float) -> float | None:
    from puddle.kernels.spectra import center_and_width

    if part.size < 64 or float(np.abs(part).max()) < _REST:
        return None
    power = _power(part, _hann(part.size))
    hz = float(center_and_width(power)[0]) * rate_hz / (2 * (power.size - 1))
    return math.log2(max(20.0, hz))
