"""What is added to a hit and follows it: a band of noise, and a sine locked to its start."""

import math

from puddle.kernels.compiling import STAGE_SIGNATURE, carray, entry, kernel
from puddle.kernels.guard import sane
from puddle.kernels.keys import KEY_CELLS, heard
from puddle.kernels.ramps import toward
from puddle.kernels.sines import sine_of

# Noise: level, the follower's poles, the band's two one-poles, the start of the chance.
NOISE_LEVEL, NOISE_RISE, NOISE_FALL, NOISE_HIGH, NOISE_LOW, NOISE_SEED = range(6)
NOISE_COEFFICIENTS = 6
_ENVELOPE, _CHANCE, _NOISE_FILTERS = 0, 1, 2
_NOISE_LEVEL_NOW = 2 + 8
NOISE_CELLS = _NOISE_LEVEL_NOW + 1
_MODULUS = 2147483647.0  # 2^31 - 1: Park and Miller, CACM 31 (1988)
_FACTOR = 48271.0


@kernel
def follow_noise(state, coefficients, audio, frames):
    """Adds noise under the hit's envelope, in a band of 12 dB an octave; stereo, in place.

    Each side has chances of its own. They start anew with the state: a one-shot has the same
    noise on every run.
    """
    start, step = toward(state, _NOISE_LEVEL_NOW, coefficients[NOISE_LEVEL], frames)
    rise, fall = coefficients[NOISE_RISE], coefficients[NOISE_FALL]
    high, low = coefficients[NOISE_HIGH], coefficients[NOISE_LOW]
    envelope, chance = state[_ENVELOPE], state[_CHANCE]
    if chance == 0.0:
        chance = 1.0 + coefficients[NOISE_SEED]
    for n in range(frames):
        level = max(abs(audio[n, 0]), abs(audio[n, 1]))
        level = level if sane(level) else 0.0
        gain = start + step * (n + 1)
        envelope = level + (rise if level > envelope else fall) * (envelope - level)
        for side in range(2):
            chance = (chance * _FACTOR) % _MODULUS
            white = 2.0 * chance / _MODULUS - 1.0
            cells = state[_NOISE_FILTERS + 4 * side : _NOISE_FILTERS + 4 * side + 4]
            cells[0] += high * (white - cells[0])
            cells[1] += high * (cells[0] - cells[1])
            cells[2] += low * (cells[1] - cells[2])
            cells[3] += low * (cells[1] - cells[2] - cells[3])
            audio[n, side] += gain * envelope * (cells[1] - cells[2] - cells[3])
    state[_ENVELOPE] = envelope if envelope > 1e-12 else 0.0
    state[_CHANCE] = chance


# Sub: level, cycles for each frame, the fall's pole, the rise's pole, the start of the phase.
SUB_LEVEL, SUB_STEP, SUB_FALL, SUB_RISE, SUB_PHASE = range(5)
SUB_COEFFICIENTS = 5
_HELD, _SMOOTHED, _PHASE, _REST, _SUB_LEVEL_NOW = range(5)
SUB_CELLS = 5
_ONSET = 2.0  # a hit is what rises to twice what is held
_LEAST = 0.003  # -50 dBFS
_FADES = 0.97  # what is left of the sine that a new hit breaks off: gone in some ms


@kernel
def follow_sub(state, coefficients, audio, key, frames):
    """Adds a sine that begins anew with each hit of the key, as loud as its peak; in place."""
    louder, louder_step = toward(state, _SUB_LEVEL_NOW, coefficients[SUB_LEVEL], frames)
    step, fall = coefficients[SUB_STEP], coefficients[SUB_FALL]
    rise, start = coefficients[SUB_RISE], coefficients[SUB_PHASE]
    held, smoothed, phase = state[_HELD], state[_SMOOTHED], state[_PHASE]
    rest = state[_REST]
    for n in range(frames):
        gain = louder + louder_step * (n + 1)
        level = max(abs(key[2 * n]), abs(key[2 * n + 1]))
        level = level if sane(level) else 0.0
        if level > _LEAST and level > _ONSET * held and smoothed < 0.5 * level:
            rest += gain * smoothed * (sine_of(phase) - sine_of(start))
            phase = start
        held = level if level > held else fall * held
        smoothed = held + rise * (smoothed - held)
        sine = gain * smoothed * sine_of(phase) + rest
        rest *= _FADES
        audio[n, 0] += sine
        audio[n, 1] += sine
        phase += step
        phase -= math.floor(phase)
    state[_HELD] = held if held > 1e-12 else 0.0
    state[_SMOOTHED] = smoothed if smoothed > 1e-12 else 0.0
    state[_PHASE] = phase
    state[_REST] = rest if abs(rest) > 1e-12 else 0.0


@entry(STAGE_SIGNATURE)
def noise_entry(state, coefficients, audio, frames):
    """The noise's loop."""
    follow_noise(
        carray(state, (NOISE_CELLS,)),
        carray(coefficients, (NOISE_COEFFICIENTS,)),
        carray(audio, (frames, 2)),
        frames,
    )


@entry(STAGE_SIGNATURE)
def sub_entry(state, coefficients, audio, frames):
    """The sine's loop."""
    cells, block = carray(state, (KEY_CELLS + SUB_CELLS,)), carray(audio, (frames, 2))
    follow_sub(
        cells[KEY_CELLS:],
        carray(coefficients, (SUB_COEFFICIENTS,)),
        block,
        heard(cells, block, frames),
        frames,
    )
