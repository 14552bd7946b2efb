"""Which hits of one recording are of one drum: by their spectra, whatever their strength.

A hit is looked at over three stretches of time, in third-octaves. What sounded right before it is
taken away from each band, and a band counts the less the more of it was there before: what rings
on from another drum must not join two hits. Levels are against the hit's own strongest band, and of
two hits only the shape is compared: a harder strike is louder as a whole. Hits are joined by
average linkage (Sokal and Michener 1958) until what is left lies too far apart.
"""

from __future__ import annotations

import msgspec
import numpy as np

from puddle.measure.bands import THIRDS_HZ, band_places
from puddle.tasks import check_cancelled

STRETCHES_S = ((0.0, 0.03), (0.03, 0.09), (0.09, 0.25))
LONGEST_S = STRETCHES_S[-1][1]
BEFORE_S = 0.03  # that is listened to before a hit
_CLOSE_S = 0.001  # to the hit, where its own attack may be
_WEIGHTS = (1.0, 0.7, 0.4)  # of the stretches: later ones differ more by strength
_RINGS_ON = (1.0, 0.8, 0.5)  # of what was there before, that is there still
_LEAST_SHARE, _LEAST_FIRST = 0.5, 0.3  # of a stretch, that must be there
_FLOOR = 10.0**-4.5  # of the strongest band's power
_HEARD_DB, _CLEAR_DB = -45.0, 30.0  # from where on a band counts, and over how many dB the more
_LEAST_WEIGHT, _LEAST_CONFIDENCE = 0.05, 0.02
_APART_DB = 5.7
MOST_COMPARED = 1200  # with all others; what is over it joins the group that it is nearest to


class HitSpectrum(msgspec.Struct, frozen=True, eq=False):
    """Levels in dB of stretches and bands, NaN where the next hit was there; and how sure."""

    levels: np.ndarray  # float32 (stretches, bands)
    confidence: np.ndarray  # float32 (stretches, bands), 0 to 1


def hit_spectrum(before: np.ndarray, hit: np.ndarray, rate_hz: float) -> HitSpectrum:
    """Of float32 (frames,): the 30 ms before a hit, and the hit until the next one."""
    size = len(STRETCHES_S), THIRDS_HZ.size
    powers, sure = np.full(size, np.nan), np.ones(size)
    still = before[: max(0, before.size - round(_CLOSE_S * rate_hz))]
    rest = _power(still, rate_hz) if still.size > 64 else np.zeros(THIRDS_HZ.size)
    for n, (start, end) in enumerate(STRETCHES_S):
        part = hit[round(start * rate_hz) : round(end * rate_hz)]
        least = _LEAST_FIRST if n == 0 else _LEAST_SHARE
        if part.size < least * (end - start) * rate_hz:
            break
        power = _power(part, rate_hz)
        ringing = _RINGS_ON[n] * rest
        powers[n] = np.maximum(power - ringing, 0.0)
        sure[n] = np.clip(1.0 - ringing / np.maximum(power, 1e-30), _LEAST_CONFIDENCE, 1.0)
    strongest = float(np.nanmax(powers)) if np.isfinite(powers).any() else 0.0
    levels = 10.0 * np.log10(powers / max(strongest, 1e-30) + _FLOOR)
    return HitSpectrum(levels.astype(np.float32), sure.astype(np.float32))


def _power(part: np.ndarray, rate_hz: float) -> np.ndarray:
    """The mean power by third-octave."""
    from puddle.kernels.spectra import sums_between

    size = max(4096 if rate_hz < 50000.0 else 8192, 1 << (part.size - 1).bit_length())
    window = np.ones(part.size)
    fade = min(part.size // 4, round(0.003 * rate_hz))
    if fade:
        window[-fade:] = np.hanning(2 * fade)[fade:]
    power = np.square(np.abs(np.fft.rfft(part * window, size)))
    return np.asarray(sums_between(power, band_places(size, rate_hz)) / size / part.size)


def groups_of(spectra: list[HitSpectrum]) -> list[list[int]]:
    """The places of hits by group, groups and hits in the order given."""
    if len(spectra) < 2:
        return [[n] for n in range(len(spectra))]
    from scipy.cluster.hierarchy import fcluster, linkage
    from scipy.spatial.distance import squareform

    levels = np.stack([s.levels for s in spectra]).reshape(len(spectra), -1)
    weights = np.repeat(_WEIGHTS, THIRDS_HZ.size).astype(np.float32)
    sure = np.stack([s.confidence for s in spectra]).reshape(len(spectra), -1) * np.sqrt(weights)
    # Every so many-th one, so that all of the recording is heard.
    step = -(-len(spectra) // MOST_COMPARED)
    chosen = np.arange(0, len(spectra), step)
    table = np.stack([_apart(levels, sure, n, chosen) for n in chosen.tolist()])
    table = 0.5 * (table + table.T)
    np.fill_diagonal(table, 0.0)
    labels = fcluster(linkage(squareform(table, checks=False), "average"), _APART_DB, "distance")
    groups: dict[int, list[int]] = {}
    for n, label in zip(chosen.tolist(), labels.tolist(), strict=True):
        groups.setdefault(label, []).append(n)
    _join_the_rest(levels, sure, chosen, labels, groups)
    return sorted(sorted(group) for group in groups.values())


def _join_the_rest(
    levels: np.ndarray,
    sure: np.ndarray,
    chosen: np.ndarray,
    labels: np.ndarray,
    groups: dict[int, list[int]],
) -> None:
    """Every other hit to the group whose hits it is nearest to on average."""
    known = set(chosen.tolist())
    count = int(labels.max()) + 1
    sizes = np.maximum(np.bincount(labels, minlength=count), 1)
    for n in range(levels.shape[0]):
        if n not in known:
            means = np.bincount(labels, _apart(levels, sure, n, chosen), count) / sizes
            means[np.bincount(labels, minlength=count) == 0] = np.inf
            groups[int(np.argmin(means))].append(n)


def _apart(levels: np.ndarray, sure: np.ndarray, n: int, others: np.ndarray) -> np.ndarray:
    """How unlike a hit is to others, in dB: the weighted deviation of their difference."""
    check_cancelled()
    own, their = levels[n], levels[others]
    difference = own - their
    there = np.isfinite(difference)
    heard = (np.fmax(own, their) - _HEARD_DB) / _CLEAR_DB
    weight = np.clip(heard, _LEAST_WEIGHT, 1.0) * sure[n] * sure[others]
    weight = np.where(there, weight, 0.0)
    difference = np.where(there, difference, 0.0)
    total = np.maximum(weight.sum(axis=1), 1e-12)
    mean = (weight * difference).sum(axis=1) / total
    spread = (weight * np.square(difference - mean[:, None])).sum(axis=1) / total
    return np.asarray(np.sqrt(spread))
