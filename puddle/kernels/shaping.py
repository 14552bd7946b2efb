"""Curves that bend a wave, and the mean of a curve between two samples.

A curve applied to samples folds its harmonics back. What is applied here is its mean over the
straight line between two samples, (F(x) - F(before)) / (x - before) with F' = f, which takes the
highest away before they fold (Parker, Zavalishin and Le Bivic, *Reducing the aliasing of
nonlinear waveshaping using continuous-time convolution*, DAFx-16).
"""

import math

import numpy as np

from puddle.kernels.compiling import inlined, kernel
from puddle.kernels.oversampling import FACTOR, over_row, singles
from puddle.kernels.quantum import QUANTUM

ROUND, CUBIC, HARD, UNEVEN, FOLD, KNEE = range(6)
_NEAR = 1e-5  # nearer than this the curve is taken in the middle
BIAS = 0.6
_BIASED = BIAS / math.sqrt(1.0 + BIAS * BIAS)
_QUARTER_PI = 0.25 * math.pi


@kernel
def curve(kind, x, soft):
    """f(x), odd but for UNEVEN, at most 1; `soft` is the half width of the KNEE."""
    if kind == ROUND:
        return x / math.sqrt(1.0 + x * x)
    if kind == CUBIC:
        u = min(1.0, max(-1.0, x))
        return u * (1.5 - 0.5 * u * u)
    if kind == HARD:
        return min(1.0, max(-1.0, x))
    if kind == UNEVEN:
        u = x + BIAS
        return u / math.sqrt(1.0 + u * u) - _BIASED
    if kind == FOLD:
        return math.sin(_QUARTER_PI * x)
    past = min(2.0 * soft, max(0.0, abs(x) - 1.0 + soft))
    inside = min(abs(x), 1.0 + soft) - past * past / (4.0 * soft)
    return inside if x >= 0.0 else -inside


@kernel
def integral(kind, x, soft):
    """F(x), of which f is the slope."""
    if kind == ROUND:
        return math.sqrt(1.0 + x * x)
    if kind == CUBIC:
        u = min(1.0, abs(x))
        return u * u * (0.75 - 0.125 * u * u) + (abs(x) - u)
    if kind == HARD:
        u = min(1.0, abs(x))
        return 0.5 * u * u + (abs(x) - u)
    if kind == UNEVEN:
        u = x + BIAS
        return math.sqrt(1.0 + u * u) - _BIASED * x
    if kind == FOLD:
        return -math.cos(_QUARTER_PI * x) / _QUARTER_PI
    u = min(1.0 + soft, abs(x))
    past = max(0.0, u - 1.0 + soft)
    return 0.5 * u * u - past * past * past / (12.0 * soft) + (abs(x) - u)


@kernel
def bend(over, kind, soft, scratch, memory, frames):
    """Bends rows of a quantum in place (see `oversampling`); a cell remembers the last value.

    The value before one in a row is the one in the row over it; before the first row's, the last
    row's of the frame before.
    """
    before, below = scratch[:QUANTUM], scratch[QUANTUM : 2 * QUANTUM]
    _begin(over, before, memory, frames)
    for n in range(QUANTUM):
        below[n] = integral(kind, before[n], soft)
    for row in range(FACTOR):
        values = over_row(over, row)
        for n in range(QUANTUM):
            x = np.float64(values[n])
            whole = integral(kind, x, soft)
            step = x - before[n]
            near = abs(step) < _NEAR
            middle = curve(kind, 0.5 * (x + before[n]), soft)
            slope = (whole - below[n]) / (1.0 if near else step)
            values[n] = middle if near else slope
            before[n] = x
            below[n] = whole


@kernel
def bend_round(over, bias, scratch, memory, frames):
    """`bend` by (x + bias) / sqrt(1 + (x + bias)²), less its value at rest.

    The integral is r(x) = sqrt(1 + (x + bias)²), and as r² - s² = (r - s)(r + s) the mean is
    (x + y + 2 bias) / (r + s): one root for each sample, and no two that lie too near.
    """
    rows = singles(scratch)
    before, below = rows[:QUANTUM], rows[QUANTUM : 2 * QUANTUM]
    _begin(over, before, memory, frames)
    one, shift = np.float32(1.0), np.float32(bias)
    rest = np.float32(bias / math.sqrt(1.0 + bias * bias))
    for n in range(QUANTUM):
        before[n] += shift
        below[n] = np.sqrt(one + before[n] * before[n])
    for row in range(FACTOR):
        values = over_row(over, row)
        for n in range(QUANTUM):
            x = values[n] + shift
            root = np.sqrt(one + x * x)
            values[n] = (x + before[n]) / (root + below[n]) - rest
            before[n] = x
            below[n] = root


@inlined
def _begin(over, before, memory, frames):
    """What came before the first row; remembers the last value."""
    last = over_row(over, FACTOR - 1)
    before[0] = memory[0]
    for n in range(1, QUANTUM):
        before[n] = last[n - 1]
    memory[0] = last[frames - 1]
