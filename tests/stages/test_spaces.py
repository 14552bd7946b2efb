"""Rooms, repeats and what follows a hit, against closed forms and second methods."""

import math
import unittest

import numpy as np
import scipy.signal

from puddle.parameter import changed
from puddle.render.steps import MEASURED
from puddle.stages import (
    Chorus,
    Delay,
    Gate,
    Insert,
    NoiseFollower,
    Reverb,
    Sub,
)
from puddle.stages.chain import processed
from tests.support.hits import RATE, click, db, hit, rms, through
from tests.support.sounds import noise


class Rooms(unittest.TestCase):
    def decay_s(self, y: np.ndarray, hz: float) -> float:
        """T30 of an octave by backward integration (Schroeder 1965), of all channels together."""
        band = (hz / math.sqrt(2), hz * math.sqrt(2))
        sos = scipy.signal.butter(4, band, "band", fs=RATE, output="sos")
        power = scipy.signal.sosfilt(sos, y.astype(np.float64).reshape(len(y), -1), axis=0) ** 2
        energy = np.cumsum(power.sum(axis=1)[::-1])[::-1]
        fall = 10 * np.log10(energy / energy[0] + 1e-15)
        return float(np.argmax(fall < -35) - np.argmax(fall < -5)) / RATE * 2.0

    def test_decay_by_octave_is_its_gauge(self) -> None:
        """Within 10 %, in every octave."""
        for kind in ("plate", "room", "metal"):
            for ms in (800.0, 3000.0):
                r = Reverb(kind=kind, decay_ms=ms, damping=0, low_cut_hz=10)
                y = through(click(64), r)
                for hz in (63, 125, 250, 500, 1000, 2000, 4000, 8000):
                    found = 1000 * self.decay_s(y, hz) / ms
                    self.assertAlmostEqual(found, 1.0, delta=0.1, msg=f"{kind} {ms} {hz}")

    def test_damping_is_as_drawn(self) -> None:
        r = Reverb(decay_ms=2000, damping=60, low_cut_hz=10)
        y = through(click(64), r)[:, 0]
        for hz in (500, 2000, 8000):
            drawn = float(r.decay_by_hz(np.array([hz]), RATE)[0])
            self.assertAlmostEqual(self.decay_s(y, hz) / drawn, 1.0, delta=0.12)
        self.assertLess(float(r.decay_by_hz(np.array([12000.0]), RATE)[0]), 1.2)

    def test_no_mode_rings_by_itself(self) -> None:
        """Late in a long decay no bin stands out of its third octave by more than noise would.

        The largest of n bins of Gaussian noise lies some 10 log10(ln n) dB over their mean; twice
        that in dB, and 4 dB, is allowed.
        """
        y = through(click(64), Reverb(kind="plate", decay_ms=8000, damping=0, low_cut_hz=10))
        late = y[round(3 * RATE) : round(5 * RATE), 0].astype(np.float64)
        late = late * np.hanning(len(late))
        power = np.abs(np.fft.rfft(late)) ** 2
        f = np.fft.rfftfreq(len(late), 1 / RATE)
        for middle in (200, 500, 1250, 3150, 8000):
            band = power[(f > middle / 2 ** (1 / 6)) & (f < middle * 2 ** (1 / 6))]
            bound = 2 * 10 * math.log10(math.log(len(band))) + 4
            self.assertLess(10 * math.log10(band.max() / band.mean()), bound, middle)

    def test_pre_delay_low_cut_and_width(self) -> None:
        r = Reverb(pre_ms=50, low_cut_hz=400)
        y = through(click(64), r)
        self.assertEqual(float(np.abs(y[: round(0.05 * RATE)]).max()), 0.0)
        self.assertGreater(float(np.abs(y[round(0.05 * RATE) : 4800]).max()), 0.01)
        mono = through(click(64), changed(r, width=0.0))
        self.assertTrue(np.array_equal(mono[:, 0], mono[:, 1]))
        thin, full = (through(click(64), changed(r, low_cut_hz=hz))[:, 0] for hz in (1000, 10))
        sos = scipy.signal.butter(4, 150, fs=RATE, output="sos")
        low = [rms(scipy.signal.sosfilt(sos, v)) for v in (thin, full)]
        self.assertLess(db(low[0] / low[1]), -12.0)

    def test_a_gate_pulls_its_tail_in(self) -> None:
        x = hit(decay_s=0.05, seconds=0.2)
        y, _ = processed(
            x,
            [Insert(Reverb(decay_ms=4000), dry=50.0), Gate(threshold_db=-15, hysteresis_db=0)],
            RATE,
        )
        self.assertLess(float(np.abs(y[round(1.0 * RATE) :]).max()), 1e-4)


