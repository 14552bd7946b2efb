"""Where layers add up and where they cancel, by third-octaves.

The energy of a sum is that of its parts and twice what they have in common: to the bit in every
band, for a spectrum over the whole of the sounds (Parseval). What a band loses or wins is the
level of the sum over the level that the parts have together.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np

from puddle.measure.bands import THIRDS_HZ, band_places

_LONGEST_S = 2.0
_HEARD_DB = 45.0  # under the strongest band
_DEEPEST_DB = -60.0
_WORTH_DB = 1.0  # of loss
_CLEAR_DB = 24.0  # under the strongest band: less is no one's concern


@dataclass(frozen=True, slots=True)
class Clash:
    """The band in which two layers lose the most of each other, and how much of its level."""

    first: str
    second: str
    hz: float
    lost_db: float


@dataclass(frozen=True, eq=False, slots=True)
class Agreement:
    """What the sum of layers wins, or below zero loses, by third-octave: dB, 0 where nothing is."""

    hz: np.ndarray
    won_db: np.ndarray
    pairs_db: dict[tuple[str, str], np.ndarray]
    worst: Clash | None


def agreement(layers: dict[str, np.ndarray], rate_hz: float) -> Agreement | None:
    """Of layers by name, float32 (frames, 2) as they stand in the sum; None for fewer than two."""
    heard = {name: audio for name, audio in layers.items() if np.any(audio)}
    if len(heard) < 2:
        return None
    frames = min(max(a.shape[0] for a in heard.values()), round(_LONGEST_S * rate_hz))
    size = 1 << max(12, (frames - 1).bit_length())
    edges = band_places(size, rate_hz)
    spectra = {name: _inside(a[:frames], size, edges) for name, a in heard.items()}
    powers = {name: _by_band(np.square(np.abs(s)), edges) for name, s in spectra.items()}
    apart = np.sum(list(powers.values()), axis=0)
    least = 10.0 ** (-_HEARD_DB / 10.0) * float(apart.max(initial=0.0))
    shared = {
        (a, b): 2.0 * _by_band((spectra[a] * spectra[b].conj()).real, edges)
        for a, b in combinations(spectra, 2)
    }
    won = _won(apart, np.sum(list(shared.values()), axis=0), least)
    pairs = {(a, b): _won(powers[a] + powers[b], shared[a, b], least) for a, b in shared}
    clear = apart >= 10.0 ** (-_CLEAR_DB / 10.0) * float(apart.max(initial=0.0))
    lost = {
        pair: np.where(clear & (db <= -_WORTH_DB) & (won < 0.0), -shared[pair], 0.0)
        for pair, db in pairs.items()
    }
    return Agreement(THIRDS_HZ, won, pairs, _worst(pairs, lost))


def _inside(audio: np.ndarray, size: int, edges: np.ndarray) -> np.ndarray:
    return np.fft.rfft(audio.T, size)[:, edges[0] : edges[-1]]


def _by_band(values: np.ndarray, edges: np.ndarray) -> np.ndarray:
    """The sums of both channels over each band; 0 for a band without a bin."""
    running = np.concatenate([[0.0], np.cumsum(values.sum(axis=0))])
    return np.asarray(np.diff(running[edges - edges[0]]))


def _won(apart: np.ndarray, shared: np.ndarray, least: float) -> np.ndarray:
    """Levels of sums over those of their parts, in dB."""
    heard = apart > least
    ratio = (apart + shared) / np.where(heard, apart, 1.0)
    db = 10.0 * np.log10(np.maximum(ratio, 10.0 ** (_DEEPEST_DB / 10.0)))
    return np.where(heard, db, 0.0)


def _worst(
    pairs: dict[tuple[str, str], np.ndarray], lost: dict[tuple[str, str], np.ndarray]
) -> Clash | None:
    """Where the most energy is lost, of bands in which the sum loses too."""
    first, second = max(lost, key=lambda pair: float(lost[pair].max()))
    band = int(np.argmax(lost[first, second]))
    if lost[first, second][band] <= 0.0:
        return None
    lost_db = -float(pairs[first, second][band])
    return Clash(first, second, float(THIRDS_HZ[band]), lost_db)
