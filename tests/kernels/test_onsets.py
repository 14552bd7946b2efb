"""The bands that hits are looked for in, against SciPy."""

import unittest

import numpy as np
from scipy.signal import lfilter

from puddle.kernels.onsets import band_energies, mean_rises

_RATE = 48000.0


class Bands(unittest.TestCase):
    """Complex gammatone filters of the third order, by their poles."""

    def test_energies_are_those_of_a_rotating_pole_three_times_over(self) -> None:
        made = np.random.default_rng(5)
        wave = made.standard_normal(4807).astype(np.float32)
        for bands, hop in ((1, 48), (14, 48), (16, 7)):
            poles = made.uniform(0.7, 0.99, bands) * np.exp(1j * made.uniform(0.05, 2.5, bands))
            gains = 1.0 - np.abs(poles)
            found = np.empty((wave.size // hop, bands), np.float32)
            parts = (poles.real, poles.imag, gains)
            band_energies(wave, hop, *(part.astype(np.float32) for part in parts), found)
            slope = np.diff(wave.astype(float), prepend=wave[0])
            bend = np.diff(slope, prepend=0.0)
            for band, (pole, gain) in enumerate(zip(poles, gains, strict=True)):
                filtered = bend.astype(complex)
                for _ in range(3):
                    filtered = lfilter([gain], [1.0, -pole], filtered)
                power = np.abs(filtered[: found.shape[0] * hop]) ** 2
                wanted = power.reshape(-1, hop).mean(1)
                # In float32 a pole near the circle gathers a few hundred roundings.
                np.testing.assert_allclose(found[:, band], wanted, rtol=2e-3, atol=1e-7)


class Rises(unittest.TestCase):
    """The mean rise over the bands, by its sentence."""

    def test_means_stand_over_the_highest_before_of_the_band_and_its_neighbors(self) -> None:
        made = np.random.default_rng(6)
        energies = (10.0 ** made.uniform(-6.0, 0.0, (60, 5))).astype(np.float32)
        floors = np.full(5, 1e-5, np.float32)
        after, past, neighbor = 2, 16, 6.0
        found = np.empty(60, np.float32)
        mean_rises(energies, floors, after, past, neighbor, found)
        means = np.array([energies[n : n + after].mean(0) for n in range(60)])
        level = 10.0 * np.log10(means + floors)
        for n in range(60):
            first, last = max(0, n - after - past + 1), n - after + 1
            before = np.vstack([level[first : max(0, last)], 10.0 * np.log10(floors)]).max(0)
            sides = np.pad(before - neighbor, 1, constant_values=-np.inf)
            highest = np.maximum(before, np.maximum(sides[:-2], sides[2:]))
            wanted = np.clip(level[n] - highest, 0.0, 30.0).mean()
            self.assertAlmostEqual(float(found[n]), float(wanted), delta=1e-4)


if __name__ == "__main__":
    unittest.main()
