"""One pass over all entries of a library: what remains, and histograms of what would."""

from __future__ import annotations

import numpy as np

from puddle.kernels.compiling import kernel


@kernel
def _sieve(figures, bins, base, lows, highs, nones, remains, counts):
    """Sets `remains` and counts by bins; see `sieved`."""
    for n in range(base.shape[0]):
        remains[n] = False
        if not base[n]:
            continue
        outside, which = 0, 0
        for k in range(figures.shape[0]):
            value = figures[k, n]
            inside = nones[k] if np.isnan(value) else lows[k] <= value <= highs[k]
            if not inside:
                outside += 1
                which = k
        if outside == 0:
            remains[n] = True
            for k in range(figures.shape[0]):
                counts[k, bins[k, n]] += 1
        elif outside == 1:
            counts[which, bins[which, n]] += 1


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
    so; `bins` uint8 of the same shape; `base` bool (count,), who takes part at all. A histogram
    counts the entries that all *other* ranges let through.
    """
    remains = np.empty(base.shape[0], np.bool_)
    counts = np.zeros((figures.shape[0], most_bins), np.int64)
    _sieve(figures, bins, base, lows, highs, nones, remains, counts)
    return remains, counts
