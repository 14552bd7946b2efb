"""The bands that hits are looked for in, what rises in them, and the frame: against SciPy."""

import unittest

import numpy as np
from scipy.linalg import solve_toeplitz
from scipy.signal import lfilter

from puddle.kernels.onsets import (
    band_energies,
    band_rises,
    begins_at,
    nearest_stronger,
    predictor,
    steady_rises,
)

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
    """The rises of the bands, by their sentences."""

    def test_bands_stand_over_the_highest_before_of_the_band_and_its_neighbors(self) -> None:
        made = np.random.default_rng(6)
        energies = (10.0 ** made.uniform(-6.0, 0.0, (60, 5))).astype(np.float32)
        floors = np.full(5, 1e-5, np.float32)
        after, past, neighbor = 2, 16, 6.0
        found = np.empty((60, 5), np.float32)
        band_rises(energies, floors, after, past, neighbor, found)
        means = np.array([energies[n : n + after].mean(0) for n in range(60)])
        level = 10.0 * np.log10(means + floors)
        for n in range(60):
            first, last = max(0, n - after - past + 1), n - after + 1
            before = np.vstack([level[first : max(0, last)], 10.0 * np.log10(floors)]).max(0)
            sides = np.pad(before - neighbor, 1, constant_values=-np.inf)
            highest = np.maximum(before, np.maximum(sides[:-2], sides[2:]))
            wanted = np.clip(level[n] - highest, 0.0, 30.0)
            np.testing.assert_allclose(found[n], wanted, atol=1e-4)

    def test_what_stands_higher_than_before_from_its_first_hops_on(self) -> None:
        made = np.random.default_rng(7)
        energies = (10.0 ** made.uniform(-6.0, 0.0, (90, 5))).astype(np.float32)
        floors = np.full(5, 1e-5, np.float32)
        weights = made.dirichlet(np.ones(5))
        span, early, less, most = 20, 5, 1.0, 6.0
        found = np.empty(90, np.float32)
        steady_rises(energies, floors, span, early, less, weights, most, found)

        def level(first: int, last: int) -> np.ndarray:
            part = energies[max(0, first) : max(0, last)]
            mean = part.mean(0) if part.size else np.zeros(5)
            return np.asarray(10.0 * np.log10(mean + floors))

        for n in range(90):
            before = level(n - span, n)
            if n >= 2 * span:
                before = np.maximum(before, level(n - 2 * span, n - span) - less)
            rises = [
                float(np.clip(level(n, n + size) - before, -most, most) @ weights)
                for size in (early, span)
            ]
            self.assertAlmostEqual(float(found[n]), max(0.0, min(rises)), delta=1e-4)

    def test_what_rises_as_much_before_and_more_after(self) -> None:
        made = np.random.default_rng(10)
        frames = np.sort(made.choice(4000, 60, replace=False)).astype(np.int64)
        rises = made.choice([1.0, 2.0, 3.0, 4.0], 60).astype(np.float32)  # many are alike
        found = np.empty((4, 60), np.float32)
        nearest_stronger(frames, rises, 500, found)
        for n in range(60):
            before = [k for k in range(n) if rises[k] >= rises[n] and frames[n] - frames[k] < 500]
            after = [
                k for k in range(n + 1, 60) if rises[k] > rises[n] and frames[k] - frames[n] < 500
            ]
            wanted = [500.0, 0.0, 500.0, 0.0]
            if before:
                wanted[:2] = [frames[n] - frames[before[-1]], rises[before[-1]]]
            if after:
                wanted[2:] = [frames[after[0]] - frames[n], rises[after[0]]]
            self.assertEqual(found[:, n].tolist(), wanted)


class Begins(unittest.TestCase):
    def test_what_foretells_a_wave_solves_its_normal_equations(self) -> None:
        made = np.random.default_rng(8)
        wave = lfilter([1.0], [1.0, -1.2, 0.8], made.standard_normal(1200)).astype(np.float32)
        found = np.empty(16)
        predictor(wave, 100, 1100, found)
        part = wave[100:1100].astype(float)
        alike = np.correlate(part, part, "full")[part.size - 1 : part.size + 16]
        wanted = solve_toeplitz(alike[:16] * np.r_[1.0 + 1e-7, np.ones(15)], alike[1:17])
        np.testing.assert_allclose(found, wanted, atol=1e-6)
        predictor(np.zeros(1200, np.float32), 0, 1000, found)
        self.assertEqual(found.tolist(), [1.0] + [0.0] * 15)  # of silence: what was goes on

    def test_a_soft_stroke_over_a_loud_tone_and_over_noise(self) -> None:
        """20 dB under a tone, within 0.1 ms; 12 dB over a noise that goes on, within 1 ms."""
        t = np.arange(9600) / _RATE
        made = np.random.default_rng(9)
        stroke = made.standard_normal(9600) * np.exp(-t / 0.02)
        reach = np.array([240, 384])
        for name, ringing, level in (
            ("tone", np.sin(2.0 * np.pi * 180.0 * t), 0.1),
            ("noise", 0.5 * made.standard_normal(9600), 2.0),
        ):
            for at in range(4000, 4600, 37):
                wave = ringing.copy()
                wave[at:] += level * stroke[: t.size - at]
                frame = begins_at(wave.astype(np.float32), at + 96, reach, 240, 960, 0.1)
                with self.subTest(name, at=at):
                    self.assertLess(abs(frame - at), 5 if name == "tone" else 48)


if __name__ == "__main__":
    unittest.main()
