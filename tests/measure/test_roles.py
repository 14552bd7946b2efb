"""Roles: traits against closed forms; what is told of our own sounds, and of others' recordings."""

import math
import unittest
from pathlib import Path

import numpy as np
import scipy.signal

from puddle.demo.session import session
from puddle.formats.recording_file import RecordingFile
from puddle.kit.model.document import Recording
from puddle.library.hit_groups import HeardHits, found_groups
from puddle.library.marked import marked
from puddle.measure.forest import read_forest
from puddle.measure.pitch import fundamental_of
from puddle.measure.report import measured
from puddle.measure.role import FOREST, ROLES, likely_role
from puddle.measure.spectrum import whole_spectrum
from puddle.measure.traits import NAMES, traits
from puddle.voices import STARTING_POINTS
from tests.support.made_recordings import boathouse, looked_at_once
from tools.role_known import read_table

RATE = 48000.0
# What the session's things may be called: the demo has the plank for a snare, barrels for toms.
CALLED = (
    ("percussion",),
    ("percussion", "snare"),
    ("percussion",),
    ("percussion",),
    ("kick", "tom"),
)
HELD_OUT = Path(__file__).with_name("role_held_out.csv")


def traits_of(wave: np.ndarray, rate_hz: float = RATE) -> dict[str, float]:
    """The traits of a mono wave, by their names."""
    whole = whole_spectrum(wave.astype(np.float32)[:, None], rate_hz)
    row = traits(whole, fundamental_of(whole))
    assert row is not None
    return dict(zip(NAMES, row.tolist(), strict=True))


def ringing(hz: float, fall_s: float, rate_hz: float = RATE) -> np.ndarray:
    """A decaying sine of a second."""
    time = np.arange(round(rate_hz)) / rate_hz
    return 0.5 * np.sin(2.0 * np.pi * hz * time) * np.exp(-time / fall_s)


