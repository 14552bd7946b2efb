"""Where hits begin in a recording: one, several as in a flam, or a busy loop.

The rise of the level in bands of a twelfth of an octave, summed: log-band spectral flux, in which a
band is compared with the highest of itself and its neighbors a moment ago, so that what bends its
pitch is not taken for a hit (S. Böck and G. Widmer, *Maximum filter vibrato suppression for onset
detection*, DAFx-13). Where the flux peaks a hit is looked for to the frame: where the power of the
next milliseconds stands highest over that of those before.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from puddle.measure.envelope import mono_of
from puddle.wanted import checkpoint

_WINDOW_S = 0.0213
_HOP_S = 0.003
_LAG = 4  # hops from what is compared to what it is compared with
_PER_OCTAVE = 12
_LOWEST_HZ, _HIGHEST_HZ = 40.0, 17000.0
_COMPRESSION = 3000.0  # of levels against the loudest: what lies 70 dB under it counts little
_LEAST = 0.04  # of the flux, over its mean around
_AROUND_S = 0.1
_APART_S = 0.025
_QUIET = 0.01  # of the loudest
_PART_S = 2.0  # of a long recording at a time
_BEFORE_S, _AFTER_S = 0.015, 0.020  # around a peak of the flux, where its hit is looked for
_RISING_S, _RESTING_S = 0.0025, 0.005
_FOOT = 0.1  # of the steepest slope right after it: there a hit begins
_FLOOR = 1e-4  # of the highest power around


def onsets(audio: np.ndarray, rate_hz: float) -> list[int]:
    """Frames at which hits begin in float32 (frames, channels), rising; none in silence.

    What sounds has one at least: where it begins, however slowly.
    """
    mono = mono_of(audio)
    loudest = float(np.abs(mono).max(initial=0.0))
    if loudest <= 0.0 or not np.isfinite(loudest):
        return []
    flux, hop, size = _flux(mono.astype(np.float32), rate_hz)
    found: list[int] = []
    for place in _peaks(flux, hop, rate_hz):
        # The flux of a hop says that something rose since `_LAG` hops before.
        start = _rise(mono, place * hop - size // 2 - _LAG * hop // 2, rate_hz)
        heard = np.abs(mono[start : start + round(_AFTER_S * rate_hz)]).max(initial=0.0)
        apart = not found or start - found[-1] >= _APART_S * rate_hz
        if apart and heard > _QUIET * loudest:
            found.append(start)
    return found or [int(np.argmax(np.abs(mono) > 0.1 * loudest))]


def _flux(mono: np.ndarray, rate_hz: float) -> tuple[np.ndarray, int, int]:
    """The mean rise of the bands by hops, how long a hop is, and the window, in frames.

    Hop n looks at the frames from n hops less a window on: there is silence before the first.
    """
    size = 1 << round(np.log2(_WINDOW_S * rate_hz))
    hop = max(1, round(_HOP_S * rate_hz))
    bands, window = _bands(size, rate_hz), np.hanning(size).astype(np.float32)
    padded = np.pad(mono, (size, size))
    frames = np.lib.stride_tricks.sliding_window_view(padded, size)[::hop]
    step = max(1, round(_PART_S * rate_hz / hop))
    parts = []
    for n in range(0, frames.shape[0], step):
        checkpoint()
        spectra = np.abs(np.fft.rfft(frames[n : n + step] * window, axis=1))
        parts.append(spectra.astype(np.float32) @ bands)
    levels = np.concatenate(parts)
    levels = np.log10(1.0 + _COMPRESSION * levels / max(float(levels.max()), 1e-20))
    before = levels.copy()
    before[:, 1:] = np.maximum(before[:, 1:], levels[:, :-1])
    before[:, :-1] = np.maximum(before[:, :-1], levels[:, 1:])
    rise = np.maximum(levels[_LAG:] - before[:-_LAG], 0.0).mean(axis=1)
    return np.concatenate([np.zeros(_LAG), rise])[: levels.shape[0]], hop, size


@lru_cache(16)
def _bands(size: int, rate_hz: float) -> np.ndarray:
    """Triangles over the bins of a spectrum, (bins, bands), each of sum 1; no two alike."""
    highest = min(_HIGHEST_HZ, 0.45 * rate_hz)
    count = max(3, int(np.log2(highest / _LOWEST_HZ) * _PER_OCTAVE) + 1)
    edges = np.geomspace(_LOWEST_HZ, highest, count)
    hz = np.fft.rfftfreq(size, 1.0 / rate_hz)
    rows: list[np.ndarray] = []
    for low, middle, high in zip(edges, edges[1:], edges[2:], strict=False):
        row = np.clip(
            np.minimum((hz - low) / (middle - low), (high - hz) / (high - middle)), 0, None
        )
        if row.sum() > 0.0:  # low bands may lie between two bins
            row /= row.sum()
            if not rows or not np.array_equal(row, rows[-1]):
                rows.append(row)
    return np.array(rows, np.float32).T if rows else np.ones((hz.size, 1), np.float32) / hz.size


def _peaks(flux: np.ndarray, hop: int, rate_hz: float) -> list[int]:
    """Hops at which the flux is the highest around, and stands over its mean."""
    near = max(1, round(0.5 * _APART_S * rate_hz / hop))
    wide = max(1, round(_AROUND_S * rate_hz / hop))
    shifted = np.pad(flux, near)
    highest = np.lib.stride_tricks.sliding_window_view(shifted, 2 * near + 1).max(axis=1)
    sums = np.concatenate([[0.0], np.cumsum(np.pad(flux, wide))])
    mean = (sums[2 * wide + 1 :] - sums[: -2 * wide - 1]) / (2 * wide + 1)
    return [int(n) for n in np.flatnonzero((flux == highest) & (flux > mean + _LEAST))]


def _rise(mono: np.ndarray, center: int, rate_hz: float) -> int:
    """The frame around a place at which the power rises the most, of the wave's slope."""
    first = max(0, center - round(_BEFORE_S * rate_hz))
    part = mono[first : max(0, center) + round(_AFTER_S * rate_hz)]
    rising, resting = round(_RISING_S * rate_hz), round(_RESTING_S * rate_hz)
    if part.size <= 2 * rising:
        return max(0, min(center, mono.size - 1))
    # The slope lets a stick be seen in a low tone; before the part there is what there was.
    before = mono[first - 1] if first > 0 else 0.0
    power = np.square(np.diff(part, prepend=before))
    sums = np.concatenate([[0.0], np.cumsum(power)])
    n = np.arange(part.size - rising)
    after = (sums[n + rising] - sums[n]) / rising
    kept = np.minimum(n, resting)
    rest = np.where(kept > 0, (sums[n] - sums[n - kept]) / np.maximum(kept, 1), 0.0)
    floor = _FLOOR * float(power.max()) + 1e-14
    start = rising if first > 0 else 0  # too few frames before the first say nothing of rest
    steep = np.log((after + floor) / (rest + floor)) * np.power(after, 0.125)
    at = start + int(np.argmax(steep[start:]))
    level = np.sqrt(power[at : at + rising])
    return first + at + int(np.argmax(level > _FOOT * float(level.max())))
