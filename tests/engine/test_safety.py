"""The limiter that stands between every kit and the sound card."""

import unittest

import numpy as np
from scipy.signal import resample_poly

from puddle.engine import safety
from puddle.engine.engine import Engine
from tests.support.engines import RATE, kit_of
from tests.support.sounds import noise, sine
from tests.support.windows import WindowTest


def delivered(
    take: np.ndarray, frames: int, block: int = 64, voices: int = 1
) -> tuple[np.ndarray, np.ndarray, Engine]:
    """What the card is given of strikes of a take, what the engine made, and the engine."""
    kit = kit_of(*({"velocity_amount": 0.0} for _ in range(voices)))
    engines = Engine(RATE), Engine(RATE)
    for engine in engines:
        engine.set_kit(kit, {pad.id: take for pad in kit.pads}, None)
        for n in range(voices):
            engine.strike(n, 127.0)
    card, made = np.zeros((frames, 2), np.float32), np.zeros((frames, 2), np.float32)
    for start in range(0, frames, block):
        engines[0].deliver(card[start : start + block])
        engines[1].advance(made[start : start + block])
    return card, made, engines[0]


def true_peak_db(audio: np.ndarray) -> float:
    """By SciPy's polyphase filter at sixteen times the rate."""
    fine = resample_poly(audio.astype(np.float64), 16, 1, axis=0)
    return 20.0 * float(np.log10(np.abs(fine).max()))


class BeforeTheCard(unittest.TestCase):
    late = safety.latency_frames(RATE)

    def test_below_its_ceiling_every_sample_leaves_as_it_came(self) -> None:
        for take in (sine(997.0, 0.3, 0.985), noise(0.3, level=0.2)):
            card, made, engine = delivered(take, 12000)
            np.testing.assert_array_equal(card[self.late :], made[: -self.late])
            self.assertEqual(engine.safety_reduction_db(), 0.0)
            self.assertGreater(float(np.abs(made).max()), 0.5)

    def test_several_loud_voices_stay_under_full_scale(self) -> None:
        for voices, take in (
            (2, sine(60.0, 0.5, 0.8)),
            (6, sine(1000.0, 0.3, 0.5)),
            (6, noise(0.3, level=0.3)),
            (3, sine(11000.0, 0.3, 0.9)),
            (32, np.ones((9600, 2), np.float32)),
        ):
            card, made, engine = delivered(take, 24000, voices=voices)
            self.assertGreater(float(np.abs(made).max()), 1.3)
            self.assertLessEqual(float(np.abs(card).max()), 0.9886)  # -0.1 dBFS and rounding
            # Four points a sample miss up to 0.5 dB of a peak near half the rate: see
            # `kernels.true_peak`; under 12 kHz 0.25 dB.
            self.assertLess(true_peak_db(card), 0.3)
            wanted = 20.0 * np.log10(np.abs(made).max() / 0.9886)
            # A step overshoots between its samples.
            self.assertAlmostEqual(engine.safety_reduction_db(), wanted, delta=1.5)
            self.assertEqual(engine.safety_reduction_db(), 0.0)  # since it was last asked

    def test_it_does_not_depend_on_the_block(self) -> None:
        take = noise(0.3, level=0.5)
        wanted, _, _ = delivered(take, 9600, 32, voices=3)
        for block in (1, 37, 64, 1000):
            np.testing.assert_array_equal(delivered(take, 9600, block, voices=3)[0], wanted)

    def test_what_is_no_number_is_silence(self) -> None:
        take = sine(100.0, 0.2, 0.5)
        take[2000] = np.nan
        take[3000] = np.inf
        card, _, _ = delivered(take, 12000)
        self.assertTrue(np.isfinite(card).all())
        self.assertLessEqual(float(np.abs(card).max()), 1.0)

    def test_it_delays_by_little(self) -> None:
        for rate in (44100.0, 48000.0, 96000.0, 192000.0):
            self.assertLess(safety.latency_frames(rate) / rate, 0.0007)


class Shown(WindowTest):
    def test_the_meter_says_when_it_acts(self) -> None:
        meter = self.shell.shore.meter
        meter.feed(0.5, 0.5)
        self.assertFalse(meter.limiting)
        meter.feed(1.5, 1.5, 3.6)
        self.assertTrue(meter.limiting)
        self.assertIn("lim −3.6", meter.accessibleDescription())