class Traits(unittest.TestCase):
    def test_times_of_a_decaying_sine(self) -> None:
        """Its energy falls by e in half its time constant: nine tenths have come after 1.151 of
        it; it is 20 dB down after 2.303."""
        for fall_s in (0.02, 0.08, 0.25):
            found = traits_of(ringing(1000.0, fall_s))
            with self.subTest(fall_s):
                self.assertAlmostEqual(2.0 ** found["length"] - 1.0, 1151.3 * fall_s, delta=1.0)
                # Steps of 2 ms, of which the first and the last count whole.
                self.assertAlmostEqual(2.0 ** found["fall"] - 1.0, 2302.6 * fall_s, delta=4.0)
                # Short spectra 5.3 ms apart, in the band that the sine is in.
                self.assertAlmostEqual(
                    2.0 ** found["stay to 1500 Hz"] - 1.0, 1151.3 * fall_s, delta=8.0
                )
                self.assertAlmostEqual(found["rise"], 0.0, delta=1.0)

    def test_each_band_stays_as_long_as_it_rings(self) -> None:
        found = traits_of(ringing(150.0, 0.2) + ringing(9000.0, 0.03))
        self.assertAlmostEqual(2.0 ** found["stay to 300 Hz"] - 1.0, 230.0, delta=8.0)
        self.assertAlmostEqual(2.0 ** found["stay above"] - 1.0, 34.5, delta=8.0)

    def test_shares_of_the_energy(self) -> None:
        """Two sines of equal length: the energy is shared out by the squares of their levels."""
        time = np.arange(48000) / RATE
        wave = 0.4 * np.sin(2 * np.pi * 130.0 * time) + 0.2 * np.sin(2 * np.pi * 3000.0 * time)
        found = traits_of(wave)
        self.assertAlmostEqual(10.0 ** found["share under 180 Hz"], 0.8, delta=0.01)
        self.assertAlmostEqual(10.0 ** found["share under 5000 Hz"], 0.2, delta=0.01)
        self.assertAlmostEqual(2.0 ** found["strongest"], 130.0, delta=130.0 * 0.06)
        self.assertAlmostEqual(found["peak"], 10.0 * math.log10(0.8), delta=0.1)
        self.assertAlmostEqual(2.0 ** found["pitch"], 130.0, delta=0.5)

    def test_noise_is_flat_and_a_sine_is_not(self) -> None:
        """Power of white noise is exponentially distributed in each bin: the mean of its logarithm
        is lower than the logarithm of its mean by Euler's constant, 2.51 dB."""
        noise = 0.1 * np.random.default_rng(1).standard_normal(48000)
        found = traits_of(noise)
        for name in (name for name in NAMES if name.startswith("noise")):
            with self.subTest(name):
                # Few bins in the lowest band: 4.34 dB times 1.28 over the root of 67, three times.
                self.assertAlmostEqual(found[name], -2.51, delta=2.1)
        self.assertLess(traits_of(ringing(1000.0, 0.3))["noise to 2500 Hz"], -20.0)

    def test_level_and_silence_before_do_not_count(self) -> None:
        wave = ringing(210.0, 0.1) + 0.1 * np.random.default_rng(2).standard_normal(48000) * np.exp(
            -np.arange(48000) / 3000.0
        )
        plain = traits_of(wave)
        other = traits_of(np.concatenate([np.zeros(960), 0.1 * wave]))
        for name in NAMES:
            with self.subTest(name):
                self.assertAlmostEqual(plain[name], other[name], delta=0.05)

    def test_the_rate_does_not_count(self) -> None:
        one, other = (
            traits_of(ringing(210.0, 0.1, rate) + ringing(4000.0, 0.02, rate), rate)
            for rate in (44100.0, 96000.0)
        )
        for name in NAMES:
            if not name.startswith("noise"):  # no noise is in it but rounding's
                with self.subTest(name):
                    # Shares of 3e-5, the onset's, differ by what the rates have room for.
                    self.assertAlmostEqual(one[name], other[name], delta=0.15)

    def test_what_is_hardly_there(self) -> None:
        for frames in (1, 2, 5, 63, 600):
            for wave in (np.zeros(frames), np.full(frames, 0.3), np.eye(1, frames)[0]):
                whole = whole_spectrum(wave.astype(np.float32)[:, None], RATE)
                row = traits(whole, fundamental_of(whole))
                if row is not None:
                    self.assertTrue(np.isfinite(row).all(), (frames, row))
        low = traits_of(ringing(100.0, 0.1, 1000.0), 1000.0)  # hardly any band is there
        self.assertTrue(all(math.isfinite(value) for value in low.values()))


class Trees(unittest.TestCase):
    def test_shares_are_those_of_walking_each_tree(self) -> None:
        grown = read_forest(FOREST)
        rng = np.random.default_rng(3)
        for _ in range(20):
            row = rng.uniform(-6.0, 14.0, len(NAMES)).astype(np.float32)
            total = np.zeros(len(ROLES))
            for node in grown.roots.tolist():
                while grown.next[node, 0] != node:
                    at_most = row[grown.trait[node]] <= grown.threshold[node]
                    node = int(grown.next[node, 1 if at_most else 0])
                total += grown.shares[node]
            shares = grown.shares_of(np.stack([row, row[::-1]]))[0]
            np.testing.assert_allclose(shares, total / grown.roots.size, atol=1e-6)
            self.assertAlmostEqual(float(shares.sum()), 1.0, delta=0.003)  # kept to three places
            role, sure = likely_role(row)
            self.assertEqual(ROLES.index(role), int(np.argmax(total)))
            self.assertAlmostEqual(sure, float(shares.max()))


class Struck(unittest.TestCase):
    def test_groups_of_what_was_struck(self) -> None:
        """Knocks, a plank, a bollard, a crate and a barrel: struck things are no effects."""
        _, struck = session()
        frames = np.array([one.frame for one in struck])
        path = boathouse()[0]
        with RecordingFile(path) as file:
            noted, _ = looked_at_once(file)
            plain = Recording(id="r", name="take", path=str(path))
            groups = found_groups(HeardHits(file), marked(noted, plain))
        for group in groups:
            for hit in group.hits:
                thing = struck[int(np.argmin(np.abs(frames - hit)))].thing
                self.assertIn(group.role, CALLED[thing], group)


