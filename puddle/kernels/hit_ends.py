"""Where hits of a recording have died away, by its level in milliseconds."""

from __future__ import annotations

import numpy as np

from puddle.kernels.compiling import kernel

_FULL = np.float32(10.0 ** (-0.1 / 20.0))
_STEP = np.float32(4.0 / 32768.0)  # four of the last bit of 16


@kernel
def peaks_and_ends(levels, starts, limits, share, rooms, still, peaks, ends):
    """The peak of each hit, and the millisecond at which it ends; written.

    `levels` float32 (ms,) are the highest of each millisecond; hit n lies from `starts[n]` to
    before `limits[n]`, at the latest. It ends where `still` milliseconds in a row lie under a
    `share` of its peak, or under `rooms[n]`, the loudest that its room is by itself."""
    for n in range(starts.shape[0]):
        at, peak = starts[n], np.float32(0.0)
        for k in range(starts[n], limits[n]):
            if levels[k] > peak:
                at, peak = k, levels[k]
        peaks[n] = peak
        least = max(share * peak, rooms[n])
        quiet, end = 0, limits[n]
        for k in range(at, limits[n]):
            quiet = quiet + 1 if levels[k] < least else 0
            if quiet == still:
                end = k - still + 1
                break
        ends[n] = max(end, starts[n] + 1)


@kernel
def level_by_ms(audio, begin, hop, levels, clipped):
    """The highest of each millisecond of float32 (frames, channels) from frame `begin` on, and how
    often a channel is clipped in it; written.

    Clipped are three frames in a row at one level over -0.1 dB that the wave comes to in one step
    of more than `_STEP`. The top of a low tone is as flat in 16 bits, but is come to by the last
    bit."""
    for n in range(levels.shape[0]):
        highest = np.float32(0.0)
        count = 0
        first = begin + n * hop
        for c in range(audio.shape[1]):
            for k in range(first, min(first + hop, audio.shape[0])):
                value = abs(audio[k, c])
                highest = max(highest, value)
                if value > _FULL and k > 2:
                    flat = audio[k, c] == audio[k - 1, c] == audio[k - 2, c]
                    count += flat and abs(audio[k - 2, c] - audio[k - 3, c]) > _STEP
        levels[n] = highest
        clipped[n] = min(255, count)


@kernel
def outline_of(audio, size, lows, highs):
    """The lowest and highest of each so many frames of float32 (frames, channels); written."""
    for n in range(lows.shape[0]):
        low = high = audio[n * size, 0]
        for k in range(n * size, min((n + 1) * size, audio.shape[0])):
            for c in range(audio.shape[1]):
                low, high = min(low, audio[k, c]), max(high, audio[k, c])
        lows[n], highs[n] = low, high
