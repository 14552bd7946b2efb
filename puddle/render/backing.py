"""The rest of the track, made ready to run under the groove: at its rate, and at its tempo."""

from __future__ import annotations

import math
from collections.abc import Callable

import msgspec
import numpy as np

from puddle.kit.model.backing import Backing
from puddle.measure.onsets import onsets
from puddle.render.steps import converted
from puddle.render.stretching import stretched
from puddle.units import gain_from_db

_KEPT_MS = 12.0  # of each attack of a file that is stretched
_LEAST, _MOST = 0.25, 4.0  # how far a file is stretched


class Track(msgspec.Struct, frozen=True, eq=False):
    """A file as it runs under the groove."""

    audio: np.ndarray  # float32 (frames, 2)
    offset: float  # beats
    length: float  # frames after which it comes again; 0 for never
    gain: float


def ratio_of(backing: Backing, bpm: float) -> float:
    """How many times as long a file is made for a tempo; 1 where it does not follow it."""
    if not backing.follows or backing.bpm <= 0.0:
        return 1.0
    return min(_MOST, max(_LEAST, backing.bpm / bpm))


def prepared(
    audio: np.ndarray,
    from_hz: float,
    rate_hz: float,
    ratio: float,
    go_on: Callable[[float], None] = lambda share: None,
) -> np.ndarray:
    """Decoded float32 (frames, 2), stretched without pitch, at the engine's rate."""
    if ratio != 1.0:
        audio = stretched(audio, from_hz, ratio, onsets(audio, from_hz), _KEPT_MS, go_on)
    return np.ascontiguousarray(converted(audio, from_hz, rate_hz, 1.0), np.float32)


def track(backing: Backing, audio: np.ndarray, rate_hz: float, bpm: float, seconds: float) -> Track:
    """What the engine plays of a prepared file that was so many seconds long as it came.

    A loop of known tempo lasts its whole beats, to a part of a frame.
    """
    length = float(audio.shape[0]) if backing.loops else 0.0
    if backing.loops and backing.bpm > 0.0 and ratio_of(backing, bpm) == backing.bpm / bpm:
        beats = round(seconds * backing.bpm / 60.0)
        if beats >= 1 and abs(seconds * backing.bpm / 60.0 - beats) < 0.1:
            length = beats * 60.0 / bpm * rate_hz
    gain = 0.0 if backing.mute else gain_from_db(backing.level_db)
    return Track(audio, backing.offset, max(0.0, length), gain if math.isfinite(gain) else 0.0)
