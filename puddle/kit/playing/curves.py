"""Curves of a pattern: what a gauge that runs live is moved to, beat by beat.

Between two points a curve is straight on the gauge's own scale; before the first and after the
last it stays where that is. It is read at points so close that the gauge moves by no more than a
96th of its way from one to the next: what runs between them goes in straight lines.
"""

from __future__ import annotations

import bisect
import itertools
import math
from collections.abc import Sequence

from puddle.kit.model.pattern import Curve, CurvePoint
from puddle.parameter import Parameter

FINE = 96  # parts of a gauge's way
LEAP_BEATS = 1e-4  # before a place where it leaps, of which it is read on both sides


def value_at(points: Sequence[CurvePoint], known: Parameter, beat: float) -> float:
    """The value, in range, at a beat of the pattern; of two points at one beat the later."""
    after = bisect.bisect_right(points, beat, key=lambda point: point.at)
    if after in (0, len(points)):
        return known.clamped(points[max(0, after - 1)].value)
    first, last = points[after - 1], points[after]
    share = (beat - first.at) / (last.at - first.at)
    start, end = known.position(first.value), known.position(last.value)
    return known.at(start + share * (end - start))


def beats_of(curve: Curve, known: Parameter, beats: float) -> list[float]:
    """The beats at which a curve is read, rising, from the first to before `beats`."""
    found = [0.0]
    for first, last in itertools.pairwise(curve.points):
        if last.at == first.at:
            found.append(max(0.0, first.at - LEAP_BEATS))
            continue
        way = abs(known.position(last.value) - known.position(first.value))
        parts = max(1, math.ceil(FINE * min(1.0, way)))
        found += [first.at + (last.at - first.at) * n / parts for n in range(parts)]
    found.append(curve.points[-1].at)
    return sorted({beat for beat in found if beat < beats})
