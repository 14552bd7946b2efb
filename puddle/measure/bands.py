"""Third-octaves: their centers and edges (IEC 61260-1, base ten), and their bins of a spectrum."""

from __future__ import annotations

import numpy as np

# 25 Hz to 16 kHz.
THIRDS_HZ = 10.0 ** (np.arange(14, 43) / 10.0)
_EDGES_HZ = 10.0 ** ((np.arange(14, 44) - 0.5) / 10.0)


def band_places(size: int, rate_hz: float) -> np.ndarray:
    """The first bin of each third-octave, and the one behind the last: int64 (bands + 1,).

    For a real spectrum of `size` frames; a band over half the rate, or narrower than a bin, may
    have none.
    """
    places = np.ceil(_EDGES_HZ * size / rate_hz).astype(np.int64)
    found: np.ndarray = np.minimum(places, size // 2)
    return found
