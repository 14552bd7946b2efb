"""Second-order sections whose magnitude is the analog one up to 20 kHz, at any rate.

The bilinear transform squeezes everything up to infinity under half the rate, so that a bell at
12 kHz grows narrow and a shelf too steep. Here the squared magnitude of a section, a ratio of
polynomials of second order in u = sin²(w/2), is fitted to the analog one by weighted least squares
(C. Sanathanan and J. Koerner, *Transfer function synthesis as a ratio of two complex polynomials*,
IEEE Trans. Automatic Control 8, 1963), and then factored into the section of minimum phase as in
M. Vicanek, *Matched second order digital filters* (2016).
"""

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np

Row = tuple[float, float, float, float, float]
Analog = tuple[float, float, float]  # of s², s and 1, with s in units of the section's frequency

LONGEST_RING_MS = 20000.0  # of any stage: what rings longer is faded
_FALLEN = math.log(1e6)  # 120 dB
_TOP_HZ = 20050.0  # what lies above is matched as far as may be
_ROUNDS = 4
_GOOD = 0.055  # 0.24 dB: to try further would take longer and hardly find better
_HELD = 1e-4  # weight of the analog poles
_ABOVE = (0.03, 0.2, 1.0, 5.0)  # weights of what lies above, one after another


@lru_cache(4096)
def matched_section(top: Analog, bottom: Analog, hz: float, rate_hz: float) -> Row:
    """b0, b1, b2, a1, a2 (a0 = 1) of the section whose magnitude is that of top / bottom.

    Both are of second order in s. Where `top` is s² alone, the section has both zeros at 0 Hz.
    """
    best = _Fit(None, math.inf)
    for orders in _orders(top):
        for above in _ABOVE:
            found = _fitted(top, bottom, hz, rate_hz, above, orders)
            best = min(best, found, key=lambda fit: fit.error)
            if best.error < _GOOD:
                break
        if best.error < _GOOD:
            break
    return best.row or bilinear_section(top, bottom, hz, rate_hz)


class _Fit(NamedTuple):
    row: Row | None
    error: float  # of the squared magnitude, as a natural logarithm


def _orders(top: Analog) -> tuple[tuple[int, ...], ...]:
    """Powers of u that a numerator is looked for with, one choice after another.

    A fit need not be a filter. A low-pass may do with one zero instead of two.
    """
    if top[1] == top[2] == 0.0:
        return ((2,),)
    return ((0, 1, 2), (0, 1)) if top[0] == top[1] == 0.0 else ((0, 1, 2),)


def _fitted(
    top: Analog,
    bottom: Analog,
    hz: float,
    rate_hz: float,
    above: float,
    orders: tuple[int, ...],
) -> _Fit:
    """The best section of some rounds of the fit.

    The last places count `above`; the numerator has the powers of u in `orders`.
    """
    w0 = 2.0 * math.pi * hz / rate_hz
    w = places(hz, rate_hz)
    w = np.concatenate([w, [0.5 * (w[-1] + math.pi), math.pi]])
    weight = np.ones_like(w)
    weight[-2:] = above
    scale = math.sin(min(w0, 3.0) / 2.0) ** 2
    u = np.sin(w / 2.0) ** 2 / scale
    powers = np.stack([np.ones_like(u), u, u * u], axis=1)
    wanted = analog_power(top, w / w0) / analog_power(bottom, w / w0)
    over_powers = powers[:, list(orders)]
    under = analog_power(bottom, np.sqrt(u))
    # Where hardly anything is lifted any poles would do: then they stay near the analog ones.
    first, second, third = bottom
    likely = np.array([second**2 - 2.0 * first * third, first**2]) / third**2
    best = _Fit(None, math.inf)
    for _ in range(_ROUNDS):
        each = (weight / (wanted * under))[:, None]
        columns = np.concatenate(
            [over_powers * each, -wanted[:, None] * powers[:, 1:] * each], axis=1
        )
        sizes = np.linalg.norm(columns, axis=0)
        held = np.eye(columns.shape[1])[-2:] * _HELD
        rows = np.concatenate([columns / sizes, held])
        sums = np.concatenate([weight / under, likely * sizes[-2:] * _HELD])
        found = np.linalg.lstsq(rows, sums, rcond=None)[0] / sizes
        numerator = np.zeros(3)
        numerator[list(orders)] = found[:-2]
        denominator = np.array([1.0, *found[-2:]])
        under, over = powers @ denominator, powers @ numerator
        if under.min() <= 0.0 or over.min() <= 0.0:
            break
        error = float(np.abs(np.log(over / under / wanted))[:-2].max())
        row = factored(numerator, denominator, scale)
        if row is not None and error < best.error:
            best = _Fit(row, error)
    return best


