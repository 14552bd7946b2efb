"""The shape of a hit in time: onset, attack, decay; and its brackets for the eye."""

from __future__ import annotations

import msgspec
import numpy as np

from puddle.measure.envelope import outline

_ONSET = 10.0 ** (-36.0 / 20.0)
_BODY = 10.0 ** (-12.0 / 20.0)
_TAIL = 10.0 ** (-60.0 / 20.0)


class HitShape(msgspec.Struct, frozen=True):
    """Times in ms from the first frame."""

    onset_ms: float
    attack_ms: float
    decay_60_ms: float | None
    attack_end_ms: float
    body_end_ms: float
    tail_end_ms: float


def hit_shape(audio: np.ndarray, rate_hz: float) -> HitShape | None:
    """Measures of float32 (frames, channels); None for silence.

    Onset is where a hit first comes within 36 dB of its peak. Attack is the rise of the running
    maximum from 10 to 90 % of the peak. Decay is from the peak to the last frame within 60 dB of
    it; None where the file ends there. Body ends at the last frame within 12 dB.
    """
    level = outline(audio)
    peak = float(level.max(initial=0.0))
    if peak <= 0.0:
        return None
    per_ms = rate_hz / 1000.0
    at = int(level.argmax())
    rising = np.maximum.accumulate(level[: at + 1])
    onset = int(np.argmax(level > _ONSET * peak))
    low, high = (int(np.searchsorted(rising, share * peak)) for share in (0.1, 0.9))
    last = int(np.flatnonzero(level >= _TAIL * peak)[-1])
    ends_first = last >= level.shape[0] - 2
    body = int(np.flatnonzero(level >= _BODY * peak)[-1])
    # The ear hears an attack until the first milliseconds after the peak.
    attack_end = min(max(high, onset) + round(5.0 * per_ms), max(body, 1))
    return HitShape(
        onset_ms=onset / per_ms,
        attack_ms=(high - low) / per_ms,
        decay_60_ms=None if ends_first else (last - at) / per_ms,
        attack_end_ms=attack_end / per_ms,
        body_end_ms=max(body, attack_end) / per_ms,
        tail_end_ms=max(last, body, attack_end) / per_ms,
    )
