"""Running loudness against the EBU's test signals, made by their rule, and the whole measured."""

import unittest

import numpy as np

from puddle.measure.levels import loudness_lufs, true_peak_dbtp
from puddle.measure.running import Loudness, RunningLoudness

RATE = 48000.0


def sine(dbfs: float, seconds: float, hz: float = 1000.0) -> np.ndarray:
    """Both channels in phase, as Tech 3341 has them."""
    t = np.arange(round(seconds * RATE)) / RATE
    one = 10.0 ** (dbfs / 20.0) * np.sin(2.0 * np.pi * hz * t)
    return np.repeat(one[:, None], 2, 1).astype(np.float32)


def of(*parts: np.ndarray, chunk: int = 1711) -> Loudness:
    """Fed in pieces of an odd length."""
    meter, whole = RunningLoudness(RATE), np.concatenate(parts)
    for start in range(0, len(whole), chunk):
        meter.feed(whole[start : start + chunk])
    return meter.told()


class Ebu(unittest.TestCase):
    """EBU Tech 3341, table 1: within 0.1 LU."""

    def near(self, found: float | None, wanted: float) -> None:
        assert found is not None
        self.assertAlmostEqual(found, wanted, delta=0.1)

    def test_1_and_2_a_steady_tone(self) -> None:
        for level in (-23.0, -33.0):
            told = of(sine(level, 20.0))
            self.near(told.momentary, level)
            self.near(told.short_term, level)
            self.near(told.integrated, level)

    def test_3_the_relative_gate(self) -> None:
        told = of(sine(-36.0, 10.0), sine(-23.0, 60.0), sine(-36.0, 10.0))
        self.near(told.integrated, -23.0)

    def test_4_the_absolute_gate(self) -> None:
        parts = [(-72.0, 10), (-36.0, 10), (-23.0, 60), (-36.0, 10), (-72.0, 10)]
        self.near(of(*(sine(db, s) for db, s in parts)).integrated, -23.0)

    def test_5_between(self) -> None:
        told = of(sine(-26.0, 20.0), sine(-20.0, 20.1), sine(-26.0, 20.0))
        self.near(told.integrated, -23.0)

    def test_9_short_term_stays_while_a_tone_comes_and_goes(self) -> None:
        part = np.concatenate([sine(-20.0, 1.34), sine(-30.0, 1.66)])
        meter, seen = RunningLoudness(RATE), []
        for _ in range(5):
            for start in range(0, len(part), 4800):
                meter.feed(part[start : start + 4800])
                told = meter.told().short_term
                if told is not None:
                    seen.append(told)
        for one in seen:
            self.near(one, -23.0)


class Rest(unittest.TestCase):
    def test_integrated_is_that_of_the_whole(self) -> None:
        rng = np.random.default_rng(2)
        noise = (0.1 * rng.standard_normal((480000, 2))).astype(np.float32)
        noise[200000:300000] *= 0.05
        told = of(noise)
        whole = loudness_lufs(noise, RATE)
        assert whole is not None and told.integrated is not None and told.true_peak is not None
        self.assertAlmostEqual(told.integrated, whole, delta=0.01)
        self.assertAlmostEqual(told.true_peak, true_peak_dbtp(noise), delta=0.02)

    def test_correlation(self) -> None:
        rng = np.random.default_rng(3)
        one = rng.standard_normal((48000, 1)).astype(np.float32)
        other = rng.standard_normal((48000, 1)).astype(np.float32)
        for pair, wanted in (((one, one), 1.0), ((one, -one), -1.0), ((one, other), 0.0)):
            found = of(np.concatenate(pair, axis=1)).correlation
            assert found is not None
            self.assertAlmostEqual(found, wanted, delta=0.03)

    def test_silence_and_reset(self) -> None:
        told = of(np.zeros((96000, 2), np.float32))
        self.assertEqual(told, Loudness())
        meter = RunningLoudness(RATE)
        meter.feed(sine(-10.0, 5.0))
        meter.reset()
        self.assertEqual(meter.told(), Loudness())


if __name__ == "__main__":
    unittest.main()