def bilinear_section(top: Analog, bottom: Analog, hz: float, rate_hz: float) -> Row:
    """The same by the bilinear transform, which meets the analog one at `hz`."""
    k = math.tan(math.pi * min(hz, 0.49 * rate_hz) / rate_hz)
    b0, b1, b2 = _bilinear(top, k)
    a0, a1, a2 = _bilinear(bottom, k)
    return (b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0)


def _bilinear(poly: Analog, k: float) -> Analog:
    square, middle, last = poly[0], poly[1] * k, poly[2] * k * k
    return (square + middle + last, 2.0 * (last - square), square - middle + last)


def places(hz: float, rate_hz: float) -> np.ndarray:
    """Where a section at `hz` is compared with the analog one, in radians a frame: (50,)."""
    edge = 2.0 * math.pi * min(_TOP_HZ, 0.47 * rate_hz) / rate_hz
    middle = min(2.0 * math.pi * hz / rate_hz, edge)
    return np.concatenate(
        [
            np.geomspace(middle / 40.0, edge, 28),
            np.linspace(0.5 * middle, min(edge, 2.0 * middle), 12),
            np.linspace(0.5 * edge, edge, 10),
        ]
    )


def analog_power(poly: Analog, x: np.ndarray) -> np.ndarray:
    """|poly(jx)|²."""
    square = x * x
    found: np.ndarray = (poly[2] - poly[0] * square) ** 2 + poly[1] * poly[1] * square
    return found


def factored(numerator: np.ndarray, denominator: np.ndarray, scale: float) -> Row | None:
    """The section of minimum phase with these squared magnitudes; None where there is none."""
    top, bottom = _factor(numerator, scale), _factor(denominator, scale)
    if top is None or bottom is None:
        return None
    a1, a2 = bottom[1] / bottom[0], bottom[2] / bottom[0]
    if not (abs(a2) < 1.0 and abs(a1) < 1.0 + a2):
        return None
    return (top[0] / bottom[0], top[1] / bottom[0], top[2] / bottom[0], a1, a2)


def polynomial(section: tuple[float, float, float], scale: float) -> tuple[float, float, float]:
    """p with |c0 + c1 z + c2 z²|² = p0 + p1 u + p2 u², u = sin²(w/2) / scale: undoes `_factor`."""
    c0, c1, c2 = section
    still, last, square = (c0 + c1 + c2) ** 2, (c0 - c1 + c2) ** 2, 16.0 * c0 * c2
    return still, (last - still - square) * scale, square * scale**2


def _factor(poly: np.ndarray, scale: float) -> tuple[float, float, float] | None:
    """c with |c0 + c1 z + c2 z²|² = p0 + p1 u + p2 u², u = sin²(w/2) / scale (Vicanek, §3)."""
    p0, p1, p2 = float(poly[0]), float(poly[1]) / scale, float(poly[2]) / scale**2
    last = p0 + p1 + p2  # at half the rate
    if p0 < 0.0 or last < 0.0:
        return None
    inner = 0.25 * (2.0 * p0 + p1 + 2.0 * math.sqrt(p0 * last))
    first = 0.25 * (math.sqrt(p0) + math.sqrt(last)) + 0.5 * math.sqrt(max(0.0, inner))
    if inner < 0.0 or first <= 0.0:
        return None
    return first, 0.5 * (math.sqrt(p0) - math.sqrt(last)), p2 / (16.0 * first)


def longest_ring_ms(sections: np.ndarray, rate_hz: float) -> float:
    """Until the slowest pole of sections (count, 5) that act has rung out by 120 dB."""
    slowest = 0.0
    for b0, b1, b2, a1, a2 in sections.tolist():
        if b0 == 1.0 and b1 == a1 and b2 == a2:
            continue
        inner = 0.25 * a1 * a1 - a2
        radius = math.sqrt(a2) if inner < 0.0 else 0.5 * abs(a1) + math.sqrt(inner)
        slowest = max(slowest, radius)
    if slowest <= 0.0:
        return 0.0
    return min(LONGEST_RING_MS, 1000.0 * _FALLEN / (-math.log(min(slowest, 1.0 - 1e-9)) * rate_hz))