class Delays(unittest.TestCase):
    def test_repeats_come_when_and_as_loud_as_they_should(self) -> None:
        d = Delay(time_ms=100, feedback=50, high_cut_hz=20000, low_cut_hz=10)
        y = through(click(), d)[:, 0]
        for n in range(1, 5):
            near = y[round(0.1 * n * RATE) - 2 : round(0.1 * n * RATE) + 40]
            self.assertAlmostEqual(float(near.sum()), 0.5 ** (n - 1), delta=0.06 * n)
        self.assertEqual(float(np.abs(y[: round(0.1 * RATE) - 1]).max()), 0.0)

    def test_swapped_sides(self) -> None:
        y = through(click(), Delay(time_ms=100, feedback=80, width=100))
        for n, side in ((1, 0), (2, 1), (3, 0)):
            near = y[round(0.1 * n * RATE) : round(0.1 * n * RATE) + 200]
            self.assertGreater(rms(near[:, side]), 20 * rms(near[:, 1 - side]))

    def test_a_chorus_without_depth_is_a_delay(self) -> None:
        x = noise(0.2)
        y = through(x, Chorus(depth_ms=0))
        late = round(0.012 * RATE)
        np.testing.assert_allclose(y[late:9600], math.sqrt(3) * x[: 9600 - late], atol=1e-4)

    def test_it_widens(self) -> None:
        x = noise(1.0)
        mono = np.stack([x[:, 0]] * 2, 1)
        narrow, wide = (through(mono, Chorus(spread=s)) for s in (0, 100))
        self.assertTrue(np.array_equal(narrow[:, 0], narrow[:, 1]))
        self.assertLess(float(np.corrcoef(wide[4800:, 0], wide[4800:, 1])[0, 1]), 0.7)


class Followers(unittest.TestCase):
    def test_a_sub_is_tuned_and_locked(self) -> None:
        """Its phase is 0 where the hit begins, for every hit alike; 60 dB less in its decay."""
        s = Sub(pitch_hz=55, level_db=0, decay_ms=500, attack_ms=0.5)
        x = np.zeros((48000, 2), np.float32)
        x[1000:1003] = 0.5
        x[30011:30014] = 0.5
        y = through(x, s)[:, 0] - np.pad(x[:, 0], (0, len(through(x, s)) - 48000))
        first, second = y[1000:6000], y[30011:35011]
        np.testing.assert_allclose(first[200:], second[200:], atol=0.01)
        t = np.arange(4000) / RATE
        wanted = 0.5 * np.sin(2 * np.pi * 55 * t) * 10 ** (-3 * t / 0.5)
        np.testing.assert_allclose(first[200:4000], wanted[200:4000], atol=0.02)

    def test_a_sub_under_the_measured_pitch(self) -> None:
        x = hit(decay_s=0.6, hz=110.0, seconds=0.8)
        for tuned, hz in (("to the hit", 110.0), ("an octave under the hit", 55.0)):
            s = Sub(tuned=tuned, level_db=6, decay_ms=600)
            y, _ = processed(x, [s], RATE, MEASURED)
            plain = np.zeros_like(y)
            plain[: len(x)] = x
            spectrum = np.abs(np.fft.rfft((y - plain)[:32768, 0], 1 << 18))
            found = float(np.argmax(spectrum)) * RATE / (1 << 18)
            self.assertAlmostEqual(1200 * math.log2(found / hz), 0.0, delta=12.0)

    def test_noise_under_the_envelope_in_its_band(self) -> None:
        x = hit(decay_s=0.3)
        n = NoiseFollower(level_db=0, low_hz=1000, high_hz=4000, release_ms=5)
        made = through(x, n)[: len(x)] - x
        self.assertEqual(float(np.abs(made[:480]).max()), 0.0)
        early, late = made[480:2880], made[10000:14000]
        self.assertGreater(db(rms(early) / rms(late)), 20.0)
        power = np.abs(np.fft.rfft(early[:, 0])) ** 2
        f = np.fft.rfftfreq(2400, 1 / RATE)
        middle = float(np.sum(f * power) / np.sum(power))
        self.assertTrue(1500 < middle < 5000, middle)
        self.assertTrue(np.array_equal(through(x, n), through(x, n)))
        self.assertFalse(np.array_equal(through(x, n), through(x, changed(n, seed=2))))
