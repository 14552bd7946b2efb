"""How a sound file ends, how loud it is, and whether it needs two channels."""

from __future__ import annotations

import numpy as np

from puddle.deliver.options import Options
from puddle.kit.edits.levels import role_lufs
from puddle.kit.model.document import Pad
from puddle.measure.envelope import outline
from puddle.measure.levels import loudness_lufs, peak_dbfs, true_peak_dbtp
from puddle.units import gain_from_db


def ended(audio: np.ndarray, rate_hz: float, tail_db: float, fade_ms: float) -> np.ndarray:
    """The sound until its tail is as soft as that beside its peak, and then faded.

    float32 (frames, channels); the fade is half a cosine, and begins where the tail is that soft
    (or before the end, where the sound ends first). Silence is one frame.
    """
    level = outline(audio)
    peak = float(level.max(initial=0.0))
    if peak <= 0.0:
        return audio[:1]
    last = int(np.flatnonzero(level >= gain_from_db(tail_db) * peak)[-1]) + 1
    frames = min(audio.shape[0], last + round(fade_ms / 1000.0 * rate_hz))
    if frames >= audio.shape[0]:
        return audio
    made = audio[:frames].copy()
    fade = frames - last
    if fade > 0:
        falling = 0.5 + 0.5 * np.cos(np.pi * (np.arange(fade) + 1.0) / fade)
        made[last:] *= falling[:, None].astype(np.float32)
    return made


def lift_db(audio: np.ndarray, rate_hz: float, pad: Pad, options: Options) -> float:
    """By how much a pad's files are made louder, from its hardest strike: all strengths alike."""
    if options.loudness == "peak":
        level = true_peak_dbtp(audio)
        return options.peak_db - level if level > -100.0 else 0.0
    if options.loudness == "by role":
        loud = loudness_lufs(audio, rate_hz)
        if loud is None:
            return 0.0
        room = options.peak_db - true_peak_dbtp(audio)
        return min(role_lufs(pad.role, options.role_lufs) - loud, room)
    return 0.0


def is_mono(audio: np.ndarray) -> bool:
    """Whether both sides are equal to the bit."""
    return audio.shape[1] == 1 or bool(np.array_equal(audio[:, 0], audio[:, 1]))


def over_full_db(audio: np.ndarray) -> float:
    """By how much a sound is over full scale; 0 where it is not."""
    return max(0.0, peak_dbfs(audio))
