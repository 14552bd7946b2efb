"""Sources of tone: sines whose pitch falls, and squares without aliases."""

import math

import numpy as np

from puddle.kernels.compiling import kernel

LN_1000 = math.log(1000.0)


@kernel
def fall_constant(fall_s, bend):
    """Time constant τ of a fall that has covered nine tenths of its way after `fall_s`."""
    if abs(bend) < 1e-3:
        return fall_s / math.log(10.0)
    return bend * fall_s / (10.0**bend - 1.0)


@kernel
def fall_shape(u, bend):
    """How much of a fall is left after u time constants: (1 + c u)^(-1/c), e^-u for c = 0."""
    if abs(bend) < 1e-3:
        return math.exp(-u)
    base = 1.0 + bend * u
    return base ** (-1.0 / bend) if base > 0.0 else 0.0


@kernel
def falling_sine(frames, rate_hz, start_hz, end_hz, fall_s, bend, decay_s, phase):
    """A decaying sine whose pitch falls: float64 (frames,), 60 dB down after `decay_s`.

    The pitch is f(t) = end + (start - end) s(t) with s the q-exponential of `fall_shape`: c = 0
    is the exponential, c > 0 lingers, c = -1 is a straight line. The integral of s from 0 to t is
    τ (1 - (1 + c t/τ) s(t)) / (1 - c), so that the phase is exact at any rate. The phase given is
    in cycles. While the pitch is over 0.45 of the rate nothing sounds.
    """
    out = np.empty(frames)
    tau = fall_constant(max(fall_s, 1e-5), bend)
    fade = -LN_1000 / max(decay_s, 1e-5)
    level = 1.0
    shrink = math.exp(fade / rate_hz)
    settled = False
    turn = 1.0 + 0.0j
    spin = 1.0 + 0.0j
    for n in range(frames):
        if settled:
            # Past the fall the phase is a steady rotation: four operations, no sine.
            turn = turn * spin
            out[n] = turn.imag
            continue
        u = n / rate_hz / tau
        left = fall_shape(u, bend)
        area = tau * (1.0 - max(0.0, 1.0 + bend * u) * left) / (1.0 - bend)
        if abs(bend) < 1e-3:
            area = tau * (1.0 - left)
        pitch = end_hz + (start_hz - end_hz) * left
        cycles = phase + end_hz * (n / rate_hz) + (start_hz - end_hz) * area
        angle = 2.0 * math.pi * (cycles - math.floor(cycles))
        out[n] = level * math.sin(angle) if pitch < 0.45 * rate_hz else 0.0
        if abs(pitch - end_hz) < 1e-7 * end_hz and pitch < 0.45 * rate_hz:
            settled = True
            turn = complex(level * math.cos(angle), level * math.sin(angle))
            step = 2.0 * math.pi * end_hz / rate_hz
            spin = complex(shrink * math.cos(step), shrink * math.sin(step))
        level *= shrink
    return out


@kernel
def add_square(out, rate_hz, pitch_hz, highest_hz, phase, level):
    """Adds a square wave that holds only the odd harmonics under `highest_hz`.

    The sum of the first N odd cosines is sin(2 N x) / (2 sin x) (a bipolar band-limited impulse
    train, T. Stilson and J. Smith 1996); its running integral is the square. A slow leak keeps the
    integral centered.
    """
    top = min(highest_hz, 0.5 * rate_hz)
    count = int((top / pitch_hz + 1.0) / 2.0)
    if count < 1:
        return
    step = 2.0 * math.pi * pitch_hz / rate_hz
    turn = complex(math.cos(2.0 * math.pi * phase), math.sin(2.0 * math.pi * phase))
    spin = complex(math.cos(step), math.sin(step))
    many = complex(math.cos(4.0 * math.pi * phase * count), math.sin(4.0 * math.pi * phase * count))
    whirl = complex(math.cos(2.0 * count * step), math.sin(2.0 * count * step))
    scale = level * 4.0 * pitch_hz / rate_hz * 2.0
    leak = math.exp(-2.0 * math.pi * 5.0 / rate_hz)
    area = 0.0
    for n in range(out.shape[0]):
        if abs(turn.imag) > 1e-6:
            train = many.imag / (2.0 * turn.imag)
        else:
            train = count * many.real / turn.real
        area = leak * area + scale * train
        out[n] += area
        turn = turn * spin
        many = many * whirl


@kernel
def damped_sine(frames, rate_hz, pitch_hz, decay_s):
    """A sine at a fixed pitch that rings out, 60 dB down after `decay_s`: float64 (frames,)."""
    out = np.empty(frames)
    step = 2.0 * math.pi * pitch_hz / rate_hz
    shrink = math.exp(-LN_1000 / (max(decay_s, 1e-5) * rate_hz))
    turn = 1.0 + 0.0j
    spin = complex(shrink * math.cos(step), shrink * math.sin(step))
    for n in range(frames):
        out[n] = turn.imag
        turn = turn * spin
    return out
