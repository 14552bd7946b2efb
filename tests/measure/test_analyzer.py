"""The analyzer's third-octaves, tilt and reference, against sines and noises that are known."""

import unittest

import numpy as np

from puddle.measure.spectrum import display_spectrum
from puddle.views.analyzer import (
    average_spectrum,
    file_spectrum,
    matched_db,
    thirds,
    tilted,
)
from tests.support.sounds import RATE, noise, sine, write
from tests.support.stores import new_folder


def pink(seconds: float) -> np.ndarray:
    """Noise whose octaves are equally loud: white noise, its spectrum divided by the root of f."""
    white = noise(seconds, 5, 0.3)
    spectrum = np.fft.rfft(white, axis=0)
    hz = np.fft.rfftfreq(white.shape[0], 1.0 / RATE)
    spectrum[1:] /= np.sqrt(hz[1:, None])
    return np.fft.irfft(spectrum, axis=0).astype(np.float32)


class AnalyzerTest(unittest.TestCase):
    def test_a_sine_has_its_energy_in_its_third(self) -> None:
        hz, db = display_spectrum(sine(1000.0, 1.0), RATE)
        steps_hz, steps_db = thirds(hz, db)
        at = int(np.searchsorted(steps_hz, 1000.0))
        self.assertAlmostEqual(float(steps_db[at]), 0.0, delta=0.7)
        self.assertLess(float(steps_db[at + 4]), -20.0)

    def test_equal_octaves_are_level_and_a_tilt_is_a_slope(self) -> None:
        hz, db = average_spectrum(pink(20.0), RATE)
        steps_hz, steps_db = thirds(hz, db)
        inside = (steps_hz > 100.0) & (steps_hz < 10000.0)
        self.assertLess(float(np.ptp(steps_db[inside])), 1.5)
        lifted = tilted(steps_hz, steps_db, 3.0) - steps_db
        slope = np.polyfit(np.log2(steps_hz[inside]), lifted[inside], 1)[0]
        self.assertAlmostEqual(float(slope), 3.0, places=6)
        self.assertAlmostEqual(float(np.interp(1000.0, steps_hz, lifted)), 0.0, delta=0.05)

    def test_a_reference_is_as_high_as_the_mix(self) -> None:
        folder = self.enterContext(new_folder())
        audio = noise(3.0, 1, 0.2)
        path = write(folder / "reference.wav", np.concatenate([np.zeros_like(audio), audio]))
        hz, db = file_spectrum(path, 3000.0, 600000.0)
        whole, _ = average_spectrum(audio, RATE)
        np.testing.assert_array_equal(hz, whole)
        quiet_hz, quiet_db = average_spectrum(0.1 * audio, RATE)
        self.assertAlmostEqual(matched_db(hz, db, quiet_hz, quiet_db), 20.0, delta=0.01)


if __name__ == "__main__":
    unittest.main()
