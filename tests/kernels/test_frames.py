"""What is done with a quantum of stereo at once, against NumPy."""

import unittest

import numpy as np

from puddle.kernels.blocks import peaks as quantum_peaks
from puddle.kernels.compiling import kernel
from puddle.kernels.frames import add_frames, add_scaled, peaks, scale, silence
from puddle.kernels.quantum import QUANTUM


@kernel
def _scaled(audio, gains, frames):  # type: ignore[no-untyped-def]
    scale(audio, gains, frames)


@kernel
def _at_once(source, target, gain, silenced):  # type: ignore[no-untyped-def]
    """Peaks of a quantum; added to another twice, once times a gain; a third one silenced."""
    add_frames(source.ctypes.data, target.ctypes.data)
    add_scaled(source.ctypes.data, target.ctypes.data, np.float32(gain))
    silence(silenced.ctypes.data)
    return peaks(source.ctypes.data)


class Frames(unittest.TestCase):
    """A quantum of stereo at once, against NumPy."""

    def at_once(self, source: np.ndarray) -> tuple[tuple[float, float], np.ndarray, np.ndarray]:
        target = np.random.default_rng(3).uniform(-1.0, 1.0, (QUANTUM + 2, 2)).astype(np.float32)
        silenced = np.ones((QUANTUM + 2, 2), np.float32)
        wanted = target.copy()
        wanted[1:-1] += np.float32(1.0) * source + np.float32(-0.3) * source
        sides = _at_once(source, target[1:-1], -0.3, silenced[1:-1])
        # A product and a sum may be rounded once or twice: half a unit at 2.
        np.testing.assert_allclose(target, wanted, atol=5e-7)
        np.testing.assert_array_equal(target[[0, -1]], wanted[[0, -1]])
        np.testing.assert_array_equal(silenced[1:-1], 0.0)
        np.testing.assert_array_equal(silenced[[0, -1]], 1.0)
        return sides, target, silenced

    def test_peaks_are_those_of_numpy_to_the_bit(self) -> None:
        rng = np.random.default_rng(1)
        for level in (1e-42, 1e-20, 0.5, 1.0):  # what is denormal too
            source = (level * rng.standard_normal((QUANTUM, 2))).astype(np.float32)
            sides, *_ = self.at_once(source)
            self.assertEqual(sides, tuple(np.abs(source).max(axis=0).tolist()))

    def test_each_frame_by_its_own_gain(self) -> None:
        """Whole quanta and parts of one, as NumPy does it in float32; nothing beside them."""
        rng = np.random.default_rng(3)
        for frames in (1, 5, QUANTUM - 1, QUANTUM):
            around = rng.standard_normal((QUANTUM + 2, 2)).astype(np.float32)
            gains, wanted = rng.random(QUANTUM), around.copy()
            wanted[1 : 1 + frames] *= gains[:frames, None].astype(np.float32)
            _scaled(around[1 : 1 + frames], gains, frames)
            np.testing.assert_array_equal(around, wanted)

    def test_the_peak_of_each_quantum_and_of_a_part_of_one(self) -> None:
        rng = np.random.default_rng(4)
        for frames in (1, QUANTUM, 3 * QUANTUM, 3 * QUANTUM + 7):
            audio = rng.standard_normal((frames, 2)).astype(np.float32)
            found = np.zeros(-(-frames // QUANTUM), np.int32)
            quantum_peaks(audio, found)
            wanted = [np.abs(audio[n : n + QUANTUM]).max() for n in range(0, frames, QUANTUM)]
            self.assertEqual(found.view(np.float32).tolist(), [float(peak) for peak in wanted])

    def test_what_is_no_number_is_never_lost(self) -> None:
        for place in (0, 17, QUANTUM - 1):
            for side in (0, 1):
                for bad in (np.nan, -np.nan, np.inf, -np.inf):
                    source = np.full((QUANTUM, 2), 0.5, np.float32)
                    source[place, side] = bad
                    target = np.zeros((QUANTUM, 2), np.float32)
                    sides = _at_once(source, target, 1.0, target.copy())
                    self.assertFalse(np.isfinite(sides[side]))
                    self.assertEqual(sides[1 - side], 0.5)
