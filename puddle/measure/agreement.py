"""Where layers add up and where they cancel, by third-octaves.

The energy of a sum is that of its parts and twice what they have in common: to the bit in every
band, for a spectrum over the whole of the sounds (Parseval). What a band loses or wins is the
level of the sum over the level that the parts have together.
"""

from __future__ import annotations

from itertools import combinations

import msgspec
import numpy as np

from puddle.measure.bands import THIRDS_HZ, band_places
from puddle.measure.spectrum import spectra_of, transform_size

LONGEST_S = 2.0
_HEARD_DB = 45.0  # under the strongest band
_DEEPEST_DB = -60.0
_WORTH_DB = 1.0  # of loss
_CLEAR_DB = 24.0  # under the strongest band: less is no one's concern


class Clash(msgspec.Struct, frozen=True):
    """The band in which two layers lose the most of each other, and how much of its level."""

    first: str
    second: str
    hz: float
    lost_db: float


class Agreement(msgspec.Struct, frozen=True, eq=False):
    """What the sum of layers wins, or below zero loses, by third-octave: dB, 0 where nothing is."""

    hz: np.ndarray
    won_db: np.ndarray
    pairs_db: dict[tuple[str, str], np.ndarray]
    worst: Clash | None


def agreement(layers: dict[str, np.ndarray], rate_hz: float) -> Agreement | None:
    """Of layers by name, float32 (frames, 2) as they stand in the sum; None for fewer than two."""
    frames = max((audio.shape[0] for audio in layers.values()), default=0)
    size = transform_size(min(frames, round(LONGEST_S * rate_hz)))
    spectra = {name: spectra_of(audio, size) for name, audio in layers.items()}
    return agreement_of(spectra, size, rate_hz)


def agreement_of(spectra: dict[str, np.ndarray], size: int, rate_hz: float) -> Agreement | None:
    """The same of the layers' spectra over one size: see `spectrum.spectra_of`."""
    edges = band_places(size, rate_hz)
    powers = {name: _shared(s, s, edges) for name, s in spectra.items()}
    heard = [name for name, power in powers.items() if np.any(power)]
    if len(heard) < 2:
        return None
    apart = np.sum([powers[name] for name in heard], axis=0)
    loudest = float(apart.max(initial=0.0))
    least, clearly = (10.0 ** (-db / 10.0) * loudest for db in (_HEARD_DB, _CLEAR_DB))
    shared = {
        (a, b): 2.0 * _shared(spectra[a], spectra[b], edges) for a, b in combinations(heard, 2)
    }
    won = _won(apart, np.sum(list(shared.values()), axis=0), least)
    pairs = {(a, b): _won(powers[a] + powers[b], shared[a, b], least) for a, b in shared}
    lost = {
        pair: np.where((apart >= clearly) & (db <= -_WORTH_DB) & (won < 0.0), -shared[pair], 0.0)
        for pair, db in pairs.items()
    }
    return Agreement(THIRDS_HZ, won, pairs, _worst(pairs, lost))


def _shared(a: np.ndarray, b: np.ndarray, edges: np.ndarray) -> np.ndarray:
    """What two have in common over each band, of both channels; 0 for a band without a bin."""
    from puddle.kernels.spectra import shared_energy

    out = np.empty(edges.size - 1)
    shared_energy(a, b, edges, out)
    return out


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
