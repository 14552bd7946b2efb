"""Lift: a hit over what still rings, against the hit by itself."""

import unittest

import numpy as np

from puddle.measure.lifting import BEFORE_S, lifted, taken_db
from tests.support.made_recordings import RATE, _sounds


def ratio_db(truth: np.ndarray, found: np.ndarray) -> float:
    """Signal to distortion (Vincent, Gribonval and Févotte 2006, without a filter)."""
    missed = float(np.square(truth - found).sum())
    return 10.0 * np.log10(float(np.square(truth).sum()) / max(missed, 1e-20))


class Lifted(unittest.TestCase):
    def mix(self, seed: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """What was before a hit, the hit with what rings on over it, and the hit alone."""
        rng = np.random.default_rng(seed)
        sounds = list(_sounds().values())
        first, second = (sounds[int(rng.integers(len(sounds)))] for _ in range(2))
        gap, size = round(rng.uniform(0.08, 0.4) * RATE), round(0.6 * RATE)
        gains = 10.0 ** (rng.uniform(-12.0, 0.0, 2) / 20.0)
        mix = np.zeros((gap + size, 2), np.float32)
        mix[: first.shape[0]] += np.float32(gains[0]) * first[: mix.shape[0]]
        truth = np.zeros((size, 2), np.float32)
        truth[: second.shape[0]] = np.float32(gains[1]) * second[:size]
        mix[gap:] += truth
        mix += (1e-4 * rng.standard_normal(mix.shape)).astype(np.float32)
        return mix[max(0, gap - round(BEFORE_S * RATE)) : gap], mix[gap:], truth

    def test_nearer_to_the_hit_alone_and_hardly_ever_farther(self) -> None:
        won = []
        for seed in range(700, 740):
            before, hit, truth = self.mix(seed)
            won.append(ratio_db(truth, lifted(before, hit, RATE, 1.0)) - ratio_db(truth, hit))
        self.assertGreater(float(np.mean(won)), 4.0)
        self.assertGreater(float(np.quantile(won, 0.05)), -0.5)

    def test_a_ringing_sine_is_taken_out_by_formula(self) -> None:
        t = np.arange(round(0.7 * RATE)) / RATE
        ringing = 0.5 * np.sin(2.0 * np.pi * 220.0 * t) * 10.0 ** (-3.0 * t / 2.0)
        edge = round(0.3 * RATE)
        hit = 0.3 * np.random.default_rng(1).standard_normal(t.size - edge)
        hit *= 10.0 ** (-3.0 * np.arange(hit.size) / RATE / 0.1)
        mix = ringing.copy()
        mix[edge:] += hit
        mix = np.asarray(mix[:, None], np.float32)
        made = lifted(mix[:edge], mix[edge:], RATE, 1.0)
        self.assertGreater(ratio_db(hit, made[:, 0]), ratio_db(hit, mix[edge:, 0]) + 15.0)
        half = lifted(mix[:edge], mix[edge:], RATE, 0.5)
        np.testing.assert_allclose(half, 0.5 * (made + mix[edge:]), atol=1e-6)
        self.assertLess(taken_db(mix[edge:], half), taken_db(mix[edge:], made))

    def test_after_silence_it_is_left_as_it_is(self) -> None:
        hit = np.random.default_rng(2).standard_normal((9600, 2)).astype(np.float32)
        made = lifted(np.zeros((12000, 2), np.float32), hit, RATE, 1.0)
        np.testing.assert_allclose(made, hit, atol=2e-6)
        self.assertIs(lifted(hit, hit, RATE, 0.0), hit)
