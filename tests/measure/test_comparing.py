"""Figures, matched loudness, differences and conflicts against closed forms."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.measure.comparing import (
    FIGURES,
    Figures,
    compared_spectra,
    crest_db,
    difference,
    figures,
    from_onset,
    is_large,
    match,
)
from puddle.measure.conflicts import conflicts
from puddle.measure.levels import loudness_lufs, true_peak_dbtp
from tests.support.sounds import noise, sine

RATE = 48000.0


def hit(hz: float, decay_s: float, level: float, length_s: float = 0.6) -> np.ndarray:
    t = np.arange(round(length_s * RATE)) / RATE
    x = level * np.sin(2 * np.pi * hz * t) * np.exp(-t / decay_s)
    return np.stack([x, x], axis=1).astype(np.float32)


def scaled(audio: np.ndarray, db: float) -> np.ndarray:
    return (audio * 10.0 ** (db / 20.0)).astype(np.float32)


class FiguresOfHits(unittest.TestCase):
    def test_closed_forms(self) -> None:
        found = figures(hit(200.0, 0.05, 0.5), RATE)
        self.assertAlmostEqual(found.peak_dbfs, 20 * np.log10(0.5 * np.exp(-0.00125 / 0.05)), 1)
        # Down by 60 dB after ln(1000) time constants.
        assert found.decay_60_ms is not None and found.fundamental_hz is not None
        self.assertAlmostEqual(found.decay_60_ms, 1000 * 0.05 * np.log(1000.0), delta=5.0)
        self.assertAlmostEqual(found.fundamental_hz, 200.0, delta=0.5)
        self.assertAlmostEqual(found.headroom_db, -found.true_peak_dbtp)

    def test_crest_of_a_square_and_of_a_sine(self) -> None:
        square = np.where(np.arange(9600) % 96 < 48, 0.5, -0.5).astype(np.float32)
        self.assertAlmostEqual(crest_db(np.stack([square, square], 1), RATE), 0.0, places=3)
        self.assertAlmostEqual(crest_db(sine(1000.0, 0.5, 0.5), RATE), 3.01, delta=0.01)

    def test_the_crest_of_a_hit_knows_nothing_of_the_silence_after_it(self) -> None:
        short, long = hit(100.0, 0.05, 0.5, 0.3), hit(100.0, 0.05, 0.5, 3.0)
        self.assertAlmostEqual(crest_db(short, RATE), crest_db(long, RATE), places=6)

    def test_silence_and_single_samples(self) -> None:
        silent = figures(np.zeros((1000, 2), np.float32), RATE)
        self.assertIsNone(silent.loudness_lufs)
        self.assertIsNone(silent.crest_db)
        one = figures(np.full((1, 2), 0.5, np.float32), RATE)
        self.assertAlmostEqual(one.peak_dbfs, -6.02, places=2)

    def test_differences_and_which_are_large(self) -> None:
        own = figures(hit(100.0, 0.05, 0.5), RATE)
        same = figures(hit(100.0, 0.05, 0.5), RATE)
        other = figures(hit(110.0, 0.15, 0.1), RATE)
        by = {f.field: f for f in FIGURES}
        self.assertFalse(any(is_large(f, own, same) for f in FIGURES))
        cents = difference(by["fundamental_hz"], own, other)
        assert cents is not None
        self.assertAlmostEqual(cents, 1200 * np.log2(1.1), delta=3.0)
        self.assertAlmostEqual(difference(by["peak_dbfs"], own, other) or 0.0, -13.8, delta=0.4)
        large = {f.field for f in FIGURES if is_large(f, own, other)}
        self.assertLessEqual({"peak_dbfs", "fundamental_hz", "decay_60_ms", "loudness_lufs"}, large)
        pitchless = figures(noise(0.3, level=0.1), RATE)
        self.assertTrue(is_large(by["fundamental_hz"], own, pitchless))
        self.assertIsNone(difference(by["fundamental_hz"], own, pitchless))


class Matching(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.floats(-18.0, 0.0), st.floats(-18.0, 0.0), st.integers(0, 3))
    def test_matched_they_are_as_loud_and_neither_is_clipped(
        self, own_db: float, other_db: float, kind: int
    ) -> None:
        # Far softer, parts of a sound fall under the standard's gate of -70 LUFS.
        own = scaled(hit(80.0, 0.2, 0.9), own_db)
        reference = (hit(200.0, 0.1, 0.9), noise(0.4, level=0.3), hit(50.0, 0.02, 0.9), own)[kind]
        other = scaled(reference, other_db)
        found = match(figures(own, RATE), figures(other, RATE))
        a, b = scaled(own, found.own_db), scaled(other, found.other_db)
        loud = loudness_lufs(a, RATE), loudness_lufs(b, RATE)
        assert loud[0] is not None and loud[1] is not None
        self.assertAlmostEqual(loud[0], loud[1], delta=0.02)
        self.assertLess(true_peak_dbtp(b), 0.05)
        self.assertLessEqual(found.own_db, 0.0)

    def test_silence_is_left_as_it_is(self) -> None:
        silent = figures(np.zeros((100, 2), np.float32), RATE)
        found = match(figures(hit(80.0, 0.2, 0.5), RATE), silent)
        self.assertEqual((found.own_db, found.other_db), (0.0, 0.0))

    def test_spectra_differ_by_what_was_put_in(self) -> None:
        """An equalizer's curve is found again in the difference of noises."""
        rng = np.random.default_rng(1)
        x = (0.1 * rng.standard_normal((96000, 2))).astype(np.float32)
        spectrum = np.fft.rfft(x, axis=0)
        hz = np.fft.rfftfreq(96000, 1 / RATE)
        gain = np.where((hz > 900) & (hz < 4500), 10 ** (6 / 20), 1.0)
        y = np.fft.irfft(spectrum * gain[:, None], axis=0).astype(np.float32)
        nothing = figures(np.zeros((10, 2), np.float32), RATE)
        found = compared_spectra(x, y, RATE, match(nothing, nothing))
        inside = (found.hz > 1200) & (found.hz < 3500)
        outside = (found.hz > 100) & (found.hz < 700)
        np.testing.assert_allclose(found.differs_db[inside], 6.0, atol=0.1)
        np.testing.assert_allclose(found.differs_db[outside], 0.0, atol=0.1)

    def test_from_the_onset_on(self) -> None:
        late = np.concatenate([np.zeros((4800, 2), np.float32), hit(300.0, 0.1, 0.5)])
        found: Figures = figures(late, RATE)
        part = from_onset(late, RATE, found.onset_ms)
        assert found.onset_ms is not None
        self.assertAlmostEqual(found.onset_ms, 100.0, delta=0.2)
        self.assertEqual(len(part), len(late) - round(found.onset_ms * 48))


