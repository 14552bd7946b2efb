"""Stages against independent truth: SciPy, closed forms, a second true-peak meter."""

import math
import unittest

import numpy as np
import scipy.signal

from puddle.kernels.blocks import run_stage
from puddle.kernels.limiting import limiter_latency
from puddle.parameter import changed
from puddle.stages import (
    Compressor,
    Equalizer,
    Insert,
    Limiter,
)
from puddle.stages.chain import processed
from tests.support.sounds import noise, sine
from tests.support.stage_figures import BUSY, db, impulse_response_db

RATE = 48000.0
HEARD = np.geomspace(20.0, 20000.0, 400)


class Equalizing(unittest.TestCase):
    def test_the_sound_is_changed_as_the_curve_says(self) -> None:
        hz = np.geomspace(30, 19000, 200)
        heard = impulse_response_db(BUSY, hz)
        self.assertLess(float(np.abs(heard - BUSY.response_db(hz, RATE)).max()), 0.02)

    def test_bells_by_the_analog_prototype(self) -> None:
        """H(s) = (s² + s A/Q + 1) / (s² + s/(A Q) + 1), up to 20 kHz, near half the rate too."""
        for rate in (44100.0, 48000.0, 96000.0):
            for gain, f0, q in (
                (6.0, 1000.0, 1.0),
                (-9.0, 200.0, 4.0),
                (12.0, 6000.0, 0.5),
                (24.0, 1500.0, 0.1),
                (-18.0, 16000.0, 2.0),
                (9.0, 20000.0, 0.7),
                (0.02, 9000.0, 3.0),
            ):
                eq = Equalizer(bell1_db=gain, bell1_hz=f0, bell1_q=q)
                s = 1j * HEARD / f0
                a = 10 ** (gain / 40)
                wanted = (s * s + s * a / q + 1) / (s * s + s / (a * q) + 1)
                error = eq.response_db(HEARD, rate) - 20 * np.log10(np.abs(wanted))
                with self.subTest(rate=rate, gain=gain, f0=f0, q=q):
                    self.assertLess(float(np.abs(error).max()), 0.5)
                    self.assertLess(float(np.abs(error[HEARD < 5000]).max()), 0.3)

    def test_shelves_by_the_analog_prototype(self) -> None:
        for rate in (44100.0, 48000.0, 96000.0):
            for gain in (8.0, -5.0, 24.0, -24.0):
                a = 10 ** (gain / 40)
                r = math.sqrt(2 * a)  # sqrt(A)/Q with S = 1
                for f0 in (60.0, 300.0, 2000.0):
                    low = Equalizer(low_shelf_db=gain, low_shelf_hz=f0)
                    s = 1j * HEARD / f0
                    wanted = a * (s * s + r * s + a) / (a * s * s + r * s + 1)
                    error = low.response_db(HEARD, rate) - 20 * np.log10(np.abs(wanted))
                    self.assertLess(float(np.abs(error).max()), 0.01, (rate, gain, f0))
                for f0 in (500.0, 3000.0, 12000.0, 20000.0):
                    high = Equalizer(high_shelf_db=gain, high_shelf_hz=f0)
                    s = 1j * HEARD / f0
                    wanted = a * (a * s * s + r * s + 1) / (s * s + r * s + a)
                    error = high.response_db(HEARD, rate) - 20 * np.log10(np.abs(wanted))
                    self.assertLess(float(np.abs(error).max()), 0.2, (rate, gain, f0))

    def test_cuts_are_butterworth(self) -> None:
        """|H|² = 1 / (1 + (f/f0)^2n), to 20 kHz; what lies 90 dB down is heard by nobody."""
        for rate in (44100.0, 48000.0, 96000.0):
            for order in (2, 4, 6, 8):
                high = (300.0, 1400.0, 3300.0, 4900.0, 6200.0, 7800.0, 12500.0)
                for field, f0s in (("low_cut", (20.0, 120.0, 2000.0)), ("high_cut", high)):
                    for f0 in f0s:
                        ratio = f0 / HEARD if field == "low_cut" else HEARD / f0
                        values = {"on": True, "hz": f0, "slope": f"{6 * order} dB/oct"}
                        eq = changed(Equalizer(), **{f"{field}_{k}": v for k, v in values.items()})
                        wanted = -10.0 * np.log10(1.0 + ratio ** (2 * order))
                        error = (eq.response_db(HEARD, rate) - wanted)[wanted > -90.0]
                        with self.subTest(field, rate=rate, order=order, f0=f0):
                            self.assertLess(float(np.abs(error).max()), 0.5)

    def test_every_section_is_stable_and_flat_ones_pass(self) -> None:
        """Whatever is set, at every rate: poles inside the circle, zeros on it or inside."""
        rng = np.random.default_rng(3)
        for _ in range(150):
            rate = float(rng.choice([44100.0, 48000.0, 88200.0, 192000.0]))
            hz, db, q = (
                float(20.0 * 1000.0 ** rng.random()),
                float(rng.uniform(-24.0, 24.0)),
                float(0.1 * 180.0 ** rng.random()),
            )
            eq = Equalizer(
                bell1_db=db, bell1_hz=hz, bell1_q=q, bell2_hz=hz, bell2_q=q,
                high_shelf_db=db, high_shelf_hz=max(500.0, hz), high_cut_on=True,
                high_cut_hz=max(200.0, hz), high_cut_slope="48 dB/oct",
            )  # fmt: skip
            for b0, b1, b2, a1, a2 in eq.sections(rate):
                self.assertLess(float(np.abs(np.roots([1.0, a1, a2])).max()), 1.0)
                self.assertLess(float(np.abs(np.roots([b0, b1, b2])).max(initial=0.0)), 1.0 + 1e-6)
            b0, b1, b2, a1, a2 = eq.sections(rate)[6]
            self.assertEqual((b0, b1, b2), (1.0, a1, a2))

    def test_samples_agree_with_scipy(self) -> None:
        x = noise(0.3)
        rows = BUSY.sections(RATE)
        sos = np.concatenate([rows[:, :3], np.ones((14, 1)), rows[:, 3:]], axis=1)
        wanted = scipy.signal.sosfilt(sos, x.astype(np.float64), axis=0)
        heard, _ = processed(x, [BUSY], RATE)
        # float32 between the sections of a quantum: 14 roundings at -150 dB.
        self.assertLess(float(np.abs(heard[: len(x)] - wanted).max()), 2e-6)

    def test_flat_is_untouched(self) -> None:
        x = noise(0.1)
        heard, _ = processed(x, [Equalizer()], RATE)
        self.assertTrue(np.array_equal(heard[: len(x)], x))


