"""Shapes in time: decays, saturation, fades, and sounds that begin and end at rest."""

import math

import numpy as np

from puddle.kernels.compiling import kernel
from puddle.kernels.decibels import close_exp2_of
from puddle.kernels.oscillators import LEAST, LN_2, LN_1000


@kernel
def decay_in_place(signal, rate_hz, rise_s, decay_s):
    """Multiplies a mono signal by a short raised-cosine rise and a 60 dB decay in `decay_s`."""
    rise = max(1, int(rise_s * rate_hz))
    level = 1.0
    shrink = math.exp(-LN_1000 / (max(decay_s, 1e-5) * rate_hz))
    for n in range(signal.shape[0]):
        gain = level
        if n < rise:
            gain *= 0.5 - 0.5 * math.cos(math.pi * n / rise)
        signal[n] *= gain
        level *= shrink


@kernel
def saturate_in_place(signal, drive_gain):
    """tanh(g x) / tanh(g), the odd soft curve that keeps full scale where it is."""
    top = math.tanh(drive_gain)
    for n in range(signal.shape[0]):
        # 1 - 2 / (e^2x + 1) is tanh with one exponential.
        power = min(max(2.0 * drive_gain / LN_2 * signal[n], LEAST), -LEAST)
        signal[n] = (1.0 - 2.0 / (close_exp2_of(power) + 1.0)) / top


@kernel
def settle(signal, rise_frames, fade_frames, smooth_frames):
    """Begins and ends a mono signal at rest and takes its mean away, in place.

    What is subtracted has the shape of the signal's own smoothed envelope, so that it lies some
    40 dB under the sound wherever the sound is, below hearing in pitch, and dies away with it.
    What remains has no DC to the rounding of float64.
    """
    frames = signal.shape[0]
    for n in range(min(rise_frames, frames)):
        signal[n] *= 0.5 - 0.5 * math.cos(math.pi * n / rise_frames)
    fade = min(fade_frames, frames)
    for n in range(fade):
        signal[frames - 1 - n] *= 0.5 - 0.5 * math.cos(math.pi * n / fade)
    shape = np.empty(frames)
    pole = math.exp(-1.0 / smooth_frames)
    level = 0.0
    total = 0.0
    area = 0.0
    for n in range(frames):
        shape[n] = level
        if n >= frames - fade:
            shape[n] *= 0.5 - 0.5 * math.cos(math.pi * (frames - 1 - n) / fade)
        level = pole * level + (1.0 - pole) * abs(signal[n])
        total += signal[n]
        area += shape[n]
    if area > 0.0:
        share = total / area
        for n in range(frames):
            signal[n] -= share * shape[n]


@kernel
def on_both_sides(mono, stereo):
    """Writes a mono signal to both sides of float32 (frames, 2)."""
    for n in range(stereo.shape[0]):
        value = np.float32(mono[n])
        stereo[n, 0] = value
        stereo[n, 1] = value


@kernel
def hit_envelope(frames, rate_hz, attack_s, hold_s, decay_s, bend):
    """Attack, hold and decay of a layer: float64 (frames,), zero after its end.

    The decay is (e^(b(1-u)) - 1) / (e^b - 1) over u in 0..1: b = 0 is a line, b > 0 falls fast
    first, b < 0 late.
    """
    out = np.zeros(frames)
    attack = attack_s * rate_hz
    hold = attack + hold_s * rate_hz
    end = hold + decay_s * rate_hz
    for n in range(frames):
        if n < attack:
            out[n] = 0.5 - 0.5 * math.cos(math.pi * n / attack)
        elif n <= hold:
            out[n] = 1.0
        elif n < end:
            left = 1.0 - (n - hold) / (end - hold)
            if abs(bend) < 1e-6:
                out[n] = left
            else:
                out[n] = math.expm1(bend * left) / math.expm1(bend)
    return out


@kernel
def fade_edges(audio, fade_in_frames, fade_out_frames):
    """Raised-cosine fades at both ends of float32 (frames, 2), in place."""
    frames = audio.shape[0]
    for n in range(min(fade_in_frames, frames)):
        gain = 0.5 - 0.5 * math.cos(math.pi * n / fade_in_frames)
        audio[n, 0] *= gain
        audio[n, 1] *= gain
    for n in range(min(fade_out_frames, frames)):
        gain = 0.5 - 0.5 * math.cos(math.pi * n / fade_out_frames)
        audio[frames - 1 - n, 0] *= gain
        audio[frames - 1 - n, 1] *= gain
