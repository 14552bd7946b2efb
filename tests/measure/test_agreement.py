"""Agreement and alignment against closed forms and made pairs with known truth."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.measure.agreement import agreement
from puddle.measure.alignment import Alignment, NoAlignment, alignment
from puddle.measure.bands import THIRDS_HZ, band_places
from puddle.measure.spectrum import transform_size
from tests.support.sounds import noise, sine

RATE = 48000.0


def stereo(x: np.ndarray) -> np.ndarray:
    return np.stack([x, x], axis=1).astype(np.float32)


def delayed(x: np.ndarray, frames: float) -> np.ndarray:
    """By any number of frames, exactly, in the spectrum."""
    size = 1 << (len(x) + 2000).bit_length()
    turn = np.exp(-2j * np.pi * np.fft.rfftfreq(size) * frames)
    return np.asarray(np.fft.irfft(np.fft.rfft(x, size) * turn, size)[: len(x)])


class MadePair:
    """A low end under two different transients, in a little noise."""

    def __init__(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        t = np.arange(int(RATE * rng.uniform(0.25, 0.8))) / RATE
        sweep = rng.uniform(38, 75) + rng.uniform(0, 200) * np.exp(-t / rng.uniform(0.005, 0.04))
        low = np.sin(2 * np.pi * np.cumsum(sweep) / RATE) * np.exp(-t / rng.uniform(0.05, 0.25))
        parts = []
        for _ in range(2):
            click = rng.standard_normal(t.size) * np.exp(-t / rng.uniform(0.001, 0.01))
            part = low * rng.uniform(0.3, 1.0) + click * rng.uniform(0.05, 0.6)
            part += 1e-3 * rng.standard_normal(t.size)
            parts.append(np.concatenate([np.zeros(500), part]))
        self.late = rng.uniform(-0.008, 0.008) * RATE
        self.inverted = bool(rng.random() < 0.5)
        self.first = stereo(parts[0])
        self.second = stereo(delayed(parts[1], self.late) * (-1 if self.inverted else 1))


class Bands(unittest.TestCase):
    def test_third_octaves_are_the_standards(self) -> None:
        """IEC 61260-1: exact mid-bands are powers of ten in steps of a tenth; 1 kHz is one."""
        nominal = [25, 31.5, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800]
        np.testing.assert_allclose(THIRDS_HZ[: len(nominal)], nominal, rtol=0.02)
        self.assertAlmostEqual(float(THIRDS_HZ[16]), 1000.0, places=9)
        places = band_places(48000, RATE)  # a bin is a hertz
        self.assertEqual(places[16:18].tolist(), [892, 1123])
        self.assertLessEqual(int(band_places(4096, 44100.0)[-1]), 2048)


class Agreeing(unittest.TestCase):
    def won(self, second: np.ndarray, first: np.ndarray | None = None) -> np.ndarray:
        a = sine(63.0, 1.0, 0.5) if first is None else first
        found = agreement({"a": a, "b": second}, RATE)
        assert found is not None
        return found.won_db

    def test_two_tones_by_their_phase(self) -> None:
        """|1 + g e^{j p}|² over 1 + g²."""
        t = np.arange(48000) / RATE
        band = int(np.argmin(np.abs(THIRDS_HZ - 63.0)))
        for gain in (1.0, 0.5, 0.1):
            for phase in (0.0, 1.0, 2.0, 3.0):
                b = stereo(0.5 * gain * np.sin(2 * np.pi * 63.0 * t + phase))
                ratio = abs(1.0 + gain * np.exp(1j * phase)) ** 2 / (1.0 + gain**2)
                found = self.won(b)[band]
                self.assertAlmostEqual(float(found), 10 * np.log10(ratio), delta=0.15)

    def test_the_parts_and_what_they_share_are_the_sum(self) -> None:
        rng = np.random.default_rng(3)
        parts = {n: rng.standard_normal((9000, 2)).astype(np.float32) * 0.2 for n in "abc"}
        found = agreement(parts, RATE)
        assert found is not None
        size = transform_size(9000)
        edges = band_places(size, RATE)
        power = lambda x: np.square(np.abs(np.fft.rfft(x.T, size))).sum(axis=0)  # noqa: E731
        whole, apart = power(sum(parts.values())), sum(power(x) for x in parts.values())
        for k in range(len(THIRDS_HZ)):
            some = slice(edges[k], edges[k + 1])
            if some.stop > some.start:
                wanted = 10 * np.log10(whole[some].sum() / apart[some].sum())
                self.assertAlmostEqual(float(found.won_db[k]), wanted, places=5)
        self.assertEqual(len(found.pairs_db), 3)

    def test_the_worst_is_named_with_its_loss(self) -> None:
        low = sine(50.0, 1.0, 0.5)
        found = agreement({"a": low, "b": -0.8 * low, "c": sine(1000.0, 1.0, 0.3)}, RATE)
        assert found is not None and found.worst is not None
        self.assertEqual((found.worst.first, found.worst.second), ("a", "b"))
        self.assertAlmostEqual(found.worst.hz, 50.0, delta=0.2)
        wanted = -10 * np.log10(0.2**2 / (1 + 0.8**2))
        self.assertAlmostEqual(found.worst.lost_db, wanted, delta=0.01)
        alone = agreement({"a": low, "b": sine(1000.0, 1.0, 0.3)}, RATE)
        assert alone is not None
        self.assertIsNone(alone.worst)

    def test_fewer_than_two_say_nothing(self) -> None:
        silent = np.zeros((100, 2), np.float32)
        self.assertIsNone(agreement({}, RATE))
        self.assertIsNone(agreement({"a": sine(50.0, 0.1, 0.5), "b": silent}, RATE))

    def test_any_lengths_and_rates(self) -> None:
        for rate in (44100.0, 96000.0, 192000.0):
            for length in (1, 7, 4000):
                a, b = noise(0.05, level=0.5), noise(0.01, seed=3, level=0.5)[:length]
                found = agreement({"a": a, "b": b}, rate)
                if found is not None:
                    self.assertTrue(np.isfinite(found.won_db).all())


class Aligning(unittest.TestCase):
    def test_made_pairs_within_half_a_frame_and_their_polarity(self) -> None:
        """97 of 100 within half a frame, every polarity right; most within a twentieth."""
        errors, turned = [], []
        for seed in range(100):
            pair = MadePair(seed)
            found = alignment(pair.first, pair.second, RATE)
            self.assertIsInstance(found, Alignment, seed)
            assert isinstance(found, Alignment)
            errors.append(abs(found.shift_frames + pair.late))
            turned.append(found.invert == pair.inverted)
        self.assertTrue(all(turned))
        self.assertGreaterEqual(sum(e < 0.5 for e in errors), 97)
        self.assertLess(float(np.median(errors)), 0.05)

    def test_what_is_won_is_what_the_sum_wins(self) -> None:
        low = np.sin(2 * np.pi * 60.0 * np.arange(24000) / RATE) * np.exp(-np.arange(24000) / 6000)
        a = np.concatenate([np.zeros(400), 0.5 * low])
        b = delayed(a, 190.0)
        found = alignment(stereo(a), stereo(b), RATE)
        assert isinstance(found, Alignment)
        self.assertAlmostEqual(found.shift_frames, -190.0, delta=0.05)
        before, after = np.square(a + b).sum(), np.square(2 * a).sum()
        self.assertAlmostEqual(found.gain_db, 10 * np.log10(after / before), delta=0.1)
        self.assertGreater(found.alike, 0.99)

    @settings(max_examples=20, deadline=None)
    @given(st.floats(-300, 300), st.booleans(), st.sampled_from([44100.0, 96000.0]))
    def test_the_same_sound_any_shift(self, late: float, invert: bool, rate: float) -> None:
        t = np.arange(12000) / rate
        x = np.concatenate([np.zeros(600), np.sin(2 * np.pi * 150 * t) * np.exp(-t / 0.02)])
        y = delayed(x, late) * (-1 if invert else 1)
        found = alignment(stereo(x), stereo(y), rate)
        assert isinstance(found, Alignment)
        self.assertAlmostEqual(found.shift_frames, -late, delta=0.02)
        self.assertEqual(found.invert, invert)

    def test_no_proposal_says_why(self) -> None:
        tone, silent = sine(60.0, 0.5, 0.5), np.zeros((24000, 2), np.float32)
        left, right = tone * np.float32([1, 0]), tone * np.float32([0, 1])
        poison = tone.copy()
        poison[5] = np.nan
        for first, second, word in (
            (tone, silent, "second is silent"),
            (silent, tone, "first is silent"),
            (tone, silent + np.float32(0.3), "hardly anything over 20 Hz"),
            (left, right, "side of its own"),
            (tone, sine(9000.0, 0.5, 0.5), "no band in common"),
            (noise(0.3, level=0.5), noise(0.3, seed=9, level=0.5), "nothing in common"),
            (tone, poison, "not numbers"),
            (tone, tone[:0], "second is silent"),
        ):
            found = alignment(first, second, RATE)
            assert isinstance(found, NoAlignment), word
            self.assertIn(word, found.reason)

    def test_very_different_lengths(self) -> None:
        long, short = sine(60.0, 4.0, 0.5), sine(60.0, 0.05, 0.5)
        found = alignment(long, short, RATE)
        self.assertIsInstance(found, Alignment)
