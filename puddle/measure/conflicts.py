"""Where two sounds crowd one band, and which of them has less to lose there.

In third-octaves and windows of 80 ms, half over each other, the smaller of two energies is what
both want at once. A band is crowded where that is much of what the two have there, and where it is
much of what is heard at all. The one that can give way is the one of whose own energy the band
holds the smaller share.
"""

from __future__ import annotations

from functools import lru_cache

import msgspec
import numpy as np
import scipy.fft

from puddle.measure.bands import THIRDS_HZ

_WINDOW_S = 0.08  # shorter ones would spread a kick's bottom over two octaves
_LONGEST_S = 2.0
_LEAST_SIZE = 4096  # so that a third-octave at 100 Hz holds two bins at 48 kHz
_SHARED = 0.12  # of the energy of both: two that differ by 7 dB
_HEARD_DB = 18.0  # under the loudest band of both
_APART_DB = 8.0  # how far the one that gives way is to lie under the other
_LEAST_CROWD = 0.001
_MOST_BANDS = 3
_AT_ONCE = 64  # windows
_LEAST_CUT_DB, _DEEPEST_CUT_DB = 2.0, 9.0


class Conflict(msgspec.Struct, frozen=True):
    """A crowded band, and the cut that clears it."""

    low_hz: float
    high_hz: float
    gives_way: int  # 0 for the first sound, 1 for the second
    cut_db: float  # below zero
    crowd: float  # the share of all energy that both want at once

    @property
    def center_hz(self) -> float:
        """The middle of the band."""
        return float(np.sqrt(self.low_hz * self.high_hz))

    @property
    def q(self) -> float:
        """The width of a bell that is half its depth at the band's edges."""
        return float(np.clip(self.center_hz / (self.high_hz - self.low_hz), 0.3, 8.0))


def conflicts(first: np.ndarray, second: np.ndarray, rate_hz: float) -> list[Conflict]:
    """Bands that two sounds crowd, float32 (frames, 2) from one moment on; the worst first."""
    return crowding(energies(first, rate_hz), energies(second, rate_hz))


def crowding(a: np.ndarray, b: np.ndarray, gives_way: int | None = None) -> list[Conflict]:
    """The same of what `energies` found of both; `gives_way` where that is settled."""
    windows = min(a.shape[0], b.shape[0])
    both = np.minimum(a[:windows], b[:windows]).sum(axis=0)
    own = a.sum(axis=0), b.sum(axis=0)
    whole = own[0] + own[1]
    total = float(whole.sum())
    if total <= 0.0 or not min(float(own[0].sum()), float(own[1].sum())) > 0.0:
        return []
    heard = whole >= 10.0 ** (-_HEARD_DB / 10.0) * float(whole.max())
    crowded = heard & (both >= _SHARED * whole)
    worst = [_worst_octave(both, first_band, last) for first_band, last in _runs(crowded)]
    found = [_conflict(own, both, *bands, total, gives_way) for bands in worst]
    return sorted((c for c in found if c.crowd >= _LEAST_CROWD), key=lambda c: -c.crowd)


def _worst_octave(both: np.ndarray, first: int, last: int) -> tuple[int, int]:
    """The three bands of a run that are crowded the most: a wider cut would take the sound away."""
    width = min(_MOST_BANDS, last - first)
    sums = [float(both[n : n + width].sum()) for n in range(first, last - width + 1)]
    start = first + int(np.argmax(sums))
    return start, start + width


def _conflict(
    own: tuple[np.ndarray, np.ndarray],
    both: np.ndarray,
    first: int,
    last: int,
    total: float,
    gives_way: int | None,
) -> Conflict:
    here = [float(energies[first:last].sum()) for energies in own]
    shares = [here[n] / float(own[n].sum()) for n in (0, 1)]
    if gives_way is None:
        gives_way = int(np.argmin(shares))
    apart = 10.0 * np.log10(max(here[1 - gives_way], 1e-30) / max(here[gives_way], 1e-30))
    cut = float(np.clip(_APART_DB - apart, _LEAST_CUT_DB, _DEEPEST_CUT_DB))
    half = 10.0**0.05
    return Conflict(
        low_hz=float(THIRDS_HZ[first]) / half,
        high_hz=float(THIRDS_HZ[last - 1]) * half,
        gives_way=gives_way,
        cut_db=-round(2.0 * cut) / 2.0,
        crowd=float(both[first:last].sum()) / total,
    )


def _runs(flags: np.ndarray) -> list[tuple[int, int]]:
    """Where flags are up, as pairs of the first place and the one behind the last."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]])))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def energies(audio: np.ndarray, rate_hz: float, longest_s: float = _LONGEST_S) -> np.ndarray:
    """By window and third-octave, of the first seconds: float64 (windows, bands)."""
    length = max(16, round(_WINDOW_S * rate_hz))
    hop = length // 2
    part = audio[: round(min(longest_s, audio.shape[0] / rate_hz) * rate_hz)]
    count = max(1, -(-part.shape[0] // hop)) + 1
    padded = np.zeros(((count + 1) * hop, audio.shape[1]), np.float32)
    padded[hop : hop + part.shape[0]] = part  # so that an attack at the start is whole in one
    size = max(_LEAST_SIZE, 1 << (length - 1).bit_length())
    window, shares = np.hanning(2 * hop).astype(np.float32), _shares(size, rate_hz)
    found = np.zeros((count, shares.shape[1]))
    for first in range(0, count, _AT_ONCE):
        starts = hop * np.arange(first, min(count, first + _AT_ONCE))
        frames = padded[starts[:, None] + np.arange(2 * hop)].transpose(0, 2, 1)
        spectrum = scipy.fft.rfft(frames * window, size)
        power = np.square(spectrum.real) + np.square(spectrum.imag)
        found[first : first + len(starts)] = power.sum(axis=1, dtype=np.float64) @ shares
    return found


@lru_cache(8)
def _shares(size: int, rate_hz: float) -> np.ndarray:
    """How much of each bin lies in each third-octave: float64 (bins, bands).

    A bin's energy lies evenly between it and the bin before.
    """
    half, bins = 10.0**0.05, size // 2 + 1
    edges = np.concatenate([THIRDS_HZ / half, [THIRDS_HZ[-1] * half]]) * size / rate_hz
    below = np.clip(edges[None, :] - np.arange(bins)[:, None] + 1.0, 0.0, 1.0)
    below[0] = 1.0
    return np.diff(below, axis=1)