class Compressing(unittest.TestCase):
    def test_steady_tones_follow_the_static_curve(self) -> None:
        """A full-wave peak detector sees the crest; slow release holds it there."""
        c = Compressor(threshold_db=-20, ratio=4, knee_db=8, attack_ms=1, release_ms=2000)
        for level in (-30.0, -22.0, -18.0, -10.0, -3.0):
            x = sine(1000, 1.0, 10 ** (level / 20))
            y, reductions = processed(x, [c], RATE)
            settled = db(float(np.abs(y[24000:48000]).max()))
            self.assertAlmostEqual(settled, c.gain_db(level), delta=0.15)
            self.assertAlmostEqual(reductions[0].deepest_db, level - c.gain_db(level), delta=0.15)

    def test_the_static_curve_by_hand(self) -> None:
        c = Compressor(threshold_db=-20, ratio=4, knee_db=0)
        self.assertEqual(c.gain_db(-30), -30)
        self.assertAlmostEqual(c.gain_db(-8), -20 + 12 / 4)
        soft = Compressor(threshold_db=-20, ratio=2, knee_db=10)
        self.assertAlmostEqual(soft.gain_db(-20), -20 - 0.5 * 25 / 20)

    def test_attack_and_release_are_time_constants(self) -> None:
        c = Compressor(threshold_db=-40, ratio=20, knee_db=0, attack_ms=20, release_ms=100)
        x = np.full((48000, 2), 1.0, np.float32)  # a held level: the detector has no ripple
        x[24000:] = 10 ** (-60 / 20)
        y, _ = processed(x, [c], RATE)
        reduction = -20 * np.log10(np.abs(y[:, 0]) / np.abs(x[:, 0]))
        full = 40 * (1 - 1 / 20)
        self.assertAlmostEqual(
            float(reduction[round(0.02 * RATE)]), full * (1 - 1 / math.e), delta=0.1
        )
        after = float(reduction[24000 + round(0.1 * RATE)])
        self.assertAlmostEqual(after, float(reduction[23999]) / math.e, delta=0.1)

    def test_agrees_with_a_loop_in_plain_python(self) -> None:
        c = Compressor(
            threshold_db=-24,
            ratio=3,
            knee_db=6,
            attack_ms=5,
            release_ms=60,
            makeup_db=4,
            detector="RMS",
        )
        x = noise(0.05, level=0.4)
        heard, _ = processed(x, [Insert(c, dry=30)], RATE)
        attack, release = (math.exp(-1000 / (ms * RATE)) for ms in (5, 60))
        smooth = math.exp(-1000 / (10 * RATE))
        power = held = 0.0
        for n, (left, right) in enumerate(x.astype(np.float64)):
            power = smooth * power + (1 - smooth) * (left**2 + right**2) / 2
            level = 10 * math.log10(2 * power + 1e-30)
            wanted = level - Compressor(threshold_db=-24, ratio=3, knee_db=6).gain_db(level)
            pole = attack if wanted > held else release
            held = pole * held + (1 - pole) * wanted
            gain = 0.3 + 0.7 * 10 ** (4 / 20) * 10 ** (-held / 20)
            self.assertAlmostEqual(float(heard[n, 0]), left * gain, delta=1e-5)

    def test_all_dry_is_untouched(self) -> None:
        x = noise(0.05)
        heard, _ = processed(x, [Insert(Compressor(threshold_db=-60), dry=100)], RATE)
        self.assertLess(float(np.abs(heard - x).max()), 1e-7)
        for lookahead_ms in (0.2, 0.4, 1.5, 5.0):  # late by less than a quantum, and by more
            limiter = Limiter(ceiling_db=-24, lookahead_ms=lookahead_ms)
            heard, _ = processed(x, [Insert(limiter, dry=100)], RATE)
            np.testing.assert_array_equal(heard, x)


