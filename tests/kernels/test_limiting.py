"""The limiter's loop: what it holds, and that it forgets."""

import unittest
from itertools import product

import numpy as np
import scipy.ndimage

from puddle.kernels.compiling import kernel
from puddle.kernels.limiting import hold_largest, limit, limiter_cells, limiter_latency
from puddle.kernels.quantum import QUANTUM
from tests.support.sounds import noise

RATE = 48000.0


@kernel
def _held(values, block, after, slot, rising, frames):  # type: ignore[no-untyped-def]
    return hold_largest(values, block, after, slot, rising, frames)


class Limits(unittest.TestCase):
    """A limiter forgets: after a silence of any length it is as it began."""

    def test_a_burst_is_limited_alike_after_any_silence(self) -> None:
        """Without a release, so that nothing but what is held can last; equal to the bit."""
        window = 72
        burst = noise(40 / RATE, seed=3, level=1.0)
        whole = burst.shape[0] + limiter_latency(window) + window
        coefficients = np.array([0.5, 0.0, window])
        for lead, rest in product(range(0, 80, 3), (*range(0, 80, 5), 1000)):
            gap = np.zeros((whole + rest, 2), np.float32)
            audio = np.concatenate([gap[:lead], burst, gap, burst, gap])
            state = np.zeros(limiter_cells(window))
            for start in range(0, audio.shape[0], QUANTUM):
                part = audio[start : start + QUANTUM]
                limit(state, coefficients, part, part.shape[0])
            first, again = audio[lead:], audio[lead + burst.shape[0] + gap.shape[0] :]
            with self.subTest(lead=lead, rest=rest):
                self.assertLess(float(np.abs(audio).max()), 0.5001)
                np.testing.assert_array_equal(first[:whole], again[:whole])

    def test_the_limiters_hold_is_the_largest_of_the_last_values(self) -> None:
        """By SciPy's sliding maximum, for windows shorter and longer than a quantum."""
        values = np.random.default_rng(6).random(1000)
        for length in (2, 5, 31, 33, 74):
            wanted = scipy.ndimage.maximum_filter1d(
                np.pad(values, (length, 0)), length, origin=(length - 1) // 2, mode="constant"
            )[length:]
            block, after, rising, slot = np.zeros(length), np.zeros(length), 0.0, 0
            out = values.copy()
            for start in range(0, len(out), QUANTUM):
                part = out[start : start + QUANTUM]
                rising = _held(part, block, after, slot, rising, len(part))
                slot = (slot + len(part)) % length
            self.assertTrue(np.array_equal(out, wanted), length)
