"""The phases of a stretched sound: what each frame of a spectrum is turned by."""

import numpy as np

from puddle.kernels.compiling import kernel


@kernel
def turn(frames, earlier, locked, before, turns):
    """What turns spectra so that every partial goes on in phase: complex128 (count, bins).

    `frames` are spectra of what is read, `earlier` those of a synthesis hop before each of them.
    A peak's phase goes on from the frame written before by what it advanced over that hop
    (Puckette, *Phase-locked vocoder*, WASPAA 1995), and its neighbors keep their phases against it
    (Laroche and Dolson, *Improved phase vocoder time-scale modification of audio*, IEEE TSAP 7,
    1999). Where `locked` is set a frame is left as it is. Fills `turns`; `before` is complex128
    (2, bins): the frame before the first and what it was turned by, then those of the last.
    """
    count, bins = frames.shape
    peaks = np.empty(bins, np.int64)
    power = np.empty(bins)
    for j in range(count):
        if locked[j]:
            turns[j, :] = 1.0
            continue
        last_frame = frames[j - 1] if j > 0 else before[0]
        last_turn = turns[j - 1] if j > 0 else before[1]
        for k in range(bins):
            x = frames[j, k]
            power[k] = x.real * x.real + x.imag * x.imag
        found = _peaks(power, peaks)
        for p in range(found):
            peak = peaks[p]
            # What was written, against what stood a hop before what is read now.
            z = last_turn[peak] * last_frame[peak] * np.conj(earlier[j, peak])
            size = abs(z)
            by = z / size if size > 1e-30 else last_turn[peak]
            first = 0 if p == 0 else (peaks[p - 1] + peak) // 2 + 1
            last = bins if p == found - 1 else (peak + peaks[p + 1]) // 2 + 1
            for k in range(first, last):
                turns[j, k] = by
        if found == 0:
            for k in range(bins):
                turns[j, k] = last_turn[k]
    before[0, :] = frames[count - 1]
    before[1, :] = turns[count - 1]


@kernel
def _peaks(power, peaks):
    """Bins louder than two neighbors on either side; how many there are."""
    bins = power.shape[0]
    found = 0
    for k in range(bins):
        highest = True
        for other in range(max(0, k - 2), min(bins, k + 3)):
            if power[other] > power[k] or (power[other] == power[k] and other < k):
                highest = False
        if highest and power[k] > 1e-20:
            peaks[found] = k
            found += 1
    return found
