"""By how much one sound is moved so that the low ends of two add up best."""

from __future__ import annotations

import numpy as np
import scipy.fft

_LOWEST_HZ, _HIGHEST_HZ = 20.0, 250.0
MOST_MS = 12.0


def low_shift(first: np.ndarray, second: np.ndarray, rate_hz: float) -> tuple[float, float]:
    """How much later the second has to come, in ms, and what the sum then wins below 250 Hz, in dB.

    float32 (frames, 2) each, from the same moment on. The energy of a sum is that of its parts and
    twice their correlation: the shift is where that is largest within 12 ms to either side.
    """
    frames = max(first.shape[0], second.shape[0])
    most = round(MOST_MS / 1000.0 * rate_hz)
    size = scipy.fft.next_fast_len(frames + most, real=True)
    hz = scipy.fft.rfftfreq(size, 1.0 / rate_hz)
    band = (hz >= _LOWEST_HZ) & (hz <= _HIGHEST_HZ)
    one, two = (
        np.where(band, scipy.fft.rfft(audio.astype(np.float64).T, size), 0.0)
        for audio in (first, second)
    )
    shared = scipy.fft.irfft(np.sum(one * np.conj(two), axis=0), size)
    # Parseval: neither 0 Hz nor half the rate lies in the band, so each bin counts twice.
    apart = sum(2.0 / size * float(np.sum(np.abs(part) ** 2)) for part in (one, two))
    shifts = np.arange(-most, most + 1)
    best = int(shifts[np.argmax(shared[shifts])])
    now, then = (apart + 2.0 * float(shared[s]) for s in (0, best))
    if apart <= 0.0 or now <= 1e-9 * apart:
        return 1000.0 * best / rate_hz, 0.0
    return 1000.0 * best / rate_hz, 10.0 * float(np.log10(then / now))
