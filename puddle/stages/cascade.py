"""Sections in a row whose errors would add up: fitted once more, together.

Each section that is matched to its analog one alone misses it by the same little wave under 20 kHz,
and steep cuts have several. Their polynomials of squared magnitude (see `stages.matched`) are moved
together by damped least squares (D. Marquardt, *An algorithm for least-squares estimation of
nonlinear parameters*, J. SIAM 11(2), 1963) until the whole is near enough.
"""

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from puddle.stages.matched import (
    Analog,
    Row,
    analog_power,
    factored,
    matched_section,
    places,
    polynomial,
)

_GOOD = 0.097  # 0.42 dB
_ROUNDS = 14
_DAMPED, _LESS, _MORE = 0.3, 0.5, 4.0
_MOST_DAMPED = 1e4


@lru_cache(1024)
def matched_cascade(
    top: Analog, bottoms: tuple[Analog, ...], hz: float, rate_hz: float
) -> tuple[Row, ...]:
    """Sections (b0, b1, b2, a1, a2) whose product has the magnitude of top / bottom of each.

    Takes analog polynomials as `matched_section`. Where the sections that are matched one by one
    are good enough, it is they.
    """
    rows = tuple(matched_section(top, bottom, hz, rate_hz) for bottom in bottoms)
    if len(rows) < 2:
        return rows
    w = places(hz, rate_hz)
    w0 = 2.0 * math.pi * hz / rate_hz
    scale = math.sin(min(w0, 3.0) / 2.0) ** 2
    u = np.sin(w / 2.0) ** 2 / scale
    powers = np.stack([np.ones_like(u), u, u * u], axis=1)
    over = np.log(analog_power(top, w / w0)) * len(bottoms)
    wanted = over - sum(np.log(analog_power(bottom, w / w0)) for bottom in bottoms)
    tops = np.array([polynomial(row[:3], scale) for row in rows])
    under = np.array([polynomial((1.0, *row[3:]), scale) for row in rows])
    first = _tried(tops / under[:, :1], under / under[:, :1], powers, wanted, scale)
    return _improved(first, powers, wanted, scale).rows if first is not None else rows


class _Try(NamedTuple):
    tops: np.ndarray  # (sections, 3): of u⁰, u¹, u²
    bottoms: np.ndarray
    over: np.ndarray  # (places, sections): their values
    under: np.ndarray
    missed: np.ndarray  # (places,): of the squared magnitude, as a natural logarithm
    rows: tuple[Row, ...]


def _tried(
    tops: np.ndarray, bottoms: np.ndarray, powers: np.ndarray, wanted: np.ndarray, scale: float
) -> _Try | None:
    """What polynomials make; None where they are no filters."""
    over, under = powers @ tops.T, powers @ bottoms.T
    if over.min() <= 0.0 or under.min() <= 0.0:
        return None
    rows = [factored(*pair, scale) for pair in zip(tops, bottoms, strict=True)]
    made = tuple(row for row in rows if row is not None)
    if len(made) < len(rows):
        return None
    missed = wanted - np.log(over).sum(axis=1) + np.log(under).sum(axis=1)
    return _Try(tops, bottoms, over, under, missed, made)


def _improved(now: _Try, powers: np.ndarray, wanted: np.ndarray, scale: float) -> _Try:
    """Each round a step that lessens the sum of squares, more damped where it would not."""
    damping = _DAMPED
    for _ in range(_ROUNDS):
        if float(np.abs(now.missed).max()) < _GOOD:
            break
        slopes = _slopes(now, powers)
        square, toward = slopes.T @ slopes, slopes.T @ now.missed
        found: _Try | None = None
        while found is None and damping < _MOST_DAMPED:
            step = np.linalg.solve(square + damping**2 * np.eye(len(square)), toward)
            found = _tried(*_stepped(now, step), powers, wanted, scale)
            if found is None or _squares(found) >= _squares(now):
                found, damping = None, damping * _MORE
        if found is None:
            break
        now, damping = found, damping * _LESS
    return now


def _squares(one: _Try) -> float:
    return float(one.missed @ one.missed)


def _slopes(now: _Try, powers: np.ndarray) -> np.ndarray:
    """(places, coefficients): by how much each relative change of one lifts the whole."""
    count = len(powers)
    over = powers[:, None, :] * now.tops / now.over[:, :, None]
    under = powers[:, None, 1:] * now.bottoms[:, 1:] / now.under[:, :, None]
    return np.concatenate([over.reshape(count, -1), -under.reshape(count, -1)], axis=1)


def _stepped(now: _Try, step: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    count = now.tops.size
    bottoms = now.bottoms.copy()
    bottoms[:, 1:] *= 1.0 + step[count:].reshape(-1, 2)
    return now.tops * (1.0 + step[:count].reshape(now.tops.shape)), bottoms
