"""How alike two one-shots are: a row of figures for each, and the distance between rows.

The figures are what listeners tell one-shots apart by: the energy by band of the whole sound, of
its first 12 ms and of its tail; how its level falls; its pitch, length, rise, noisiness and center
of gravity. Level does not count. They are decorrelated by the covariance of small changes of one
sound (zero-phase whitening; A. Kessy, A. Lewin and K. Strimmer, *Optimal whitening and
decorrelation*, 2018), so that what differs between takes of one drum counts little;
`tools/likeness_fit.py` measures that covariance on our voices with their gauges moved. The distance
is the sum of absolute differences.
"""

from __future__ import annotations

import math
from functools import lru_cache
from pathlib import Path

import numpy as np

from puddle.measure.envelope import mono_of, outline

WHITENING = Path(__file__).with_name("likeness.npy")
_LONGEST_S = 3.0
_ONSET = 0.02  # of the peak
_FLOOR_DB = -60.0
_LOWEST_HZ, _HIGHEST_HZ = 40.0, 18000.0
_BANDS = (18, 4, 4)  # of the whole, of the first moment, of the tail
_FIRST_S, _TAIL_S = 0.012, (0.08, 0.5)
_FALL_S = np.concatenate([[0.0], 0.0015 * 1.5 ** np.arange(18)])  # edges of stretches of time
_FIGURES = 9
WIDTH = sum(_BANDS) + _FALL_S.size - 1 + _FIGURES


def likeness_row(audio: np.ndarray, rate_hz: float, pitch_hz: float | None) -> np.ndarray:
    """The row of float32 (frames, channels) with a known pitch: float32 (WIDTH,).

    Zeros for silence.
    """
    return np.asarray(raw_figures(audio, rate_hz, pitch_hz) @ whitening(), np.float32)


@lru_cache(1)
def whitening() -> np.ndarray:
    """The matrix that decorrelates figures: float32 (WIDTH, WIDTH), symmetric."""
    found: np.ndarray = np.load(WHITENING, allow_pickle=False)
    return found


def raw_figures(audio: np.ndarray, rate_hz: float, pitch_hz: float | None) -> np.ndarray:
    """The figures before they are decorrelated: float32 (WIDTH,); levels in 9 dB."""
    level = outline(audio[: round(10.0 * _LONGEST_S * rate_hz)])
    peak = float(level.max(initial=0.0))
    if peak <= 0.0 or not math.isfinite(peak):
        return np.zeros(WIDTH, np.float32)
    start = int(np.argmax(level > _ONSET * peak))
    part = audio[start : start + round(_LONGEST_S * rate_hz)]
    mono = (mono_of(part) / peak).astype(np.float32)
    if float(np.abs(mono).max()) < 1e-3:  # both sides cancel
        mono = (part[:, 0] / peak).astype(np.float32)
    power = _power(mono)
    stretches = (
        mono[: round(_FIRST_S * rate_hz)],
        mono[round(_TAIL_S[0] * rate_hz) : round(_TAIL_S[1] * rate_hz)],
    )
    whole, *parts = _BANDS
    found = [_levels(power, whole, rate_hz)]
    found += [_levels(_power(s), n, rate_hz) for s, n in zip(stretches, parts, strict=True)]
    found += [_fall(mono, rate_hz), _figures(mono, power, rate_hz, pitch_hz)]
    return np.concatenate(found).astype(np.float32)


def _power(mono: np.ndarray) -> np.ndarray:
    """The power spectrum over a power of two, at least 4096."""
    from scipy import fft

    from puddle.kernels.spectra import power_of

    spectrum = fft.rfft(mono, 1 << max(12, (mono.size - 1).bit_length()))
    return np.asarray(power_of(spectrum))


@lru_cache(64)
def _places(size: int, bands: int, rate_hz: float) -> np.ndarray:
    """The first bin of each band, evenly spaced in octaves, and the one behind the last."""
    edges = np.geomspace(_LOWEST_HZ, _HIGHEST_HZ, bands + 1)
    places = np.ceil(edges * 2 * (size - 1) / rate_hz).astype(np.int64)
    return np.asarray(np.minimum(places, size - 1))


def _in_db(shares: np.ndarray) -> np.ndarray:
    """Shares of 1 as levels above the floor, in 9 dB."""
    return np.asarray(10.0 * np.log10(shares + 10.0 ** (_FLOOR_DB / 10.0)) / 9.0)


def _levels(power: np.ndarray, bands: int, rate_hz: float) -> np.ndarray:
    """The energy of each band against that of all."""
    from puddle.kernels.spectra import sums_between

    sums = sums_between(power, _places(power.size, bands, rate_hz))
    return _in_db(sums / max(float(sums.sum()), 1e-12))


def _fall(mono: np.ndarray, rate_hz: float) -> np.ndarray:
    """Mean powers of stretches of time against the loudest of them."""
    from puddle.kernels.spectra import sums_between

    edges = np.round(_FALL_S * rate_hz).astype(np.int64)
    power = np.square(mono[: edges[-1]], dtype=np.float64)
    means = sums_between(power, np.minimum(edges, mono.size)) / np.maximum(np.diff(edges), 1)
    return _in_db(means / max(float(means.max()), 1e-12))


def _figures(
    mono: np.ndarray, power: np.ndarray, rate_hz: float, pitch_hz: float | None
) -> np.ndarray:
    """Lengths, rise, center and width of the spectrum and pitch in octaves; noisiness; crest."""
    from puddle.kernels.spectra import center_and_width, energy_reached

    per_bin = rate_hz / (2 * (power.size - 1))
    center, width = (per_bin * bins for bins in center_and_width(power))
    half, most = energy_reached(mono, np.array([0.5, 0.9])) / rate_hz
    rise = float(np.argmax(np.abs(mono))) / rate_hz
    crest = -0.5 * math.log2(float(np.square(mono, dtype=np.float64).mean()) + 1e-12)
    return np.array(
        [
            1.2 * math.log2(0.005 + most),
            0.8 * math.log2(0.002 + half),
            0.5 * math.log2(0.001 + rise),
            math.log2(max(center, 20.0)),
            0.5 * math.log2(max(width, 20.0)),
            _flatness(power, per_bin),
            0.5 * crest,
            math.log2(pitch_hz) if pitch_hz else 0.0,
            2.0 if pitch_hz else 0.0,
        ]
    )


def _flatness(power: np.ndarray, per_bin: float) -> float:
    """log10 of the geometric over the arithmetic mean from 200 Hz to 12 kHz, by eight bins."""
    first, last = (math.ceil(hz / per_bin) for hz in (200.0, 12000.0))
    count = (min(last, power.size) - first) // 8
    if count < 1:
        return 0.0
    total = max(float(power.sum(dtype=np.float64)), 1e-12)
    bins = power[first : first + 8 * count].reshape(count, 8).mean(axis=1) + 1e-12 * total
    return float(np.log10(bins).mean() - np.log10(bins.mean()))
