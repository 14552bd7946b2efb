"""The band compressor's loop: three bands that sum flat, each turned down and up by its level."""

import math

import numpy as np

from puddle.kernels.compiling import kernel
from puddle.kernels.decibels import exp2_of, log2_of
from puddle.kernels.guard import sane

BANDS = 3
_SECTIONS = 9  # low-pass twice, high-pass twice, allpass, low-pass twice, high-pass twice
_SECTION_VALUES = 5 * _SECTIONS
# After the sections: depth, slopes down and up, poles; then for each band where it is turned down,
# where up, its gain, and how much of its level's follower is left after a frame.
DEPTH, DOWN, UP, ATTACK, RELEASE = range(_SECTION_VALUES, _SECTION_VALUES + 5)
_PER_BAND = _SECTION_VALUES + 5
_BAND_VALUES = 4
BAND_COEFFICIENTS = _PER_BAND + _BAND_VALUES * BANDS
_GAINS = 4 * _SECTIONS
_LEVELS = _GAINS + BANDS
BAND_DEEPEST = _LEVELS + BANDS
BAND_CELLS = BAND_DEEPEST + 1
_LOG2_10_20 = math.log2(10.0) / 20.0
_DB_OF_POWER = 10.0 * math.log10(2.0)
MOST_UP_DB = 24.0
QUIET_DB = -75.0  # what is quieter is not lifted: hiss stays hiss


@kernel
def band_gain_db(level_db, above_db, below_db, down, up):
    """Static curve: how far a level is turned, without depth; down over one, up under another."""
    over = max(0.0, level_db - above_db)
    under = max(0.0, below_db - level_db)
    lift = min(MOST_UP_DB, up * under)
    # The lift goes back to nothing over the last 15 dB above the quietest.
    lift *= min(1.0, max(0.0, (level_db - QUIET_DB) / 15.0))
    return lift - down * over


@kernel
def compress_bands(state, coefficients, audio, frames):
    """Linkwitz-Riley crossovers of 24 dB an octave, and a gain for each band; stereo, in place.

    The lowest band goes through the allpass of the upper crossover, so that all three meet in
    phase and their sum is an allpass (Linkwitz, *Active crossover networks for noncoincident
    drivers*, JAES 24, 1976).
    """
    depth, down, up = coefficients[DEPTH], coefficients[DOWN], coefficients[UP]
    attack, release = coefficients[ATTACK], coefficients[RELEASE]
    deepest = state[BAND_DEEPEST]
    for n in range(frames):
        x, y = np.float64(audio[n, 0]), np.float64(audio[n, 1])
        a, b = _section(state, coefficients, 0, x, y)
        a, b = _section(state, coefficients, 1, a, b)
        low_l, low_r = _section(state, coefficients, 4, a, b)
        a, b = _section(state, coefficients, 2, x, y)
        a, b = _section(state, coefficients, 3, a, b)
        c, d = _section(state, coefficients, 5, a, b)
        mid_l, mid_r = _section(state, coefficients, 6, c, d)
        c, d = _section(state, coefficients, 7, a, b)
        high_l, high_r = _section(state, coefficients, 8, c, d)
        left = right = 0.0
        for band in range(BANDS):
            u = low_l if band == 0 else (mid_l if band == 1 else high_l)
            v = low_r if band == 0 else (mid_r if band == 1 else high_r)
            at = _PER_BAND + _BAND_VALUES * band
            values = coefficients[at : at + _BAND_VALUES]
            power = max(u * u, v * v, values[3] * state[_LEVELS + band])
            state[_LEVELS + band] = power
            level = _DB_OF_POWER * log2_of(power + 1e-30)
            wanted = depth * band_gain_db(level, values[0], values[1], down, up)
            held = state[_GAINS + band]
            held = wanted + (attack if wanted < held else release) * (held - wanted)
            state[_GAINS + band] = held if sane(held) else 0.0
            deepest = max(deepest, -held)
            gain = exp2_of((held + depth * values[2]) * _LOG2_10_20)
            left += gain * u
            right += gain * v
        audio[n, 0], audio[n, 1] = left, right
    state[BAND_DEEPEST] = deepest
    for k in range(BAND_DEEPEST):
        if not sane(state[k]):
            state[k] = 0.0


@kernel
def _section(state, coefficients, index, x, y):
    """One biquad, transposed direct form II, both sides."""
    c = coefficients[5 * index : 5 * index + 5]
    s = state[4 * index : 4 * index + 4]
    p = c[0] * x + s[0]
    q = c[0] * y + s[2]
    s[0] = c[1] * x - c[3] * p + s[1]
    s[1] = c[2] * x - c[4] * p
    s[2] = c[1] * y - c[3] * q + s[3]
    s[3] = c[2] * y - c[4] * q
    return p, q
