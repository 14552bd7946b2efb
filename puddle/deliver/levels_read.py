"""Level curves of an instrument as the model has them: a power, a response, or falling ranges."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from puddle.kit.model.document import Point
from puddle.kit.playing.response import MOST_POINTS

_SAME_DB = 5e-4  # what lies so near is that curve: -84 dB
_HARDEST = 127
_SILENT = 1e-7
Range = tuple[int, int]


class Curve(msgspec.Struct, frozen=True):
    """How loud velocities are: an amount in percent, a response, and by how much ranges fall.

    `off_db` is how far it lies from the instrument's at most.
    """

    amount: float = 100.0
    response: tuple[Point, ...] = ()
    falls_db: tuple[float, ...] = ()  # of the ranges, where they carry levels of their own
    off_db: float = 0.0


def read_gains(opcodes: Mapping[str, str]) -> dict[int, float]:
    """The gain of each velocity that opcodes say, linear: points joined by straight lines."""
    track = _float(opcodes.get("amp_veltrack"), 100.0) / 100.0
    points = {0: 0.0, _HARDEST: 1.0}
    own = False
    for name, value in opcodes.items():
        if name.startswith("amp_velcurve_") and name[13:].isdigit() and len(name) < 17:
            velocity = int(name[13:])
            if 0 <= velocity <= _HARDEST:
                points[velocity] = min(1.0, max(0.0, _float(value, 1.0)))
                own = True
    if not own:
        curve = {v: (v / _HARDEST) ** 2 for v in range(1, _HARDEST + 1)}
    else:
        xs = sorted(points)
        ys = [points[x] for x in xs]
        curve = {v: float(np.interp(v, xs, ys)) for v in range(1, _HARDEST + 1)}
    if track == 1.0:
        return curve
    if track < 0.0:
        return {v: max(0.0, 1.0 + track * curve[v]) for v in curve}
    return {v: 1.0 - track * (1.0 - curve[v]) for v in curve}


def _float(text: str | None, without: float) -> float:
    try:
        value = float(text) if text is not None else without
    except ValueError:
        return without
    return value if math.isfinite(value) else without


def curve_of(gains: Mapping[int, float], ranges: Sequence[Range]) -> Curve:
    """The model's curve that is nearest to gains of velocities 1 to 127; exact where there is one.

    The ranges are those of the layers, from soft to hard.
    """
    db = np.array([20.0 * math.log10(max(_SILENT, gains[v])) for v in range(1, _HARDEST + 1)])
    law = np.array([40.0 * math.log10(v / _HARDEST) for v in range(1, _HARDEST + 1)])
    best = _by_amount(db, law)
    if best.off_db <= _SAME_DB:
        return best
    for found in (_by_ranges(db, ranges), _by_response(db)):
        if found is not None and found.off_db < best.off_db:
            best = found
        if best.off_db <= _SAME_DB:
            break
    return best


def _by_amount(db: np.ndarray, law: np.ndarray) -> Curve:
    """A share of the power law, by least squares; to a hundredth of a percent."""
    share = float(np.dot(db, law) / np.dot(law, law))
    amount = round(min(100.0, max(0.0, 100.0 * share)), 2)
    off = float(np.abs(db - amount / 100.0 * law).max())
    return Curve(amount=amount, off_db=off)


def _by_ranges(db: np.ndarray, ranges: Sequence[Range]) -> Curve | None:
    """Straight in dB within each range, each at 0 dB over its top: recordings' own levels."""
    if not ranges or ranges[0][0] != 1 or ranges[-1][1] != _HARDEST:
        return None
    falls, off = [], 0.0
    for low, high in ranges:
        own = db[low - 1 : high]
        away = (high - np.arange(low, high + 1)) / (high - low + 1)
        fall = float(-np.dot(own, away) / np.dot(away, away)) if np.any(away) else 0.0
        fall = min(40.0, max(0.0, fall))
        falls.append(fall)
        off = max(off, float(np.abs(own + fall * away).max()))
    return Curve(falls_db=tuple(falls), off_db=off)


def _by_response(db: np.ndarray) -> Curve | None:
    """The power law over a response of a few straight pieces, at the amount that needs fewest."""
    best: Curve | None = None
    for amount in (100.0, *(float(n) for n in range(99, 9, -1))):
        plays = _HARDEST * 10.0 ** (db * 100.0 / (40.0 * amount))
        if plays[0] < 1.0 - 1e-3:
            continue
        found = _pieces(plays)
        if found is None:
            continue
        points = tuple(Point(struck=x, plays=min(127.0, max(1.0, y))) for x, y in found)
        xs, ys = [p.struck for p in points], [p.plays for p in points]
        made = np.interp(np.arange(1, _HARDEST + 1), xs, ys)
        off = float(np.abs(40.0 * amount / 100.0 * np.log10(made / _HARDEST) - db).max())
        if best is None or off < best.off_db:
            best = Curve(amount, points, (), off)
        if best.off_db <= _SAME_DB:
            break
    return best


def _pieces(plays: np.ndarray) -> list[tuple[float, float]] | None:
    """Bends between which it is straight; None where there are more than a response holds."""
    found = [(1.0, float(plays[0]))]
    slopes = np.diff(plays)
    for n in range(1, slopes.size):
        if abs(slopes[n] - slopes[n - 1]) > 1e-3:
            found.append((float(n + 1), float(plays[n])))
            if len(found) >= MOST_POINTS:
                return None
    return [*found, (float(_HARDEST), float(plays[-1]))]
