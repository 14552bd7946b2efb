"""A pad's response: what a strike of some velocity plays as.

The curve runs straight from bend to bend; where it has none of its own at the ends it begins at
1 and ends at 127. What it yields is the strength that chooses takes and level.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right

from puddle.kit.model.document import Pad, Point

SOFTEST, HARDEST = 1.0, 127.0
MOST_POINTS = 16

PRESETS: dict[str, tuple[tuple[float, float], ...]] = {
    "even": (),
    "for a light hand": ((32.0, 58.0), (64.0, 90.0), (96.0, 113.0)),
    "for a heavy hand": ((32.0, 15.0), (64.0, 38.0), (96.0, 74.0)),
    "wide middle": ((24.0, 48.0), (104.0, 86.0)),
    "soft or hard": ((56.0, 30.0), (72.0, 108.0)),
    "always full": ((1.0, 127.0), (127.0, 127.0)),
}


def bends(points: tuple[Point, ...]) -> list[tuple[float, float]]:
    """The curve from end to end, by rising velocity."""
    found = sorted((p.struck, p.plays) for p in points)
    if not found or found[0][0] > SOFTEST:
        found = [(SOFTEST, SOFTEST), *found]
    if found[-1][0] < HARDEST:
        found = [*found, (HARDEST, HARDEST)]
    return found


def strength_of(points: tuple[Point, ...], velocity: float) -> float:
    """What a velocity of 1 to 127 plays as, 1 to 127."""
    if not points:
        return velocity
    curve = bends(points)
    n = min(len(curve) - 1, max(1, bisect_right([x for x, _ in curve], velocity)))
    (x0, y0), (x1, y1) = curve[n - 1], curve[n]
    if velocity >= x1:
        return y1
    return y0 + (y1 - y0) * (velocity - x0) / (x1 - x0) if x1 > x0 else y1


def points_of(bends_: tuple[tuple[float, float], ...]) -> tuple[Point, ...]:
    """Bends as the document holds them."""
    return tuple(Point(struck=x, plays=y) for x, y in bends_)


def preset_of(pad: Pad) -> str:
    """The name of the preset that a pad's curve is; "" for one's own."""
    return next((name for name, found in PRESETS.items() if points_of(found) == pad.response), "")


def with_bend(
    points: tuple[Point, ...], at: int | None, struck: float, plays: float
) -> tuple[tuple[Point, ...], int]:
    """The curve with a bend moved, or with `at` None a new one; and where that one is.

    A bend stays between its neighbors, and the curve never falls. At most sixteen are taken.
    """
    rest = [(p.struck, p.plays) for n, p in enumerate(points) if n != at]
    rest.sort()
    if at is None:
        at = bisect_left([x for x, _ in rest], struck)
        if len(rest) >= MOST_POINTS:
            return points, min(at, len(rest) - 1)
    left = rest[at - 1] if at > 0 else (SOFTEST - 1.0, SOFTEST)
    right = rest[at] if at < len(rest) else (HARDEST + 1.0, HARDEST)
    x = min(max(float(round(struck)), left[0] + 1.0), right[0] - 1.0)
    y = min(max(float(round(plays)), left[1]), right[1])
    return points_of((*rest[:at], (x, y), *rest[at:])), at


def without_bend(points: tuple[Point, ...], at: int) -> tuple[Point, ...]:
    """The curve without a bend."""
    return tuple(p for n, p in enumerate(points) if n != at)
