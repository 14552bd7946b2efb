"""Where a recording's first hit begins: the silence or the room before it is left out."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import maximum_filter1d

from puddle.measure.envelope import outline

_LOUD = 10.0 ** (-12.0 / 20.0)  # of the peak: what comes before may be the room
_RISEN = 10.0 ** (-24.0 / 20.0)  # of the peak: there a hit is under way, a grace note's too
_NOISE_RISE = 10.0 ** (8.0 / 20.0)  # over the room before it
_QUIET = 10.0 ** (-60.0 / 20.0)  # of the peak: under it nothing is missed
_STILL_S = 0.006  # so long it stays quiet before it begins; half a wave of 83 Hz
_EVEN = 2.5  # between loud and soft pieces of a room
_ROOM_S = 0.002  # pieces in which the room is listened to


def hit_start(audio: np.ndarray, rate_hz: float) -> int:
    """The frame at which the first hit of float32 (frames, channels) leaves the room's noise.

    From where the level has come within 24 dB of the peak, and out of the room, back to the first
    frame before which it stays under a threshold for 6 ms. The threshold lies 8 dB over the room
    that is heard before; without a room 60 dB under the peak, so that a swell keeps its beginning.
    0 where nothing is quiet before it, and for silence.
    """
    level = outline(audio)
    peak = float(level.max(initial=0.0))
    if peak <= 0.0 or not np.isfinite(peak):
        return 0
    loud = int(np.argmax(level > _LOUD * peak))
    threshold = max(_QUIET * peak, _NOISE_RISE * _room(level[:loud], rate_hz))
    threshold = min(threshold, 0.7 * _LOUD * peak)
    risen = int(np.argmax(level > max(_RISEN * peak, 1.4 * threshold)))
    still = max(1, round(_STILL_S * rate_hz))
    before = level[:risen]
    if before.size < 2:
        return 0
    # Of each frame, the loudest of the 6 ms that end with it.
    loudest = maximum_filter1d(before, still, origin=(still - 1) // 2, mode="constant")
    quiet = np.flatnonzero(loudest <= threshold)
    return int(quiet[-1]) + 1 if quiet.size else 0


def _room(before: np.ndarray, rate_hz: float) -> float:
    """The peak level of the room before a hit, of its quieter pieces; 0 for none.

    Pieces that lie far apart in level are no room but a sound that swells.
    """
    size = min(round(_ROOM_S * rate_hz), before.size // 4)
    if size < 4:
        return 0.0
    count = before.size // size
    peaks = before[: count * size].reshape(count, size).max(axis=1)
    softest, soft, hard = (float(q) for q in np.quantile(peaks, (0.02, 0.25, 0.75)))
    return soft if hard < _EVEN * soft else softest
