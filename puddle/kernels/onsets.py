"""Where something is struck: the rise of the level in bands, and the frame at which it begins.

The bands are complex gammatone filters of the third order (a rotating one-pole, three times over):
their energy has no ripple within a wave, so that a millisecond can be told from the next.
"""

from __future__ import annotations

import math

import numpy as np

from puddle.kernels.compiling import kernel

_LANES = 16  # of bands that are filtered side by side
_MOST_DB = 30.0  # that a band's rise counts


@kernel
def band_energies(mono, hop, cosines, sines, gains, energies):
    """Mean energies of the second difference, by hops: float32 (hops, bands), written.

    Float32 (frames,) through a filter for each band, sixteen at most: `cosines` and `sines` are its
    pole, `gains` one less its radius."""
    bands = cosines.shape[0]
    # The number of lanes is a constant and the three orders are written out, so that the loop over
    # bands becomes vector instructions: 11 ns a frame; 180 with both as variables.
    cosine, sine = np.zeros(_LANES, np.float32), np.zeros(_LANES, np.float32)
    gain, power = np.zeros(_LANES, np.float32), np.zeros(_LANES, np.float32)
    cosine[:bands], sine[:bands], gain[:bands] = cosines, sines, gains
    real, imaginary = np.zeros((3, _LANES), np.float32), np.zeros((3, _LANES), np.float32)
    last = earlier = mono[0] if mono.shape[0] else np.float32(0.0)
    for n in range(energies.shape[0]):
        power[:] = 0.0
        for k in range(n * hop, (n + 1) * hop):
            bend = mono[k] - last - (last - earlier)
            earlier, last = last, mono[k]
            for b in range(_LANES):
                re, im = real[0, b], imaginary[0, b]
                x = cosine[b] * re - sine[b] * im + gain[b] * bend
                y = cosine[b] * im + sine[b] * re
                real[0, b], imaginary[0, b] = x, y
                re, im = real[1, b], imaginary[1, b]
                x, y = (
                    cosine[b] * re - sine[b] * im + gain[b] * x,
                    cosine[b] * im + sine[b] * re + gain[b] * y,
                )
                real[1, b], imaginary[1, b] = x, y
                re, im = real[2, b], imaginary[2, b]
                x, y = (
                    cosine[b] * re - sine[b] * im + gain[b] * x,
                    cosine[b] * im + sine[b] * re + gain[b] * y,
                )
                real[2, b], imaginary[2, b] = x, y
                power[b] += x * x + y * y
        for b in range(bands):
            energies[n, b] = power[b] / hop


@kernel
def mean_rises(energies, floors, after, past, neighbor, rises):
    """By how many dB the bands stand over what they were, on average: float32 (hops,), written.

    Energies (hops, bands) over `floors` (bands,): those of `after` hops from one on against the
    highest of such means among the `past` before it, of the band itself and of its neighbors less
    `neighbor` dB."""
    hops, bands = energies.shape
    level = np.empty((hops, bands), np.float32)
    total = np.empty(bands)
    for n in range(hops):
        count = min(after, hops - n)
        total[:] = 0.0
        for k in range(n, n + count):
            for b in range(bands):
                total[b] += energies[k, b]
        for b in range(bands):
            level[n, b] = 10.0 * math.log10(total[b] / count + floors[b] + 1e-30)
    lowest, before = np.empty((2, bands), np.float32)
    for b in range(bands):
        lowest[b] = 10.0 * math.log10(floors[b] + 1e-30)
    for n in range(hops):
        last = n - after
        before[:] = lowest
        for k in range(max(0, last - past + 1), last + 1):
            for b in range(bands):
                before[b] = max(before[b], level[k, b])
        rise = 0.0
        for b in range(bands):
            highest = before[b]
            if b > 0:
                highest = max(highest, before[b - 1] - neighbor)
            if b < bands - 1:
                highest = max(highest, before[b + 1] - neighbor)
            rise += min(_MOST_DB, max(0.0, level[n, b] - highest))
        rises[n] = rise / bands


@kernel
def begins_at(mono, center, reach, rising, resting, foot):
    """The frame near a place at which the power of the wave's slope rises the most.

    `reach` frames before and after are looked at; `rising` after a frame are compared with
    `resting` before it, and a hit begins where the slope first comes to a share `foot` of its
    steepest in them."""
    first = max(1, center - reach[0])
    last = min(mono.shape[0], center + reach[1])
    size = last - first
    if size <= 2 * rising:
        return max(0, min(center, mono.shape[0] - 1))
    sums = np.zeros(size + 1)
    most = 0.0
    for n in range(size):
        slope = float(mono[first + n]) - float(mono[first + n - 1])
        sums[n + 1] = sums[n] + slope * slope
        most = max(most, slope * slope)
    floor = 1e-4 * most + 1e-14
    at, best = 0, -1e30
    # Too few frames before the first say nothing of rest, but at the start there is silence.
    for n in range(rising if first > 1 else 0, size - rising):
        after = (sums[n + rising] - sums[n]) / rising
        kept = min(n, resting)
        rest = (sums[n] - sums[n - kept]) / kept if kept else 0.0
        steep = math.log((after + floor) / (rest + floor)) * after**0.125
        if steep > best:
            at, best = n, steep
    steepest = 0.0
    for n in range(at, at + rising):
        steepest = max(steepest, sums[n + 1] - sums[n])
    for n in range(at, at + rising):
        if sums[n + 1] - sums[n] > foot * foot * steepest:
            return first + n
    return first + at


@kernel
def keep_apart(frames, order, least, kept):
    """Sets `kept` to False for rising frames that lie closer than `least` to one before them in
    `order` that is kept itself."""
    for n in order:
        if not kept[n]:
            continue
        k = n - 1
        while k >= 0 and frames[n] - frames[k] < least:
            kept[k] = False
            k -= 1
        k = n + 1
        while k < frames.shape[0] and frames[k] - frames[n] < least:
            kept[k] = False
            k += 1
