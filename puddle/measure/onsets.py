"""Where hits begin in a recording: one, or several as in a clap, a flam or a handful of gravel."""

from __future__ import annotations

import numpy as np

from puddle.measure.envelope import outline

_BLOCK_S = 0.001
_RISE = 10.0 ** (9.0 / 20.0)  # over what is left of the hit before
_FALL_DB_PER_S = 300.0  # how fast a hit before stops hiding the next
_QUIET = 10.0 ** (-40.0 / 20.0)  # under the loudest
_APART_S = 0.025
_FOOT = 0.1  # of the first peak: there a hit begins


def onsets(audio: np.ndarray, rate_hz: float) -> list[int]:
    """Frames at which hits begin in float32 (frames, channels), rising; none in silence.

    A hit is where the peak of a millisecond stands 9 dB over the decaying peak of all before it.
    It begins where its first rise passes a tenth of the peak that follows within 3 ms.
    """
    level = outline(audio)
    loudest = float(level.max(initial=0.0))
    block = max(1, round(_BLOCK_S * rate_hz))
    if loudest <= 0.0 or not np.isfinite(loudest):
        return []
    count = -(-level.size // block)
    padded = np.zeros(count * block, level.dtype)
    padded[: level.size] = level
    peaks = padded.reshape(count, block).max(axis=1)
    # What is left of every earlier peak: in dB a running maximum over a slope.
    slope = _FALL_DB_PER_S * block / rate_hz
    db = 20.0 * np.log10(np.maximum(peaks, 1e-9)) + slope * np.arange(count)
    before = np.concatenate([[-1e9], np.maximum.accumulate(db)[:-1]])
    held = 10.0 ** ((before - slope * np.arange(count)) / 20.0)
    found: list[int] = []
    for n in np.flatnonzero((peaks > _RISE * held) & (peaks > _QUIET * loudest)).tolist():
        start = _foot(level, n * block, block)
        if not found or start - found[-1] >= _APART_S * rate_hz:
            found.append(start)
    return found


def _foot(level: np.ndarray, at: int, block: int) -> int:
    first = max(0, at - 2 * block)
    part = level[first : at + 3 * block]
    return first + int(np.argmax(part > _FOOT * float(part.max())))