class OthersRecordings(unittest.TestCase):
    """Percussion and basses of two General MIDI sets under free licenses, by their keys, that no
    tree was grown on: `e` is recorded, `f` comes from a chip. Measured by `tools.role_known`."""

    def right(self, source: str) -> list[bool]:
        told = zip(*read_table(HELD_OUT), strict=True)
        return [likely_role(row)[0] == role for role, of, row in told if of == source]

    def test_seven_of_ten_are_told(self) -> None:
        recorded, made = self.right("e"), self.right("f")
        self.assertEqual((len(recorded), len(made)), (43, 56))
        self.assertGreaterEqual(np.mean(recorded), 0.75)
        self.assertGreaterEqual(np.mean(recorded + made), 0.70)


class OurSounds(unittest.TestCase):
    def right(self, changed: bool) -> float:
        """The share of our voices' starting points whose role is told."""
        rng, right, count = np.random.default_rng(4), 0, 0
        for kind, points in STARTING_POINTS.items():
            for voice in points.values():
                audio = voice.render(RATE, 1.0)
                if changed:  # as a room and a late finger record it
                    before = np.zeros((round(rng.uniform(0.002, 0.05) * RATE), 2), np.float32)
                    audio = 0.4 * np.concatenate([before, audio, np.zeros((9600, 2), np.float32)])
                    room = 10.0 ** (-62.0 / 20.0) * rng.standard_normal(audio.shape)
                    audio = (audio + room).astype(np.float32)
                right += measured(audio, RATE)["role"] == kind.role
                count += 1
        return right / count

    def test_of_our_own_starting_points(self) -> None:
        self.assertGreater(self.right(changed=False), 0.85)
        self.assertGreater(self.right(changed=True), 0.78)

    def test_hits_by_closed_forms_that_no_voice_made(self) -> None:
        """Sines and noises of the simplest kind, by what each would be called."""
        rng, t = np.random.default_rng(0), np.arange(48000) / RATE
        white = rng.standard_normal(t.size)

        def band(low: float, high: float) -> np.ndarray:
            sos = scipy.signal.butter(2, [low, high], "band", fs=RATE, output="sos")
            wave = scipy.signal.sosfilt(sos, white)
            return np.asarray(wave / np.abs(wave).max())

        def ring(hz: float, fall_ms: float) -> np.ndarray:
            return np.sin(2.0 * np.pi * hz * t) * np.exp(-1000.0 * t / fall_ms)

        swoop = 50.0 * t + 150.0 * 0.02 * (1.0 - np.exp(-t / 0.02))
        bursts = sum(
            np.where(t >= at, np.exp(-(t - at) / 0.006), 0.0) for at in (0.0, 0.011, 0.023)
        ) + np.where(t >= 0.03, 0.6 * np.exp(-(t - 0.03) / 0.06), 0.0)
        metal = sum(np.sin(2.0 * np.pi * hz * t + n * n) for n, hz in enumerate(
            rng.uniform(600.0, 12000.0, 300)))  # fmt: skip
        for role, wave in (
            ("kick", np.sin(2.0 * np.pi * swoop) * np.exp(-t / 0.09)),
            ("bass", ring(55.0, 500.0) * np.minimum(1.0, t / 0.02)),
            ("tom", ring(120.0, 120.0) + 0.1 * ring(190.0, 60.0)),
            ("snare", 0.7 * ring(190.0, 60.0) + 0.5 * band(1500, 9000) * np.exp(-t / 0.06)),
            ("clap", band(900.0, 2200.0) * bursts),
            ("hat", band(7000.0, 13000.0) * np.exp(-t / 0.03)),
            ("cymbal", metal * np.exp(-t / 0.35)),
            ("percussion", ring(900.0, 40.0) + 0.4 * ring(2450.0, 20.0)),
        ):
            audio = (0.5 * wave / np.abs(wave).max())[:, None].repeat(2, axis=1)
            with self.subTest(role):
                self.assertEqual(measured(audio.astype(np.float32), RATE)["role"], role)
