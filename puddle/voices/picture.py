"""What a voice's parameters mean, as a small picture: a curve in time, or partials as stems."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from puddle.units import with_unit

_POINTS = 120


@dataclass(frozen=True)
class Picture:
    """Points of 0..1 to the right and upwards, and what the ends of the axes stand for."""

    kind: Literal["curve", "stems"]
    title: str
    points: tuple[tuple[float, float], ...]
    left: str
    right: str
    low: str
    high: str


def pitch_picture(start_hz: float, end_hz: float, fall_ms: float, bend: float) -> Picture:
    """Pitch against time, on a scale of octaves: the fall of `kernels.oscillators.falling_sine`."""
    c = bend / 100.0
    tau = fall_ms / math.log(10.0) if abs(c) < 1e-3 else c * fall_ms / (10.0**c - 1.0)
    whole_ms = max(2.0, 2.5 * fall_ms)
    low, high = sorted((start_hz, end_hz))
    span = math.log2(high / low) if high > low else 1.0
    points = []
    for n in range(_POINTS):
        t = whole_ms * n / (_POINTS - 1)
        if abs(c) < 1e-3:
            left = math.exp(-t / tau)
        else:
            base = 1.0 + c * t / tau
            left = base ** (-1.0 / c) if base > 0.0 else 0.0
        hz = end_hz + (start_hz - end_hz) * left
        points.append((n / (_POINTS - 1), math.log2(hz / low) / span if high > low else 0.5))
    return Picture("curve", "pitch", tuple(points), "0", _ms(whole_ms), _hz(low), _hz(high))


def partial_picture(partials: Iterable[tuple[float, float]]) -> Picture:
    """Partials as (frequency in Hz, linear gain): stems along octaves, 48 dB high."""
    found = [(hz, abs(gain)) for hz, gain in partials if hz > 0.0 and abs(gain) > 0.0]
    low = min((hz for hz, _ in found), default=100.0) / 1.3
    high = max((hz for hz, _ in found), default=1000.0) * 1.3
    top = max((gain for _, gain in found), default=1.0)
    points = []
    for hz, gain in found:
        height = 1.0 + 20.0 * math.log10(gain / top) / 48.0
        if height > 0.0:
            points.append((math.log2(hz / low) / math.log2(high / low), height))
    return Picture(
        "stems", "partials", tuple(points), _hz(low), _hz(high), with_unit(-48.0, "dB", 0), "0"
    )


def level_picture(levels: list[float], whole_ms: float, title: str) -> Picture:
    """A level, linear, at even steps of a time."""
    top = max(levels, default=1.0) or 1.0
    count = max(1, len(levels) - 1)
    points = tuple((n / count, level / top) for n, level in enumerate(levels))
    return Picture("curve", title, points, "0", _ms(whole_ms), "", "")


def decays(
    parts: Iterable[tuple[float, float]],
    whole_ms: float,
    rise_ms: float = 0.0,
    hold_ms: float = 0.0,
) -> list[float]:
    """Levels of a sum of decays as (level, ms to fall by 60 dB), after a rise and a hold."""
    known = list(parts)
    out = []
    for n in range(_POINTS):
        t = whole_ms * n / (_POINTS - 1)
        past = max(0.0, t - rise_ms - hold_ms)
        level = sum(gain * 10.0 ** (-3.0 * past / ms) for gain, ms in known)
        out.append(level * (min(1.0, t / rise_ms) if rise_ms > 0.0 else 1.0))
    return out


def _hz(hz: float) -> str:
    return with_unit(hz, "Hz", 0)


def _ms(ms: float) -> str:
    return with_unit(ms, "ms", 0)
