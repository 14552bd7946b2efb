"""Lift: a hit over what still rings, against the hit by itself."""

import unittest

import numpy as np

from puddle.measure.lifting import BEFORE_S, lifted, taken_db, without_others
from tests.support.made_recordings import RATE, struck_sounds


def ratio_db(truth: np.ndarray, found: np.ndarray) -> float:
    """Signal to distortion (Vincent, Gribonval and Févotte 2006, without a filter)."""
    missed = float(np.square(truth - found).sum())
    return 10.0 * np.log10(float(np.square(truth).sum()) / max(missed, 1e-20))


class Lifted(unittest.TestCase):
    def mix(self, seed: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """What was before a hit, the hit with what rings on over it, and the hit alone."""
        rng = np.random.default_rng(seed)
        sounds = list(struck_sounds().values())
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

    def test_nearer_to_the_hit_alone_and_not_farther(self) -> None:
        won = []
        for seed in range(700, 724):
            before, hit, truth = self.mix(seed)
            won.append(ratio_db(truth, lifted(before, hit, RATE, 1.0)) - ratio_db(truth, hit))
        self.assertGreater(float(np.mean(won)), 4.0)
        self.assertGreater(float(np.min(won)), -0.5)

    def test_what_falls_faster_than_it_did_is_not_put_in(self) -> None:
        """Kicks and toms that drop away, and two strokes of one drum: nothing to lift, or little.

        Taken for what goes on ringing as before, they would lose 9 to 1 dB.
        """
        for seed in (5267, 5326, 2200, 2218, 5093, 5895, 11628):
            with self.subTest(seed):
                before, hit, truth = self.mix(seed)
                won = ratio_db(truth, lifted(before, hit, RATE, 1.0)) - ratio_db(truth, hit)
                self.assertGreater(won, -0.5)

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


class WithoutOthers(unittest.TestCase):
    def test_another_drum_that_is_played_over_it_goes(self) -> None:
        """A hat over a tom's tail, told apart by three other hits of the tom, none alike."""
        won = []
        for seed in range(20):
            rng = np.random.default_rng(seed)
            sounds = struck_sounds()
            drum = sounds[str(rng.choice([n for n in sounds if n.startswith(("Tom", "Kick"))]))]
            other = sounds[str(rng.choice([n for n in sounds if n.startswith(("Hat", "Snare"))]))]
            size, late = round(0.7 * RATE), round(rng.uniform(0.08, 0.3) * RATE)

            def struck(gain: float, tilt: float, sound: np.ndarray = drum) -> np.ndarray:
                out = np.zeros((round(0.7 * RATE), 2), np.float32)
                out[: sound.shape[0]] = gain * sound[: out.shape[0]]
                duller = np.concatenate([out[:1], out[1:] - np.float32(tilt) * out[:-1]])
                return np.asarray(duller, np.float32)

            truth = struck(0.8, 0.0)
            mix = truth.copy()
            part = other[: size - late]
            mix[late : late + part.shape[0]] += np.float32(rng.uniform(0.1, 0.5)) * part
            alike = [struck(rng.uniform(0.3, 1.0), rng.uniform(-0.2, 0.2)) for _ in range(3)]
            made = without_others(mix, alike, RATE, late, 1.0)
            np.testing.assert_array_equal(made[:late], mix[:late])
            won.append(ratio_db(truth, made) - ratio_db(truth, mix))
        self.assertGreater(float(np.mean(won)), 4.0)
        self.assertGreater(float(np.min(won)), -0.5)

    def test_without_another_hit_of_its_drum_it_stays(self) -> None:
        hit = np.random.default_rng(2).standard_normal((9600, 2)).astype(np.float32)
        self.assertIs(without_others(hit, [], RATE, 2000, 1.0), hit)
        self.assertIs(without_others(hit, [hit[:1000]], RATE, 2000, 1.0), hit)
        # A hit that is as its drum is hardly touched: noise varies from bin to bin.
        self.assertGreater(ratio_db(hit, without_others(hit, [hit], RATE, 2000, 1.0)), 10.0)