class Decibels(unittest.TestCase):
    def test_logarithm_and_power_of_two(self) -> None:
        """Against the library's, over all that a level can be."""
        from puddle.kernels.decibels import exp2_of, log2_of

        rng = np.random.default_rng(5)
        for x in 10.0 ** rng.uniform(-30, 8, 2000):
            self.assertAlmostEqual(log2_of(x), math.log2(x), delta=5e-9)
        for x in rng.uniform(-60, 10, 2000):
            self.assertAlmostEqual(exp2_of(x) / 2.0**x, 1.0, delta=2e-8)
        for x in (1.0, 2.0, 0.5, 2.0**0.5, 1.9999999999, 1e-30):
            self.assertAlmostEqual(log2_of(x), math.log2(x), delta=5e-9)
        self.assertEqual(exp2_of(0.0), 1.0)


class Limiting(unittest.TestCase):
    def true_peak_db(self, audio: np.ndarray) -> float:
        """A second meter: sixteen-fold interpolation by the spectrum."""
        size = 1 << (len(audio) + 4096 - 1).bit_length()
        fine = np.fft.irfft(np.fft.rfft(audio.astype(np.float64), size, axis=0), 16 * size, axis=0)
        return db(float(np.abs(fine).max()) * 16)

    def test_nothing_leaves_over_the_ceiling(self) -> None:
        rng = np.random.default_rng(1)
        taps = scipy.signal.firwin(255, 18000, fs=RATE)
        for ceiling in (-1.0, -6.0, -12.0):
            for n in range(4):
                x = scipy.signal.lfilter(taps, 1, rng.standard_normal((24000, 2)), axis=0)
                x *= rng.uniform(0.3, 3.0) * np.exp(-np.arange(24000) / 4000)[:, None]
                y, _ = processed(x.astype(np.float32), [Limiter(ceiling_db=ceiling)], RATE)
                self.assertLess(self.true_peak_db(y), ceiling + 0.2, n)

    def test_what_is_under_the_ceiling_passes_with_its_latency_taken_out(self) -> None:
        x = noise(0.1, level=0.05)
        y, reductions = processed(x, [Limiter()], RATE)
        self.assertTrue(np.array_equal(y[: len(x)], x))
        self.assertEqual(reductions[0].deepest_db, 0.0)

    def test_latency_is_what_it_says(self) -> None:
        limiter = Limiter(lookahead_ms=2.0)
        x = np.zeros((1000, 2), np.float32)
        x[100] = 0.5
        state = np.zeros(limiter.cells(RATE))
        run_stage(limiter.entry(), state, limiter.coefficients(RATE), x)
        self.assertEqual(int(np.argmax(x[:, 0])), 100 + limiter.latency_frames(RATE))
        self.assertEqual(limiter.latency_frames(RATE), limiter_latency(96))

    def test_it_turns_down_no_more_than_it_must(self) -> None:
        x = sine(997, 0.5, 10 ** (6 / 20))
        y, reductions = processed(x, [Limiter(ceiling_db=-1)], RATE)
        self.assertAlmostEqual(reductions[0].deepest_db, 7.0, delta=0.1)
        self.assertAlmostEqual(db(float(np.abs(y[12000:20000]).max())), -1.0, delta=0.1)
