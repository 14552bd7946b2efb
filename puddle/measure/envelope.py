"""Outlines of waveforms: frame by frame, and by columns for drawing; the mean of the channels."""

from __future__ import annotations

import numpy as np


def min_max(mono: np.ndarray, first: float, last: float, columns: int) -> np.ndarray:
    """float32 (columns, 2): minimum and maximum of the frames under each column.

    The range first..last is in frames and may reach beyond the signal, where there is silence. A
    column narrower than a frame takes the two frames around it, joined by a line.
    """
    out = np.zeros((columns, 2), np.float32)
    if columns < 1 or mono.shape[0] == 0 or last <= first:
        return out
    edges = np.linspace(first, last, columns + 1)
    starts = np.floor(edges[:-1]).astype(np.int64)
    ends = np.maximum(np.ceil(edges[1:]).astype(np.int64) + 1, starts + 2)
    inside = (ends > 0) & (starts < mono.shape[0])
    if not inside.any():
        return out
    starts = np.clip(starts[inside], 0, mono.shape[0] - 1)
    ends = np.clip(ends[inside], 1, mono.shape[0])
    padded = np.append(mono, mono[-1])
    pairs = np.stack([starts, np.maximum(ends, starts + 1)], axis=1).ravel()
    out[inside, 0] = np.minimum.reduceat(padded, pairs)[::2]
    out[inside, 1] = np.maximum.reduceat(padded, pairs)[::2]
    return out


def outline(audio: np.ndarray) -> np.ndarray:
    """The highest absolute value of each frame's channels: float32 (frames,).

    Channel by channel, which is ten times as fast as a maximum over an axis of two.
    """
    level = np.abs(audio[:, 0])
    for channel in range(1, audio.shape[1]):
        np.maximum(level, np.abs(audio[:, channel]), out=level)
    found: np.ndarray = level
    return found


def mono_of(audio: np.ndarray) -> np.ndarray:
    """The mean of the channels of float32 (frames, 1 or 2): float64 (frames,).

    Channel by channel: `np.mean` over an axis of two takes five times as long.
    """
    mono = audio[:, 0].astype(np.float64)
    if audio.shape[1] == 2:
        mono += audio[:, 1]
        mono *= 0.5
    return mono
