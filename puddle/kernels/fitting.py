"""A decaying sine fitted to a windowed signal: the loop of the pitch search."""

import math

import numpy as np

from puddle.kernels.compiling import kernel

_ROUNDS = 12
_RIDGE = 1e-12
_CLOSE = 1e-6  # of the frequency: it has arrived
_TURN = 2.0 * math.pi


@kernel
def fit_decaying_sine(target, window, rate, hz, decay, lowest, highest):
    """Frequency, decay (1/s), and the share of the energy of `target` that is explained; or -1.

    The model is window (a cos + b sin) e^(-decay t), by Gauss-Newton steps in frequency and decay
    with the amplitudes solved for (variable projection). Everything that a step needs are thirteen
    sums over the frames, which one pass makes. The share is -1 where there is no such sine.
    """
    sums = np.empty(13)
    square, right = np.empty((4, 4)), np.empty(4)
    energy = 0.0
    for n in range(target.shape[0]):
        energy += target[n] * target[n]
    for _ in range(_ROUNDS):
        _sum_up(target, window, rate, hz, decay, sums)
        fitted, a, b = _amplitudes(sums)
        if not fitted:
            return hz, decay, -1.0
        _step(sums, a, b, square, right)
        if not _solve(square, right):
            return hz, decay, -1.0
        hz += max(-0.05 * hz, min(0.05 * hz, right[0]))
        decay = max(-20.0, min(300.0, decay + max(-15.0, min(15.0, right[1]))))
        if not (lowest <= hz <= highest):
            return hz, decay, -1.0
        if abs(right[0]) < _CLOSE * hz:
            break
    _sum_up(target, window, rate, hz, decay, sums)
    fitted, a, b = _amplitudes(sums)
    if not fitted:
        return hz, decay, -1.0
    explained = 2.0 * (a * sums[9] + b * sums[11])
    explained -= a * a * sums[0] + 2.0 * a * b * sums[3] + b * b * sums[6]
    return hz, decay, max(0.0, explained / energy)


@kernel
def _sum_up(target, window, rate, hz, decay, sums):
    """Σ t^k c², c s, s² for k of 0 to 2, then c and s times the target for k of 0 and 1."""
    cc0 = cc1 = cc2 = cs0 = cs1 = cs2 = ss0 = ss1 = ss2 = 0.0
    ct0 = ct1 = st0 = st1 = 0.0
    shrink = math.exp(-decay / rate)
    turn_c, turn_s = shrink * math.cos(_TURN * hz / rate), shrink * math.sin(_TURN * hz / rate)
    x, y = 1.0, 0.0
    for n in range(target.shape[0]):
        t = n / rate
        c, s = window[n] * x, window[n] * y
        cc, cs, ss = c * c, c * s, s * s
        cc0 += cc
        cs0 += cs
        ss0 += ss
        cc1 += t * cc
        cs1 += t * cs
        ss1 += t * ss
        cc2 += t * t * cc
        cs2 += t * t * cs
        ss2 += t * t * ss
        ct, st = c * target[n], s * target[n]
        ct0 += ct
        st0 += st
        ct1 += t * ct
        st1 += t * st
        x, y = turn_c * x - turn_s * y, turn_s * x + turn_c * y
    sums[0], sums[1], sums[2] = cc0, cc1, cc2
    sums[3], sums[4], sums[5] = cs0, cs1, cs2
    sums[6], sums[7], sums[8] = ss0, ss1, ss2
    sums[9], sums[10], sums[11], sums[12] = ct0, ct1, st0, st1


@kernel
def _amplitudes(sums):
    """Whether there are amplitudes, and those of cosine and sine."""
    cc, cs, ss = sums[0], sums[3], sums[6]
    if not (cc > 0.0 and ss > 0.0 and math.isfinite(cc + ss)):
        return False, 0.0, 0.0
    mixed = cs / math.sqrt(cc * ss)
    own = 1.0 + _RIDGE
    determinant = own * own - mixed * mixed
    if determinant <= 0.0:
        return False, 0.0, 0.0
    p, q = sums[9] / math.sqrt(cc), sums[11] / math.sqrt(ss)
    a = (own * p - mixed * q) / determinant / math.sqrt(cc)
    b = (own * q - mixed * p) / determinant / math.sqrt(ss)
    return True, a, b


@kernel
def _step(sums, a, b, square, right):
    """Normal equations of the step: the model by Hz, by decay, and by both amplitudes."""
    cc0, cc1, cc2 = sums[0], sums[1], sums[2]
    cs0, cs1, cs2 = sums[3], sums[4], sums[5]
    ss0, ss1, ss2 = sums[6], sums[7], sums[8]
    # By Hz: 2π t (b c - a s); by decay: -t (a c + b s).
    square[0, 0] = _TURN * _TURN * (b * b * cc2 - 2.0 * a * b * cs2 + a * a * ss2)
    square[0, 1] = -_TURN * (a * b * (cc2 - ss2) + (b * b - a * a) * cs2)
    square[0, 2] = _TURN * (b * cc1 - a * cs1)
    square[0, 3] = _TURN * (b * cs1 - a * ss1)
    square[1, 1] = a * a * cc2 + 2.0 * a * b * cs2 + b * b * ss2
    square[1, 2] = -(a * cc1 + b * cs1)
    square[1, 3] = -(a * cs1 + b * ss1)
    square[2, 2], square[2, 3], square[3, 3] = cc0, cs0, ss0
    # The rest of the target, target - a c - b s, along each.
    rest_c1 = sums[10] - a * cc1 - b * cs1
    rest_s1 = sums[12] - a * cs1 - b * ss1
    right[0] = _TURN * (b * rest_c1 - a * rest_s1)
    right[1] = -(a * rest_c1 + b * rest_s1)
    right[2] = sums[9] - a * cc0 - b * cs0
    right[3] = sums[11] - a * cs0 - b * ss0


@kernel
def _solve(square, right):
    """The step in place of the right side, by scaled elimination with pivots; whether there is."""
    scale = np.empty(4)
    for k in range(4):
        if not (square[k, k] > 0.0 and math.isfinite(square[k, k])):
            return False
        scale[k] = 1.0 / math.sqrt(square[k, k])
    for i in range(4):
        for j in range(i, 4):
            square[i, j] *= scale[i] * scale[j]
            square[j, i] = square[i, j]
        square[i, i] += _RIDGE
        right[i] *= scale[i]
    for k in range(4):
        pivot = k
        for i in range(k + 1, 4):
            if abs(square[i, k]) > abs(square[pivot, k]):
                pivot = i
        if square[pivot, k] == 0.0:
            return False
        if pivot != k:
            for j in range(4):
                square[k, j], square[pivot, j] = square[pivot, j], square[k, j]
            right[k], right[pivot] = right[pivot], right[k]
        for i in range(k + 1, 4):
            factor = square[i, k] / square[k, k]
            for j in range(k, 4):
                square[i, j] -= factor * square[k, j]
            right[i] -= factor * right[k]
    for k in range(3, -1, -1):
        for j in range(k + 1, 4):
            right[k] -= square[k, j] * right[j]
        right[k] /= square[k, k]
    for k in range(4):
        right[k] *= scale[k]
    return True
