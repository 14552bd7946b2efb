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
_ORDER = 16  # of what foretells a wave from what it was


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
def band_rises(energies, floors, after, past, neighbor, rises):
    """By how many dB each band stands over what it was: float32 (hops, bands), written.

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
        for b in range(bands):
            highest = before[b]
            if b > 0:
                highest = max(highest, before[b - 1] - neighbor)
            if b < bands - 1:
                highest = max(highest, before[b + 1] - neighbor)
            rises[n, b] = min(_MOST_DB, max(0.0, level[n, b] - highest))


@kernel
def steady_rises(energies, floors, span, early, earlier_db, weights, most_db, rises):
    """By how many dB the bands stand higher than before, weighted: float32 (hops,), written.

    Energies (hops, bands) over `floors` (bands,): `span` hops against the `span` before them, and
    the `span` before those less `earlier_db` (what beats comes back to where it was). Where the
    first `early` of the hops rise by less, that counts: what comes later is not there yet.
    `weights` (bands,) sum to 1, and no band counts more than `most_db` either way."""
    hops, bands = energies.shape
    sums = np.zeros((hops + 1, bands))
    lasting = np.empty((hops, bands), np.float32)  # dB of `span` hops from each on
    soon = np.empty((hops, bands), np.float32)
    for n in range(hops):
        for b in range(bands):
            sums[n + 1, b] = sums[n, b] + energies[n, b]
    for n in range(hops):
        left, near = min(span, hops - n), min(early, hops - n)
        for b in range(bands):
            floor = floors[b] + 1e-30
            lasting[n, b] = 10.0 * math.log10((sums[n + left, b] - sums[n, b]) / left + floor)
            soon[n, b] = 10.0 * math.log10((sums[n + near, b] - sums[n, b]) / near + floor)
    for n in range(hops):
        soon_db = all_db = 0.0
        for b in range(bands):
            if n >= span:
                was = float(lasting[n - span, b])
            else:
                was = 10.0 * math.log10(sums[n, b] / max(1, n) + floors[b] + 1e-30)
            if n >= 2 * span:
                was = max(was, lasting[n - 2 * span, b] - earlier_db)
            soon_db += weights[b] * min(most_db, max(-most_db, soon[n, b] - was))
            all_db += weights[b] * min(most_db, max(-most_db, lasting[n, b] - was))
        rises[n] = max(0.0, min(soon_db, all_db))


@kernel
def predictor(mono, first, last, coefficients):
    """Linear prediction of float32 frames [first, last), written to float64 (order,).

    By autocorrelation (Levinson and Durbin). Of silence: what was goes on."""
    order = coefficients.shape[0]
    coefficients[:] = 0.0
    alike = np.zeros(order + 1)
    for k in range(min(order + 1, last - first)):
        now, before = mono[first + k : last], mono[first : last - k]
        total = 0.0
        for n in range(now.shape[0]):
            total += float(now[n]) * float(before[n])
        alike[k] = total
    if alike[0] <= 1e-14 * (last - first):
        coefficients[0] = 1.0
        return
    alike[0] *= 1.0 + 1e-7
    left = alike[0]
    turned = np.zeros(order)
    for k in range(order):
        if left <= 1e-12 * alike[0]:
            return  # all of it is foretold
        beyond = alike[k + 1]
        for i in range(k):
            beyond -= coefficients[i] * alike[k - i]
        reflection = beyond / left
        turned[:k] = coefficients[:k]
        for i in range(k):
            coefficients[i] = turned[i] - reflection * turned[k - 1 - i]
        coefficients[k] = reflection
        left *= 1.0 - reflection * reflection


@kernel
def begins_at(mono, center, reach, span, learned, foot):
    """The frame near a place at which what sounded before foretells the wave the least.

    `reach` frames before and after are looked at. The wave is foretold by what the `learned` frames
    before them were like; the power of what is not foretold is compared, `span` frames after a
    frame with `span` before it; a hit begins where that first comes to a share `foot` of its
    highest."""
    first = max(1, center - reach[0])
    last = min(mono.shape[0], center + reach[1] + span)
    size = last - first
    if size <= span:
        return max(0, min(center, mono.shape[0] - 1))
    coefficients = np.zeros(_ORDER)
    predictor(mono, max(0, first - learned), first, coefficients)
    backwards = coefficients[::-1].copy()
    start = max(0, first - span)
    sums = np.zeros(last - start + 1)
    most = 0.0
    for n in range(start, last):
        foretold = 0.0
        if n >= _ORDER:
            past = mono[n - _ORDER : n]
            for k in range(_ORDER):  # so many that it is written out as vectors
                foretold += backwards[k] * float(past[k])
        else:
            for k in range(n):
                foretold += coefficients[k] * float(mono[n - 1 - k])
        new = float(mono[n]) - foretold
        sums[n - start + 1] = sums[n - start] + new * new
        most = max(most, new * new)
    floor = 1e-4 * most + 1e-14
    at, best = first, -1e30
    for n in range(first, last - span):
        after = (sums[n - start + span] - sums[n - start]) / span
        kept = min(n - start, span)
        before = (sums[n - start] - sums[n - start - kept]) / kept if kept else 0.0
        ratio = (after + floor) / (before + floor)
        if ratio > best:
            at, best = n, ratio
    highest = 0.0
    for n in range(at, at + span):
        highest = max(highest, sums[n - start + 1] - sums[n - start])
    for n in range(at, at + span):
        if sums[n - start + 1] - sums[n - start] > foot * foot * highest:
            return n
    return at


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


@kernel
def nearest_stronger(frames, rises, reach, found):
    """How far before and after each of rising frames one lies that rises as much, and by how much.

    Written to float32 (4, places): frames before, that one's rise, frames after, that one's. Where
    there is none within `reach` frames, that many and no rise."""
    count = frames.shape[0]
    found[0], found[1], found[2], found[3] = reach, 0.0, reach, 0.0
    for n in range(count):
        k = n - 1
        while k >= 0 and frames[n] - frames[k] < reach:
            if rises[k] >= rises[n]:
                found[0, n], found[1, n] = frames[n] - frames[k], rises[k]
                break
            k -= 1
        k = n + 1
        while k < count and frames[k] - frames[n] < reach:
            if rises[k] > rises[n]:
                found[2, n], found[3, n] = frames[k] - frames[n], rises[k]
                break
            k += 1
