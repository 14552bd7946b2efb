"""Voices at every rate, and what drives, folds and rooms leave in the spectrum."""

import unittest

import numpy as np

from puddle.formats.sound import quantized
from puddle.kit.model.roles import ROLES
from puddle.kit.playing.voice_levels import HEARD_LUFS, lift_db, role_lift_db
from puddle.measure.levels import loudness_lufs
from puddle.stages import Reverb, Saturator
from puddle.stages.chain import processed
from puddle.voices import STARTING_POINTS, Zap
from puddle.voices.voice import HOME_HZ

RATE = 48000.0


class Rates(unittest.TestCase):
    def test_a_voice_is_as_loud_at_every_rate(self) -> None:
        """Within 0.2 LU; what lies over 22 kHz is missing at 44.1 kHz, and is not looked at."""
        for points in STARTING_POINTS.values():
            for name, voice in list(points.items())[:3]:
                home = loudness_lufs(voice.render(HOME_HZ, 1.0), HOME_HZ)
                assert home is not None
                for rate in (44100.0, 96000.0, 192000.0):
                    found = loudness_lufs(voice.render(rate, 1.0), rate)
                    assert found is not None
                    with self.subTest(name, rate=rate):
                        self.assertAlmostEqual(found, home, delta=0.3 if rate < 48000 else 0.2)

    def test_at_home_it_is_what_the_model_makes_to_the_bit(self) -> None:
        for points in STARTING_POINTS.values():
            voice = next(iter(points.values()))
            plain, home = voice.strike(HOME_HZ, 1.0), voice.render(HOME_HZ, 1.0)
            self.assertTrue(np.array_equal(plain, home))


def aliases_db(wave: np.ndarray, hz: float) -> float:
    """The highest line under 20 kHz that is no harmonic, against the highest of all."""
    size = 32768
    level = np.abs(np.fft.rfft(wave[4800 : 4800 + size].astype(np.float64) * np.blackman(size)))
    at = np.fft.rfftfreq(size, 1.0 / RATE)
    own = np.abs(at / hz - np.round(at / hz)) * hz < 25.0
    rest = level[(at > 30.0) & (at < 20000.0) & ~own]
    return float(20.0 * np.log10(rest.max() / level.max()))


class Aliases(unittest.TestCase):
    def test_a_driven_zap(self) -> None:
        for hz in (1013.0, 5003.0, 12007.0):
            for drive in (12.0, 24.0):
                zap = Zap(start_hz=hz, end_hz=hz, decay_ms=2000, drive_db=drive, noise_on=False)
                with self.subTest(hz=hz, drive=drive):
                    self.assertLess(aliases_db(zap.render(RATE, 1.0)[:, 0], hz), -60.0)

    def test_a_fold(self) -> None:
        """At full scale; the highest tone pushed the hardest goes round fifty times a wave."""
        for hz, drive, most in (
            (440.0, 36.0, -60.0),
            (1013.0, 30.0, -60.0),
            (2711.0, 24.0, -60.0),
            (5003.0, 24.0, -60.0),
            (5003.0, 36.0, -50.0),
        ):
            sine = np.sin(2.0 * np.pi * hz * np.arange(48000) / RATE)[:, None].repeat(2, axis=1)
            stage = Saturator(shape="fold", drive_db=drive)
            out, _ = processed(sine.astype(np.float32), [stage], RATE)
            with self.subTest(hz=hz, drive=drive):
                self.assertLess(aliases_db(out[:, 0], hz), most)


class Rooms(unittest.TestCase):
    def test_a_late_tail_is_hardly_more_tonal_than_noise(self) -> None:
        """The highest line over the mean around it: noise has 9 to 11 dB."""
        impulse = np.zeros((480, 2), np.float32)
        impulse[0] = 1.0
        size = 1 << 16
        for kind in ("plate", "room"):
            reverb = Reverb(kind=kind, decay_ms=3000, damping=0, low_cut_hz=10)  # type: ignore[arg-type]
            tail = processed(impulse, [reverb], RATE)[0][:, 0].astype(np.float64)
            for seconds in (0.5, 1.0):
                part = tail[round(seconds * RATE) :][:size]
                even = part * 10.0 ** (np.arange(size) / RATE)  # as loud throughout
                power = np.abs(np.fft.rfft(even * np.hanning(size))) ** 2
                at = np.fft.rfftfreq(size, 1.0 / RATE)
                power = power[(at > 200.0) & (at < 10000.0)]
                mean = np.convolve(power, np.ones(2001) / 2001, "same")
                over = 10.0 * np.log10(power / mean)[2001:-2001].max()
                with self.subTest(kind, seconds=seconds):
                    self.assertLess(over, 11.2)


class Stems(unittest.TestCase):
    def test_dithers_of_several_files_add_up_by_power(self) -> None:
        rng = np.random.default_rng(1)
        stems = [(0.01 * rng.standard_normal((48000, 2))).astype(np.float32) for _ in range(8)]
        noise = [quantized(stem, "16") / 32768.0 - stem.astype(np.float64) for stem in stems]
        one = np.mean([part.std() for part in noise])
        self.assertAlmostEqual(20 * np.log10(np.sum(noise, axis=0).std() / one), 9.03, delta=0.3)
        again = quantized(stems[0], "16")
        self.assertTrue(np.array_equal(again, quantized(stems[0].copy(), "16")))


class Levels(unittest.TestCase):
    def test_voices_are_heard_alike_and_start_at_their_roles_level(self) -> None:
        """Before, from -30 to -5 LUFS; what a peak does not let rise stays some dB under."""
        heard, missing = [], []
        for kind, points in STARTING_POINTS.items():
            for voice in points.values():
                audio = voice.render(RATE, 1.0)
                loud = loudness_lufs(audio, RATE)
                assert loud is not None
                lift = lift_db(voice, HEARD_LUFS)
                peak = 20.0 * np.log10(np.abs(audio).max()) + lift
                heard.append(loud + lift)
                own = role_lift_db(voice, kind.role)  # type: ignore[arg-type]
                missing.append(loud + own - ROLES[kind.role].loudness_lufs)  # type: ignore[index]
                self.assertLess(peak, max(-0.9, peak - lift + 0.05))
        self.assertLess(max(heard) - min(heard), 2.2)
        self.assertLess(max(missing), 0.06)
        self.assertLess(abs(float(np.median(missing))), 0.1)
        self.assertGreater(min(missing), -5.5)
