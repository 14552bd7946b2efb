"""The band compressor's loops: three bands that sum flat, each turned down and up by its level."""

import math

from puddle.kernels.compiling import STAGE_SIGNATURE, carray, entry, kernel
from puddle.kernels.decibels import exp2_of, log2_of
from puddle.kernels.guard import sane
from puddle.kernels.keys import KEY_CELLS, heard
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.ramps import toward

BANDS = 3
_SECTIONS = 9  # low-pass twice, high-pass twice, allpass, low-pass twice, high-pass twice
_SECTION_VALUES = 5 * _SECTIONS
# After the sections: depth, slopes down and up, poles; then for each band where it is turned down,
# where up, its gain, and how much of its level's follower is left after a frame.
# Beside them how loud what the bands make is heard, and how loud the bands as they came.
DEPTH, DOWN, UP, ATTACK, RELEASE, WET, DRY = range(_SECTION_VALUES, _SECTION_VALUES + 7)
_PER_BAND = _SECTION_VALUES + 7
_BAND_VALUES = 4
BAND_COEFFICIENTS = _PER_BAND + _BAND_VALUES * BANDS
# Filters of what is heard and of the key; gains and levels; then a quantum of each band, of each
# band of the key, and one to work in.
_KEY_FILTERS = 4 * _SECTIONS
_GAINS = 2 * _KEY_FILTERS
_LEVELS = _GAINS + BANDS
BAND_DEEPEST = _LEVELS + BANDS
_WET_NOW = BAND_DEEPEST + 1
_DRY_NOW = _WET_NOW + 1
_RAISED_NOW = _DRY_NOW + 1
_KEPT = _RAISED_NOW + BANDS
_LINE = 2 * QUANTUM
_LINES = 2 * BANDS + 1
BAND_CELLS = _KEPT + _LINES * _LINE
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
def compress_bands(state, coefficients, audio, key, keyed, frames):
    """Linkwitz-Riley crossovers of 24 dB an octave, and a gain for each band; stereo, in place.

    The lowest band goes through the allpass of the upper crossover, so that all three meet in
    phase and their sum is an allpass (Linkwitz, *Active crossover networks for noncoincident
    drivers*, JAES 24, 1976). What is blended in dry is that sum, not what came in: the allpass
    turns phases, and both would cancel where it turns them half way round. A key is parted alike,
    and each band hears the key's. At most a quantum at a time.
    """
    lines = state[_KEPT:BAND_CELLS]
    spare = lines[2 * BANDS * _LINE :]
    for n in range(frames):
        spare[2 * n] = audio[n, 0]
        spare[2 * n + 1] = audio[n, 1]
    _part(state[:_KEY_FILTERS], coefficients, spare, lines[: BANDS * _LINE], frames)
    first = 0
    if keyed:
        first = BANDS
        parted = lines[BANDS * _LINE : 2 * BANDS * _LINE]
        for n in range(2 * frames):
            spare[n] = key[n]
        _part(state[_KEY_FILTERS:_GAINS], coefficients, spare, parted, frames)
    for n in range(frames):
        audio[n, 0] = 0.0
        audio[n, 1] = 0.0
    wet, wet_step = toward(state, _WET_NOW, coefficients[WET], frames)
    dry, dry_step = toward(state, _DRY_NOW, coefficients[DRY], frames)
    for band in range(BANDS):
        listened = lines[(first + band) * _LINE : (first + band + 1) * _LINE]
        _gains(state, coefficients, band, listened, spare, frames)
        line = lines[band * _LINE : (band + 1) * _LINE]
        for n in range(frames):
            gain = (wet + wet_step * (n + 1)) * spare[n] + dry + dry_step * (n + 1)
            audio[n, 0] += gain * line[2 * n]
            audio[n, 1] += gain * line[2 * n + 1]
    for k in range(_KEPT):
        if not sane(state[k]):
            state[k] = 0.0


@kernel
def _part(filters, coefficients, whole, bands, frames):
    """A quantum parted into its three bands; what was given is overwritten."""
    low, mid, high = bands[:_LINE], bands[_LINE : 2 * _LINE], bands[2 * _LINE :]
    _section(filters, coefficients, 0, whole, low, frames)
    _section(filters, coefficients, 1, low, low, frames)
    _section(filters, coefficients, 4, low, low, frames)
    _section(filters, coefficients, 2, whole, whole, frames)
    _section(filters, coefficients, 3, whole, whole, frames)
    _section(filters, coefficients, 5, whole, mid, frames)
    _section(filters, coefficients, 6, mid, mid, frames)
    _section(filters, coefficients, 7, whole, high, frames)
    _section(filters, coefficients, 8, high, high, frames)


@kernel
def _gains(state, coefficients, band, listened, gains, frames):
    """The linear gain of a band for each frame: level, static curve, smoothing."""
    depth, down, up = coefficients[DEPTH], coefficients[DOWN], coefficients[UP]
    attack, release = coefficients[ATTACK], coefficients[RELEASE]
    at = _PER_BAND + _BAND_VALUES * band
    above, below = coefficients[at], coefficients[at + 1]
    raised, sinking = coefficients[at + 2], coefficients[at + 3]
    power, held = state[_LEVELS + band], state[_GAINS + band]
    deepest = state[BAND_DEEPEST]
    for n in range(frames):
        left, right = listened[2 * n], listened[2 * n + 1]
        power = max(left * left, right * right, sinking * power)
        gains[n] = power
    for n in range(frames):
        level = _DB_OF_POWER * log2_of(gains[n] + 1e-30)
        gains[n] = depth * band_gain_db(level, above, below, down, up)
    for n in range(frames):
        wanted = gains[n]
        held = wanted + (attack if wanted < held else release) * (held - wanted)
        deepest = max(deepest, -held)
        gains[n] = held
    loud, step = toward(state, _RAISED_NOW + band, exp2_of(depth * raised * _LOG2_10_20), frames)
    for n in range(frames):
        gains[n] = (loud + step * (n + 1)) * exp2_of(gains[n] * _LOG2_10_20)
    state[_LEVELS + band], state[_GAINS + band] = power, held
    state[BAND_DEEPEST] = deepest


@kernel
def _section(filters, coefficients, index, source, target, frames):
    """One biquad, transposed direct form II, both sides; the target may be the source."""
    c = coefficients[5 * index : 5 * index + 5]
    s = filters[4 * index : 4 * index + 4]
    b0, b1, b2, a1, a2 = c[0], c[1], c[2], c[3], c[4]
    s0, s1, s2, s3 = s[0], s[1], s[2], s[3]
    for n in range(frames):
        x, y = source[2 * n], source[2 * n + 1]
        p = b0 * x + s0
        q = b0 * y + s2
        s0 = b1 * x - a1 * p + s1
        s1 = b2 * x - a2 * p
        s2 = b1 * y - a1 * q + s3
        s3 = b2 * y - a2 * q
        target[2 * n] = p
        target[2 * n + 1] = q
    s[0], s[1], s[2], s[3] = s0, s1, s2, s3


@entry(STAGE_SIGNATURE)
def bands_entry(state, coefficients, audio, frames):
    """The three bands' loop."""
    cells, block = carray(state, (KEY_CELLS + BAND_CELLS,)), carray(audio, (frames, 2))
    compress_bands(
        cells[KEY_CELLS:],
        carray(coefficients, (BAND_COEFFICIENTS,)),
        block,
        heard(cells, block, frames),
        cells[0] != 0.0,
        frames,
    )
