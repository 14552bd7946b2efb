"""A resonant filter whose middle moves with the hit, over stereo quanta."""

import math

import numpy as np

from puddle.kernels.compiling import STAGE_SIGNATURE, carray, entry, kernel
from puddle.kernels.decibels import exp2_of
from puddle.kernels.guard import sane

# Which filter, its frequency over the rate, 1/Q, octaves at full scale, the follower's poles.
KIND, PLACE, DAMPING, OCTAVES, RISE, FALL = range(6)
MOVING_COEFFICIENTS = 6
MOVING_CELLS = 5
LOWPASS, BANDPASS, HIGHPASS, NOTCH = range(4)
_HIGHEST = 0.47


@kernel
def moving_filter(state, coefficients, audio, frames):
    """The trapezoidal state-variable filter (see `filters.state_variable`), stereo, in place.

    Its frequency is the set one times 2 to the octaves times a follower of the level.
    """
    kind, place, k = int(coefficients[KIND]), coefficients[PLACE], coefficients[DAMPING]
    octaves, rise, fall = coefficients[OCTAVES], coefficients[RISE], coefficients[FALL]
    l1, l2, r1, r2, level = state[0], state[1], state[2], state[3], state[4]
    g = math.tan(math.pi * min(place, _HIGHEST))
    for n in range(frames):
        x, y = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        if octaves != 0.0:
            now = min(1.0, max(abs(x), abs(y)))
            level = now + (rise if now > level else fall) * (level - now)
            moved = place * exp2_of(octaves * level)
            g = math.tan(math.pi * min(_HIGHEST, max(1e-4, moved)))
        a1 = 1.0 / (1.0 + g * (g + k))
        v3 = x - l2
        v1 = a1 * (l1 + g * v3)
        v2 = l2 + g * v1
        l1, l2 = 2.0 * v1 - l1, 2.0 * v2 - l2
        w3 = y - r2
        w1 = a1 * (r1 + g * w3)
        w2 = r2 + g * w1
        r1, r2 = 2.0 * w1 - r1, 2.0 * w2 - r2
        if kind == LOWPASS:
            audio[n, 0], audio[n, 1] = v2, w2
        elif kind == BANDPASS:
            audio[n, 0], audio[n, 1] = k * v1, k * w1
        elif kind == HIGHPASS:
            audio[n, 0], audio[n, 1] = x - k * v1 - v2, y - k * w1 - w2
        else:
            audio[n, 0], audio[n, 1] = x - k * v1, y - k * w1
    if not sane(l1 + l2 + r1 + r2 + level):
        l1 = l2 = r1 = r2 = level = 0.0
    state[0], state[1], state[2], state[3], state[4] = l1, l2, r1, r2, level


@entry(STAGE_SIGNATURE)
def filter_entry(state, coefficients, audio, frames):
    """The moving filter's loop."""
    moving_filter(
        carray(state, (MOVING_CELLS,)),
        carray(coefficients, (MOVING_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )
