"""The compressor's loop, over stereo blocks with its state."""

import math

from puddle.kernels.compiling import STAGE_SIGNATURE, carray, entry, kernel
from puddle.kernels.decibels import exp2_of, log2_of
from puddle.kernels.frames import scale
from puddle.kernels.guard import sane
from puddle.kernels.keys import KEY_CELLS, heard
from puddle.kernels.quantum import QUANTUM
from puddle.kernels.ramps import toward

# Compressor: cells of its coefficients and of its state.
THRESHOLD, SLOPE, KNEE, ATTACK, RELEASE, MAKEUP, RMS = range(7)
COMPRESSOR_COEFFICIENTS = 7
POWER, REDUCTION, DEEPEST, _MAKEUP_NOW = range(4)
_SCRATCH = 4
COMPRESSOR_CELLS = _SCRATCH + QUANTUM

_DB_OF_GAIN = 20.0 * math.log10(2.0)  # dB of a factor of two
_DB_OF_POWER = 10.0 * math.log10(2.0)


@kernel
def reduction_db(level_db, threshold_db, slope, knee_db):
    """Static gain computer with a soft knee: dB of reduction (>= 0) for a level.

    Giannoulis, Massberg and Reiss, *Digital Dynamic Range Compressor Design*, JAES 60 (2012),
    eq. 4, with slope = 1 - 1/ratio. Within the knee of width W, (over + W/2)^2 / 2W; past it,
    over. Written without branches: a knee of nothing is one too narrow to matter.
    """
    width = max(knee_db, 1e-6)
    inside = min(max(level_db - threshold_db + 0.5 * width, 0.0), width)
    past = max(level_db - threshold_db - 0.5 * width, 0.0)
    return slope * (inside * inside / (2.0 * width) + past)


@kernel
def compress(state, coefficients, audio, key, frames):
    """A feed-forward compressor on stereo float32 (frames, 2), in place, channels linked.

    The reduction is smoothed in dB by one-pole attack and release (the same paper's smooth
    branching detector, eq. 16), and follows the key's level. With RMS > 0 that coefficient averages
    the power first. At most a quantum at a time: level, smoothing and gain are three loops over
    the state's scratch cells, so that the first and the last run several frames at once.
    """
    threshold, slope, knee = coefficients[THRESHOLD], coefficients[SLOPE], coefficients[KNEE]
    attack, release = coefficients[ATTACK], coefficients[RELEASE]
    makeup, step = toward(state, _MAKEUP_NOW, coefficients[MAKEUP], frames)
    rms = coefficients[RMS]
    power, held, deepest = state[POWER], state[REDUCTION], state[DEEPEST]
    scratch = state[_SCRATCH : _SCRATCH + frames]
    if rms > 0.0:
        for n in range(frames):
            left, right = key[2 * n], key[2 * n + 1]
            power = rms * power + (1.0 - rms) * 0.5 * (left * left + right * right)
            scratch[n] = 2.0 * power  # a sine at full scale reads 0 dB
    else:
        for n in range(frames):
            left, right = key[2 * n], key[2 * n + 1]
            scratch[n] = max(left * left, right * right)
    for n in range(frames):
        level = _DB_OF_POWER * log2_of(scratch[n] + 1e-30)
        scratch[n] = reduction_db(level, threshold, slope, knee)
    for n in range(frames):
        wanted = scratch[n]
        pole = attack if wanted > held else release
        held = wanted + pole * (held - wanted)
        deepest = deepest if deepest > held else held
        scratch[n] = held
    held = held if held > 1e-9 else 0.0
    for n in range(frames):
        scratch[n] = (makeup + step * (n + 1)) * exp2_of(-scratch[n] / _DB_OF_GAIN)
    scale(audio, scratch, frames)
    if not sane(power + held):
        power = 0.0
        held = 0.0
        deepest = 0.0
    state[POWER], state[REDUCTION], state[DEEPEST] = power, held, deepest


@entry(STAGE_SIGNATURE)
def compress_entry(state, coefficients, audio, frames):
    """The compressor's loop."""
    cells, block = carray(state, (KEY_CELLS + COMPRESSOR_CELLS,)), carray(audio, (frames, 2))
    compress(
        cells[KEY_CELLS:],
        carray(coefficients, (COMPRESSOR_COEFFICIENTS,)),
        block,
        heard(cells, block, frames),
        frames,
    )
