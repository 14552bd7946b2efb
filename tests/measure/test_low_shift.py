"""Who crowds whom in the low end, and the shift that lets two add up, against known sounds."""

import math
import unittest

import numpy as np

from puddle.measure.bands import THIRDS_HZ
from puddle.measure.conflicts import conflicts, crowding, energies
from puddle.measure.low_shift import low_shift
from tests.support.sounds import RATE, noise, sine


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


class Crowding(unittest.TestCase):
    def test_third_octaves_hold_the_energy_of_what_lies_in_them(self) -> None:
        """A tone in the middle of a third-octave lies in it."""
        rate = 48000.0
        for hz in (100.0, 1000.0, 4000.0):
            tone = sine(hz, 1.0, 0.5)
            found = energies(tone, rate).sum(axis=0)
            at = int(np.argmin(np.abs(np.log(THIRDS_HZ / hz))))
            self.assertEqual(int(np.argmax(found)), at)
            # In 80 ms a tone is 25 Hz wide, as the third-octave at 100 Hz is.
            self.assertGreater(float(found[at] / found.sum()), 0.65 if hz < 1000.0 else 0.98)

    def test_what_meets_late_is_found_where_all_of_it_is_asked_for(self) -> None:
        rate = 48000.0
        low, silence = sine(60.0, 1.0, 0.5), np.zeros((3 * 48000, 2), np.float32)
        early = np.concatenate([sine(900.0, 3.0, 0.3), low])
        late = np.concatenate([silence, sine(62.0, 1.0, 0.4)])
        self.assertEqual(conflicts(early, late, rate), [])
        (found,) = crowding(*(energies(a, rate, math.inf) for a in (early, late)))
        self.assertTrue(found.low_hz < 60.0 < found.high_hz)
