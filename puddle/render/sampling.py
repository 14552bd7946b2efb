"""From a recording to a layer's source: its region, stretched, reversed, looped and faded.

Times of loops and fades are those of the stretched region, before it is tuned.
"""

from __future__ import annotations

import math
from functools import partial

import numpy as np

from puddle.kernels.envelopes import fade_edges
from puddle.kit.model.document import Sample
from puddle.measure.onsets import onsets
from puddle.render.samples import Decoded
from puddle.render.steps import LONGEST_S
from puddle.render.stretching import stretched
from puddle.tasks import go_on


def region(sample: Sample, decoded: Decoded) -> np.ndarray:
    """The region as it was recorded, stretched: float32 (frames, 2) at the recording's rate."""
    per_ms = decoded.rate_hz / 1000.0
    frames = decoded.audio.shape[0]
    start = min(frames - 1, max(0, round(sample.start_ms * per_ms)))
    end = max(start + 1, min(frames, round(sample.end_ms * per_ms)))
    if sample.longer == 1.0:
        return decoded.audio[start:end]
    # What is stretched for a higher pitch is longer than what is heard, but not without end.
    longest = LONGEST_S * decoded.rate_hz * min(2.0, max(1.0, sample.pitch_ratio))
    most = math.ceil(longest / sample.longer)
    part = decoded.audio[start : min(end, start + most)]
    found = onsets(part, decoded.rate_hz)
    tell = partial(go_on, sample.stretching)
    return stretched(part, decoded.rate_hz, sample.longer, found, sample.kept_ms, tell)


def sampled(sample: Sample, part: np.ndarray, rate_hz: float) -> np.ndarray:
    """The stretched region as it is played before it is tuned."""
    per_ms = rate_hz / 1000.0 * sample.pitch_ratio  # it is still to be played faster for its pitch
    if sample.reverse:
        part = part[::-1]
    if sample.loop:
        part = looped(
            part,
            round(sample.loop_start_ms * per_ms),
            round(sample.loop_end_ms * per_ms),
            round(sample.loop_fade_ms * per_ms),
            max(1, round(sample.loop_for_ms * per_ms)),
        )
    if sample.fade_in_ms > 0.0 or sample.fade_out_ms > 0.0:
        part = part.copy()
        fade_edges(part, round(sample.fade_in_ms * per_ms), round(sample.fade_out_ms * per_ms))
    return np.ascontiguousarray(part)


def looped(audio: np.ndarray, start: int, end: int, fade: int, frames: int) -> np.ndarray:
    """What goes round from `start` to `end`, for so many frames: float32 (frames, 2).

    The last `fade` frames before the end go over into those before the start, as loud as both
    are: at equal gain where they are alike, at equal power where they have nothing in common.
    """
    end = min(audio.shape[0], end)
    start = min(start, end - 1)
    if start < 0 or end - start < 2:
        return audio[:frames]
    turn = audio[start:end].copy()
    fade = min(fade, start, end - start)
    if fade > 0:
        turn[-fade:] = _blended(audio[end - fade : end], audio[start - fade : start])
    count = max(0, -(-(frames - start) // (end - start)))
    return np.concatenate([audio[:start], np.tile(turn, (count, 1))])[:frames]


def _blended(leaving: np.ndarray, coming: np.ndarray) -> np.ndarray:
    """A crossfade that keeps the power, by how much both are alike."""
    alike = float(np.sum(leaving * coming, dtype=np.float64))
    size = math.sqrt(
        float(np.sum(np.square(leaving, dtype=np.float64)))
        * float(np.sum(np.square(coming, dtype=np.float64)))
    )
    alike = max(0.0, alike / size) if size > 0.0 else 1.0
    share = (np.arange(len(leaving)) + 0.5) / len(leaving)
    up = share * share * (3.0 - 2.0 * share)
    down = 1.0 - up
    power = up * up + down * down + 2.0 * alike * up * down
    gains = np.stack([down, up]) / np.sqrt(power)
    found: np.ndarray = (leaving * gains[0][:, None] + coming * gains[1][:, None]).astype(
        np.float32
    )
    return found
