"""What opens and shapes by the level of the hit: gate and transient, over stereo quanta."""

import math

import numpy as np

from puddle.kernels.compiling import STAGE_SIGNATURE, carray, entry, kernel
from puddle.kernels.decibels import exp2_of, log2_of
from puddle.kernels.guard import sane
from puddle.kernels.keys import KEY_CELLS, heard

_LOG2_10_20 = math.log2(10.0) / 20.0
_DB_OF_GAIN = 20.0 * math.log10(2.0)

# Gate: the levels at which it opens and closes, hold in frames, poles, and the gain when shut.
OPENS, CLOSES, HOLD, GATE_ATTACK, GATE_RELEASE, FLOOR = range(6)
GATE_COEFFICIENTS = 6
_GAIN, _LEFT_OPEN, GATE_DEEPEST, _STARTED = range(4)
GATE_CELLS = 4


@kernel
def gate(state, coefficients, audio, key, frames):
    """Opens while the key is over one level, shuts once it was under another for the hold.

    Stereo, linked, in place.
    """
    opens, closes, hold = coefficients[OPENS], coefficients[CLOSES], coefficients[HOLD]
    attack, release = coefficients[GATE_ATTACK], coefficients[GATE_RELEASE]
    floor = coefficients[FLOOR]
    gain, left_open = state[_GAIN], state[_LEFT_OPEN]
    if state[_STARTED] == 0.0:
        gain = floor
        state[_STARTED] = 1.0
    deepest = state[GATE_DEEPEST]
    for n in range(frames):
        level = max(abs(key[2 * n]), abs(key[2 * n + 1]))
        if level >= opens or (left_open > 0.0 and level >= closes):
            left_open = hold
        else:
            left_open = max(0.0, left_open - 1.0)
        wanted = 1.0 if left_open > 0.0 else floor
        gain = wanted + (attack if left_open > 0.0 else release) * (gain - wanted)
        deepest = max(deepest, 1.0 - gain)
        audio[n, 0] *= gain
        audio[n, 1] *= gain
    state[_GAIN] = gain if sane(gain) else floor
    state[_LEFT_OPEN], state[GATE_DEEPEST] = left_open, deepest


# Transient: gains in dB, poles of the followers, and the range that is touched.
ATTACK_DB, SUSTAIN_DB, FAST, SLOW, SINK, LINGER = range(6)
RANGE_LOW, RANGE_LOW_POLE, RANGE_HIGH, RANGE_HIGH_POLE = range(6, 10)
TRANSIENT_COEFFICIENTS = 10
_QUICK, _LATE, _SHORT, _LONG, _SMOOTH = range(5)
_FILTER = 5
TRANSIENT_CELLS = _FILTER + 8
_SPAN_DB = 9.0  # of difference between two followers for the whole gain
_LEAST = 1e-5


@kernel
def transient_gain_db(attack_db, sustain_db, rising_db, ringing_db):
    """The gain in dB: each part of it as far as its pair of followers stands apart."""
    rise = min(1.0, max(0.0, rising_db) / _SPAN_DB)
    ring = min(1.0, max(0.0, ringing_db) / _SPAN_DB)
    return attack_db * rise + sustain_db * ring * (1.0 - rise)


@kernel
def transient(state, coefficients, audio, frames):
    """More or less of the attack, and of what rings after it; stereo (frames, 2), in place.

    Two followers that rise at different speeds stand apart while the level rises; two that fall at
    different speeds while it falls. What lies outside the range passes untouched.
    """
    attack_db, sustain_db = coefficients[ATTACK_DB], coefficients[SUSTAIN_DB]
    fast, slow = coefficients[FAST], coefficients[SLOW]
    sink, linger = coefficients[SINK], coefficients[LINGER]
    low_on, low_pole = coefficients[RANGE_LOW], coefficients[RANGE_LOW_POLE]
    high_on, high_pole = coefficients[RANGE_HIGH], coefficients[RANGE_HIGH_POLE]
    quick, late, short, long = state[_QUICK], state[_LATE], state[_SHORT], state[_LONG]
    smooth = state[_SMOOTH]
    filters = state[_FILTER : _FILTER + 8]
    for n in range(frames):
        x, y = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        kept_x = _outside(filters[:4], x, low_on, low_pole, high_on, high_pole)
        kept_y = _outside(filters[4:], y, low_on, low_pole, high_on, high_pole)
        u, v = x - kept_x, y - kept_y
        level = max(abs(u), abs(v))
        quick = level + (fast if level > quick else sink) * (quick - level)
        late = quick + (slow if quick > late else sink) * (late - quick)
        short = level if level > short else level + sink * (short - level)
        long = short if short > long else short + linger * (long - short)
        rising = _DB_OF_GAIN * log2_of((quick + _LEAST) / (late + _LEAST))
        ringing = _DB_OF_GAIN * log2_of((long + _LEAST) / (short + _LEAST))
        wanted = transient_gain_db(attack_db, sustain_db, rising, ringing)
        smooth = wanted + fast * (smooth - wanted)
        gain = exp2_of(smooth * _LOG2_10_20)
        audio[n, 0] = kept_x + gain * u
        audio[n, 1] = kept_y + gain * v
    if not sane(quick + late + short + long + smooth):
        quick = late = short = long = smooth = 0.0
    state[_QUICK], state[_LATE], state[_SHORT], state[_LONG] = quick, late, short, long
    state[_SMOOTH] = smooth


@kernel
def _outside(cells, x, low_on, low_pole, high_on, high_pole):
    """What lies under one frequency and over another, two one-poles each."""
    a = cells[0] + low_pole * (x - cells[0])
    b = cells[1] + low_pole * (x - a - cells[1])
    inside = x - low_on * (a + b)
    c = cells[2] + high_pole * (inside - cells[2])
    d = cells[3] + high_pole * (c - cells[3])
    whole = sane(a + b + c + d)
    cells[0] = a if whole else 0.0
    cells[1] = b if whole else 0.0
    cells[2] = c if whole else 0.0
    cells[3] = d if whole else 0.0
    inside += high_on * (d - inside)
    return x - inside


@entry(STAGE_SIGNATURE)
def gate_entry(state, coefficients, audio, frames):
    """The gate's loop."""
    cells, block = carray(state, (KEY_CELLS + GATE_CELLS,)), carray(audio, (frames, 2))
    gate(
        cells[KEY_CELLS:],
        carray(coefficients, (GATE_COEFFICIENTS,)),
        block,
        heard(cells, block, frames),
        frames,
    )


@entry(STAGE_SIGNATURE)
def transient_entry(state, coefficients, audio, frames):
    """The transient's loop."""
    transient(
        carray(state, (TRANSIENT_CELLS,)),
        carray(coefficients, (TRANSIENT_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )
