"""Sources of tone: sines whose pitch falls, and squares without aliases."""

import math

import numpy as np

from puddle.kernels.compiling import kernel
from puddle.kernels.decibels import exp2_of, log2_of
from puddle.kernels.sines import sine_of

LN_1000 = math.log(1000.0)
LOG2_1000 = math.log2(1000.0)
LN_2 = math.log(2.0)
LEAST = -900.0  # exponents below count as this: long silent, and still a normal number


@kernel
def fall_constant(fall_s, bend):
    """Time constant τ of a fall that has covered nine tenths of its way after `fall_s`."""
    if abs(bend) < 1e-3:
        return fall_s / math.log(10.0)
    return bend * fall_s / (10.0**bend - 1.0)


@kernel
def fall_left(frames, rate_hz, tau, bend):
    """What is left of a fall at every frame: (1 + c t/τ)^(-1/c), e^(-t/τ) for c = 0.

    float64 (frames,), 1 at the start. A straight line has an end, and stays there.
    """
    out = np.empty(frames)
    exponential = abs(bend) < 1e-3
    power = 0.0 if exponential else -1.0 / bend
    for n in range(frames):
        u = n / rate_hz / tau
        if exponential:
            out[n] = exp2_of(max(-u / LN_2, LEAST))
        else:
            base = max(1.0 + bend * u, 1e-300)
            out[n] = exp2_of(max(power * log2_of(base), LEAST)) if base > 1e-300 else 0.0
    return out


@kernel
def falling_sine(frames, rate_hz, start_hz, end_hz, fall_s, bend, decay_s, phase):
    """A decaying sine whose pitch falls: float64 (frames,), 60 dB down after `decay_s`.

    The pitch is f(t) = end + (start - end) s(t) with s the q-exponential (1 + c t/τ)^(-1/c):
    c = 0 is the exponential, c > 0 lingers, c = -1 is a straight line. The integral of s from 0 to
    t is τ (1 - (1 + c t/τ) s(t)) / (1 - c), so that the phase is exact at any rate. The phase given
    is in cycles. While the pitch is over 0.45 of the rate nothing sounds.
    """
    tau = fall_constant(max(fall_s, 1e-5), bend)
    lefts = fall_left(frames, rate_hz, tau, bend)
    out = np.empty(frames)
    fade = -LOG2_1000 / max(decay_s, 1e-5)
    depth_hz = start_hz - end_hz
    exponential = abs(bend) < 1e-3
    for n in range(frames):
        t = n / rate_hz
        left = lefts[n]
        if exponential:
            area = tau * (1.0 - left)
        else:
            area = tau * (1.0 - max(1.0 + bend * t / tau, 0.0) * left) / (1.0 - bend)
        heard = 1.0 if end_hz + depth_hz * left < 0.45 * rate_hz else 0.0
        level = heard * exp2_of(max(fade * t, LEAST))
        out[n] = level * sine_of(phase + end_hz * t + depth_hz * area)
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
