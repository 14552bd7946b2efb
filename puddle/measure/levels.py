"""Levels: peak, true peak, RMS, crest, DC, and loudness as in BS.1770-4."""

from __future__ import annotations

import math

import numpy as np

from puddle.tasks import check_cancelled
from puddle.units import db_from_gain

_BLOCK_S = 0.4
_STEP = 0.25
_ABSOLUTE_GATE = -70.0
_RELATIVE_GATE = -10.0
_OFFSET = -0.691
_PART = 1 << 19  # frames that are filtered in some 10 ms


def peak_dbfs(audio: np.ndarray) -> float:
    """The highest sample of all channels."""
    return db_from_gain(float(np.abs(audio).max(initial=0.0)))


def true_peak_dbtp(audio: np.ndarray) -> float:
    """The highest point at and between samples, by eight-phase interpolation (annex 2)."""
    from puddle.kernels.true_peak import true_peak

    return db_from_gain(float(true_peak(np.ascontiguousarray(audio, np.float32))))


def rms_dbfs(audio: np.ndarray) -> float:
    """Root mean square over the whole and all channels; a full-scale square wave reads 0."""
    return db_from_gain(math.sqrt(float(np.mean(np.square(audio, dtype=np.float64)))))


def dc_offset(audio: np.ndarray) -> float:
    """The channel mean that is furthest from zero, linear."""
    means = [float(channel.mean(dtype=np.float64)) for channel in audio.T]
    return max(means, key=abs)


def k_weighting(rate_hz: float) -> np.ndarray:
    """The two K-weighting biquads (2, 5) at any rate.

    The standard gives coefficients at 48 kHz only; these analog prototypes, through the bilinear
    transform, meet them there: a high shelf of 4 dB at 1,682 Hz and a high-pass at 38 Hz.
    """
    k = math.tan(math.pi * 1681.974450955533 / rate_hz)
    q = 0.7071752369554196
    high = 10.0 ** (3.999843853973347 / 20.0)
    band = high**0.4996667741545416
    a0 = 1.0 + k / q + k * k
    shelf = [
        (high + band * k / q + k * k) / a0,
        2.0 * (k * k - high) / a0,
        (high - band * k / q + k * k) / a0,
        2.0 * (k * k - 1.0) / a0,
        (1.0 - k / q + k * k) / a0,
    ]
    k = math.tan(math.pi * 38.13547087602444 / rate_hz)
    q = 0.5003270373238773
    a0 = 1.0 + k / q + k * k
    high_pass = [1.0, -2.0, 1.0, 2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0]
    return np.array([shelf, high_pass])


def k_weighted(audio: np.ndarray, rate_hz: float) -> np.ndarray:
    """float32 (frames, 2) through the K-weighting."""
    from puddle.kernels.filters import cascade

    out = np.array(audio, np.float32)
    state, sections = np.zeros((2, 4)), k_weighting(rate_hz)
    for start in range(0, out.shape[0], _PART):  # so that long work can be left
        check_cancelled()
        part = out[start : start + _PART]
        cascade(state, sections, part, part.shape[0])
    return out


def loudness_lufs(audio: np.ndarray, rate_hz: float, channels: int = 2) -> float | None:
    """Integrated loudness of float32 (frames, 2); None for silence.

    From 400 ms up it is gated as in BS.1770-4. What is shorter is measured in the one block of
    400 ms that holds the sound and silence after it. `channels` is 1 where both sides hold one
    mono channel, which then counts once.
    """
    from puddle.kernels.spectra import energies_between

    block = round(_BLOCK_S * rate_hz)
    frames = audio.shape[0]
    padded = np.zeros((max(frames, block), 2), np.float32)
    padded[:frames] = audio
    weighted = k_weighted(padded, rate_hz)[:, :channels]
    if frames <= block:
        return _lufs(float(energies_between(weighted, np.array([0, block]))[0]) / block)
    # A block is four steps, so that blocks begin and end on edges of steps.
    step = _STEP * block
    edges = np.round(np.arange(math.floor(frames / step + 1e-9) + 1) * step).astype(np.int64)
    pieces = np.concatenate([[0.0], np.cumsum(energies_between(weighted, edges))])
    powers = (pieces[4:] - pieces[:-4]) / block
    loud = powers[_OFFSET + 10.0 * np.log10(powers + 1e-30) > _ABSOLUTE_GATE]
    if loud.size == 0:
        return None
    gate = _OFFSET + 10.0 * math.log10(float(loud.mean())) + _RELATIVE_GATE
    kept = loud[_OFFSET + 10.0 * np.log10(loud) > gate]
    return _lufs(float(kept.mean()))


def _lufs(power: float) -> float | None:
    return _OFFSET + 10.0 * math.log10(power) if power > 1e-13 else None
