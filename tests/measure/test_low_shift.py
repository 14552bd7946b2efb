"""The shift that lets two low ends add up, against sounds whose shift is known."""

import unittest

import numpy as np

from puddle.measure.low_shift import low_shift
from tests.support.sounds import RATE, noise


def low(hz: float, late_ms: float = 0.0, seconds: float = 1.0) -> np.ndarray:
    """A low hit that begins so much later."""
    t = np.arange(round(seconds * RATE)) / RATE - late_ms / 1000.0 - 0.05
    mono = np.where(t >= 0.0, np.sin(2.0 * np.pi * hz * t) * np.exp(-t / 0.15), 0.0)
    return np.stack([mono, mono], axis=1).astype(np.float32)


class LowShiftTest(unittest.TestCase):
    def test_a_sound_that_is_late_is_moved_back(self) -> None:
        for late in (-6.0, -2.5, 0.0, 4.0, 6.0):
            shift, won = low_shift(low(55.0), low(55.0, late), RATE)
            self.assertAlmostEqual(shift, -late, delta=0.1)
            summed = [np.sum((low(55.0) + low(55.0, at)).astype(float) ** 2) for at in (late, 0.0)]
            self.assertAlmostEqual(
                won, 10.0 * np.log10(summed[1] / summed[0]), delta=0.2
            )  # of all frequencies

    def test_what_lies_above_does_not_count(self) -> None:
        hiss = noise(1.0, 3, 0.5)
        hiss -= np.array([np.convolve(side, np.ones(400) / 400, "same") for side in hiss.T]).T
        shift, _ = low_shift(low(60.0) + hiss, low(60.0, 3.0) + np.roll(hiss, 500, axis=0), RATE)
        self.assertAlmostEqual(shift, -3.0, delta=0.2)

    def test_silence(self) -> None:
        silent = np.zeros((RATE, 2), np.float32)
        self.assertEqual(low_shift(silent, silent, RATE)[1], 0.0)


if __name__ == "__main__":
    unittest.main()