class Conflicts(unittest.TestCase):
    def test_two_that_want_one_band(self) -> None:
        """A kick with all its energy there, and a pad with little of its own: the pad gives way."""
        kick = hit(63.0, 0.2, 0.7)
        pad = hit(63.0, 0.2, 0.4) + hit(1000.0, 0.2, 0.9)
        found = conflicts(kick, pad, RATE)
        self.assertEqual(len(found), 1)
        self.assertLess(found[0].low_hz, 63.0)
        self.assertGreater(found[0].high_hz, 63.0)
        self.assertEqual(found[0].gives_way, 1)
        apart = 20 * np.log10(0.7 / 0.4)
        self.assertAlmostEqual(found[0].cut_db, -(8.0 - apart), delta=0.5)
        swapped = conflicts(pad, kick, RATE)
        self.assertEqual(swapped[0].gives_way, 0)
        self.assertEqual(swapped[0].cut_db, found[0].cut_db)

    def test_how_much_is_wanted_by_both(self) -> None:
        """Of two that are the same it is half of all there is, if one octave holds it all."""
        one = hit(63.0, 0.3, 0.5)
        found = conflicts(one, one, RATE)
        self.assertAlmostEqual(found[0].crowd, 0.5, delta=0.03)
        # A third as loud in energy: what both want is the softer one's, 1 of 4.
        found = conflicts(one, scaled(one, -10.0 * np.log10(3.0)), RATE)
        self.assertAlmostEqual(found[0].crowd, 0.25, delta=0.02)

    def test_none_between_bands_or_one_after_the_other(self) -> None:
        self.assertEqual(conflicts(hit(63.0, 0.1, 0.5), hit(1000.0, 0.1, 0.5), RATE), [])
        first = hit(63.0, 0.01, 0.5, 0.2)
        later = np.concatenate([np.zeros((9600, 2), np.float32), hit(63.0, 0.01, 0.5, 0.2)])
        self.assertEqual(conflicts(first, later, RATE), [])

    def test_none_with_what_is_far_softer(self) -> None:
        self.assertEqual(conflicts(hit(63.0, 0.2, 0.7), hit(63.0, 0.2, 0.07), RATE), [])

    def test_at_most_an_octave_and_never_deeper_than_nine(self) -> None:
        for found in conflicts(noise(0.5, level=0.3), noise(0.5, seed=9, level=0.3), RATE):
            self.assertLess(found.high_hz / found.low_hz, 2.05)
            self.assertLessEqual(-9.0, found.cut_db)
            self.assertLess(found.cut_db, 0.0)

    def test_silence_one_sample_and_any_rate(self) -> None:
        silent = np.zeros((100, 2), np.float32)
        self.assertEqual(conflicts(silent, silent, RATE), [])
        self.assertEqual(conflicts(hit(60.0, 0.1, 0.5), silent, RATE), [])
        for rate in (44100.0, 96000.0, 192000.0):
            for length in (1, 5, 3000):
                conflicts(noise(0.1, level=0.5), noise(0.1, seed=2, level=0.5)[:length], rate)
