"""Gain, fade, stereo picture and crushing: loops without a detector, over stereo quanta."""

import math

import numpy as np

from puddle.kernels.compiling import STAGE_SIGNATURE, carray, entry, kernel
from puddle.kernels.guard import sane
from puddle.kernels.ramps import toward

GAIN_COEFFICIENTS, GAIN_CELLS = 1, 1


@kernel
def amplify(state, coefficients, audio, frames):
    """A plain gain, in place."""
    gain, step = toward(state, 0, coefficients[0], frames)
    if gain != 1.0 or step != 0.0:
        for n in range(frames):
            now = gain + step * (n + 1)
            audio[n, 0] *= now
            audio[n, 1] *= now


# Fade: frames of the way in, frames until the way out, frames of that, and whether there is one.
FADE_COEFFICIENTS, FADE_CELLS = 4, 1


@kernel
def fade(state, coefficients, audio, frames):
    """In and out along half cosines, counted from the first frame that is not silent; in place."""
    rise, until, fall, goes = coefficients[0], coefficients[1], coefficients[2], coefficients[3]
    clock = state[0]
    for n in range(frames):
        if clock == 0.0 and audio[n, 0] == 0.0 and audio[n, 1] == 0.0:
            continue
        gain = 1.0
        if clock < rise:
            gain = 0.5 - 0.5 * math.cos(math.pi * (clock + 0.5) / rise)
        if goes > 0.0 and clock >= until:
            past = min(1.0, (clock - until + 0.5) / fall)
            gain *= 0.5 + 0.5 * math.cos(math.pi * past)
        audio[n, 0] *= gain
        audio[n, 1] *= gain
        clock += 1.0
    state[0] = clock


# Stereo: width, gains of left and right, whether the bottom is mono, and its pole.
STEREO_COEFFICIENTS, STEREO_CELLS = 5, 5
_WIDTH, _LEFT_GAIN, _RIGHT_GAIN = 2, 3, 4  # after the cells of the side's bottom


@kernel
def picture(state, coefficients, audio, frames):
    """Width by middle and side, the side without its bottom if asked for, balance; in place."""
    width, wider = toward(state, _WIDTH, coefficients[0], frames)
    left, left_step = toward(state, _LEFT_GAIN, coefficients[1], frames)
    right, right_step = toward(state, _RIGHT_GAIN, coefficients[2], frames)
    mono, pole = coefficients[3], coefficients[4]
    first, second = state[0], state[1]
    for n in range(frames):
        middle = 0.5 * (np.float64(audio[n, 0]) + np.float64(audio[n, 1]))
        side = 0.5 * (np.float64(audio[n, 0]) - np.float64(audio[n, 1]))
        first += pole * (side - first)
        second += pole * (first - second)
        side = (width + wider * (n + 1)) * (side - mono * (2.0 * first - second))
        audio[n, 0] = (left + left_step * (n + 1)) * (middle + side)
        audio[n, 1] = (right + right_step * (n + 1)) * (middle - side)
    whole = sane(first + second)
    state[0] = first if whole else 0.0
    state[1] = second if whole else 0.0


# Crusher: steps from 0 to full scale, and held samples for each frame.
CRUSHER_COEFFICIENTS, CRUSHER_CELLS = 2, 3
_PHASE, _LEFT, _RIGHT = range(3)
_NOW = 1e-9  # sums of a rate that is no binary fraction miss zero by less


@kernel
def crush(state, coefficients, audio, frames):
    """Fewer bits and a lower rate, by rounding and holding; nothing is smoothed. In place."""
    steps, rate = coefficients[0], coefficients[1]
    phase, left, right = state[_PHASE], state[_LEFT], state[_RIGHT]
    for n in range(frames):
        if phase <= _NOW:
            x, y = np.float64(audio[n, 0]), np.float64(audio[n, 1])
            left = math.floor(x * steps + 0.5) / steps if sane(x) else 0.0
            right = math.floor(y * steps + 0.5) / steps if sane(y) else 0.0
            phase += 1.0
        phase -= rate
        audio[n, 0] = left
        audio[n, 1] = right
    state[_PHASE], state[_LEFT], state[_RIGHT] = phase, left, right


@entry(STAGE_SIGNATURE)
def gain_entry(state, coefficients, audio, frames):
    """A plain gain."""
    amplify(
        carray(state, (GAIN_CELLS,)),
        carray(coefficients, (GAIN_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def fade_entry(state, coefficients, audio, frames):
    """The fade's loop."""
    fade(
        carray(state, (FADE_CELLS,)),
        carray(coefficients, (FADE_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def stereo_entry(state, coefficients, audio, frames):
    """The picture's loop."""
    picture(
        carray(state, (STEREO_CELLS,)),
        carray(coefficients, (STEREO_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def crush_entry(state, coefficients, audio, frames):
    """The crusher's loop."""
    crush(
        carray(state, (CRUSHER_CELLS,)),
        carray(coefficients, (CRUSHER_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )
