"""The likely drum role of a sound, from its measures: a few rules of the trade, as scores."""

from __future__ import annotations

import math
from typing import Literal

Role = Literal["kick", "snare", "clap", "hat", "cymbal", "tom", "percussion", "bass", "effect"]


def _near(value: float, center: float, width: float) -> float:
    """1 at the center, falling to e^-1 at a width to either side."""
    return math.exp(-(((value - center) / width) ** 2))


def likely_role(
    *,
    low_db: float,
    high_db: float,
    flatness: float,
    centroid_hz: float,
    decay_ms: float,
    hz: float | None,
) -> tuple[Role, float]:
    """The role that fits best, and its share of all scores (0 to 1)."""
    low, high = 10.0 ** (low_db / 10.0), 10.0 ** (high_db / 10.0)
    center = math.log2(max(centroid_hz, 20.0))
    length = math.log2(max(decay_ms, 1.0))
    tonal = 1.0 if hz is not None else 0.0
    note = math.log2(hz) if hz else 0.0
    scores: dict[Role, float] = {
        "kick": low
        * (1.0 - high)
        * _near(length, 8.5, 2.0)
        * (_near(note, 5.6, 0.75) if hz else 1.0)
        + tonal * 0.4 * _near(note, 5.7, 0.6) * low,
        "snare": (0.5 + 0.5 * tonal)
        * _near(center, 10.8, 1.6)
        * _near(length, 7.9, 1.0)
        * (1.0 - low)
        + tonal * 0.5 * _near(note, 7.6, 0.5) * min(1.0, 4.0 * flatness + 0.2),
        "clap": (1.0 - tonal) * _near(center, 10.8, 1.0) * _near(length, 7.7, 1.2),
        "hat": (1.0 - tonal) * high * _near(center, 13.1, 1.0) * _near(length, 7.3, 2.2),
        "cymbal": (1.0 - 0.5 * tonal) * high * _near(length, 11.0, 1.2),
        "tom": tonal * _near(note, 6.9, 0.6) * (1.0 - high) * _near(length, 9.0, 1.2),
        "percussion": tonal * _near(note, 9.5, 1.2) * (1.0 - low),
        "bass": tonal * low * _near(length, 10.8, 1.0) * _near(note, 5.8, 0.7),
    }
    total = sum(scores.values())
    if total <= 1e-9:
        return "effect", 0.0
    best = max(scores, key=lambda role: scores[role])
    return best, scores[best] / total
