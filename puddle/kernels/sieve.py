"""One pass over all entries of a library: what remains, and histograms of what would."""

from __future__ import annotations

import numpy as np

from puddle.kernels.compiling import inlined, kernel

_BLOCK = 2048  # entries whose counts of failed ranges stay in the nearest cache


@kernel
def _sieve(figures, bins, base, lows, highs, nones, remains, counts):
    """Sets `remains` and counts by bins; see `sieved`."""
    failed = np.empty(_BLOCK, np.uint8)
    which = np.empty(_BLOCK, np.uint8)
    measures = figures.shape[0]
    for start in range(0, base.shape[0], _BLOCK):
        size = min(_BLOCK, base.shape[0] - start)
        for n in range(size):
            failed[n] = 0 if base[start + n] else 9
        for k in range(measures):
            if lows[k] > -np.inf or highs[k] < np.inf or not nones[k]:
                _fail(figures[k], start, size, lows[k], highs[k], nones[k], k, failed, which)
        for n in range(size):
            remains[start + n] = failed[n] == 0
            if failed[n] == 0:
                for k in range(measures):
                    counts[k, bins[start + n, k]] += 1
            elif failed[n] == 1:
                counts[which[n], bins[start + n, which[n]]] += 1


@inlined
def _fail(values, start, size, low, high, none, k, failed, which):
    """Counts a range that entries of a block fail, and notes which."""
    for n in range(size):
        value = values[start + n]
        inside = (value >= low and value <= high) or (none and value != value)
        failed[n] += 0 if inside else 1
        which[n] = which[n] if inside else k


def sieved(
    figures: np.ndarray,
    bins: np.ndarray,
    base: np.ndarray,
    lows: np.ndarray,
    highs: np.ndarray,
    nones: np.ndarray,
    most_bins: int,
) -> tuple[np.ndarray, np.ndarray]:
    """Which entries are inside every range: bool (count,); and histograms: int64 (figures, bins).

    `figures` float32 (figures, count), NaN where there is none, which is inside where `nones` says
    so; `bins` uint8 (count, figures); `base` bool (count,), who takes part at all. A histogram
    counts the entries that all *other* ranges let through.
    """
    remains = np.empty(base.shape[0], np.bool_)
    counts = np.zeros((figures.shape[0], most_bins), np.int64)
    _sieve(figures, bins, base, lows, highs, nones, remains, counts)
    return remains, counts
