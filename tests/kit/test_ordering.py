"""Recordings ordered by strength, and layers split across strengths."""

import itertools
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import kendalltau

from puddle.kit import edits
from puddle.kit.edits import velocities
from puddle.kit.model.document import Kit, Layer, Reach, Sound
from puddle.kit.playing.velocity import lows_of, step_of, struck
from puddle.measure import ordering
from puddle.measure.levels import loudness_lufs
from puddle.measure.ordering import (
    Strength,
    are_strengths,
    soft_to_hard,
    strength,
    strengths_and_turns,
)
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.voices import STARTING_POINTS, Kick
from tests.support.sounds import noise, write

RATE = 48000.0
POINTS = {name: voice for points in STARTING_POINTS.values() for name, voice in points.items()}
DRUMS = {
    "Fresh plank": {"balance": -10, "snap_db": 35, "wires_high_hz": 30},
    "Rain barrel": {"stick_db": 40},
    "Ship's drum": {"touch_db": 45, "damping": -25},
    "Oak block": {"hardness": 45, "knock_db": 40},
    "Deep keel": {"click_db": 50, "click_hz": 25, "start_hz": 20},
    "Mallet on hull": {"click_db": 50, "start_hz": 25},
    "Boat rib": {"hardness": 45},
    "Frame skin": {"touch_db": 45},
    "Drizzle": {"band_hz": 25, "low_cut_hz": 20, "ring_db": 20},
    "Loose hatch": {"band_hz": 25, "metal_db": 20, "low_cut_hz": 15},
    "Squall line": {"tilt_db": 40, "wash_db": 30, "wash_hz": 20},
    "Harbor bell dome": {"tilt_db": 40, "ping_db": 25},
    "Wet canvas": {"band_hz": 25, "high_cut_hz": 30},
}


def recordings(takes: Takes, drum: str, rng: np.random.Generator, evened: bool) -> list[np.ndarray]:
    """Three to eight strikes of a drum, rising, each a little by chance."""
    reaches = tuple(Reach(field=f, amount=float(a)) for f, a in DRUMS[drum].items())
    layer = Layer(id="a", name="a", source=POINTS[drum], reaches=reaches, variation=30.0)
    sound = Sound(layers=(layer,), turns=8)
    found = []
    for velocity in np.sort(rng.choice(np.arange(15, 128, 8), rng.integers(3, 9), replace=False)):
        step = step_of(float(velocity), lows_of(sound))
        audio = takes.sound(struck(sound, step, int(rng.integers(0, 8)))).audio
        gain = (velocity / 127.0) ** 2
        if evened:
            gain = 10 ** ((-20.0 - (loudness_lufs(audio, RATE) or 0.0) + rng.uniform(-1, 1)) / 20)
        found.append((audio * gain).astype(np.float32))
    return found


class Ordering(unittest.TestCase):
    def tau(self, evened: bool) -> float:
        takes, rng = Takes(NoSamples(), RATE), np.random.default_rng(3)
        taus = []
        for drum in DRUMS:
            for _ in range(4):
                found = [strength(a, RATE) for a in recordings(takes, drum, rng, evened)]
                shuffled = rng.permutation(len(found))
                order = [int(shuffled[n]) for n in soft_to_hard([found[k] for k in shuffled])]
                taus.append(kendalltau(order, range(len(order)))[0])
        return float(np.mean(taus))

    def test_shuffled_recordings(self) -> None:
        self.assertGreaterEqual(self.tau(evened=False), 0.97)

    def test_shuffled_recordings_whose_levels_were_evened_out(self) -> None:
        self.assertGreaterEqual(self.tau(evened=True), 0.97)

    def test_louder_is_harder_and_so_is_brighter(self) -> None:
        soft, hard = Strength(-40.0, 8.0), Strength(-20.0, 8.0)
        self.assertEqual(soft_to_hard([hard, soft]), [1, 0])
        self.assertEqual(soft_to_hard([Strength(-20.0, 9.0), Strength(-20.5, 8.0)]), [1, 0])
        self.assertEqual(soft_to_hard([]), [])

    def test_strengths_with_turns_are_told_apart(self) -> None:
        """Four strengths of two or three takes each, shuffled; and what is neither."""
        takes, rng = Takes(NoSamples(), RATE), np.random.default_rng(5)
        right = 0
        for drum in DRUMS:
            reaches = tuple(Reach(field=f, amount=float(a)) for f, a in DRUMS[drum].items())
            layer = Layer(id="a", name="a", source=POINTS[drum], reaches=reaches, variation=15.0)
            sound = Sound(layers=(layer,), turns=8)
            for turns in (2, 3):
                found, whose = [], []
                for n, velocity in enumerate((20.0, 52.0, 88.0, 127.0)):
                    for turn in range(turns):
                        step = step_of(velocity, lows_of(sound))
                        audio = takes.sound(struck(sound, step, turn)).audio
                        found.append(strength(audio * (velocity / 127.0) ** 2, RATE))
                        whose.append(n)
                mixed = rng.permutation(len(found))
                groups = strengths_and_turns([found[n] for n in mixed])
                told = [sorted({whose[mixed[n]] for n in group}) for group in groups]
                right += told == [[0], [1], [2], [3]]
        self.assertGreaterEqual(right / (2 * len(DRUMS)), 0.9)
        self.assertEqual(strengths_and_turns([]), [])
        alike = [Strength(-20.0, 9.0), Strength(-20.4, 9.02), Strength(-19.9, 9.01)]
        self.assertEqual(strengths_and_turns(alike), [[0, 1, 2]])
        rising = [Strength(-10.0 * n, 9.0) for n in range(4)]
        self.assertEqual(strengths_and_turns(rising), [[3], [2], [1], [0]])

    def test_sharpness_of_a_sine_is_its_frequency(self) -> None:
        """A sine's first difference has its energy times 4 sin^2(pi f / rate)."""
        wave = np.sin(2 * np.pi * 1000.0 * np.arange(48000) / RATE)
        wanted = np.log2(RATE / np.pi * np.sin(np.pi * 1000.0 / RATE))
        self.assertAlmostEqual(ordering._sharpness(wave, RATE), wanted, places=3)

    def test_brightness_is_where_the_energy_lies(self) -> None:
        for hz in (100.0, 1000.0, 8000.0):
            t = np.arange(24000) / RATE
            x = (0.5 * np.sin(2 * np.pi * hz * t)).astype(np.float32)
            found = strength(np.stack([x, x], 1), RATE).brightness
            self.assertAlmostEqual(found, np.log2(hz), delta=0.6)

    def test_strengths_or_turns(self) -> None:
        self.assertTrue(are_strengths([Strength(-30.0, 9.0), Strength(-18.0, 9.5)]))
        self.assertTrue(are_strengths([Strength(-30.0, 9.0), Strength(-18.0, 9.0)]))
        self.assertTrue(are_strengths([Strength(-20.0, 9.0), Strength(-20.0, 9.5)]))
        self.assertFalse(are_strengths([Strength(-20.0, 9.0), Strength(-20.8, 9.1)]))
        self.assertFalse(are_strengths([Strength(-20.0, 9.0)]))

    def test_silence_is_softest(self) -> None:
        silent = strength(np.zeros((100, 2), np.float32), RATE)
        one = strength(np.full((1, 2), 0.5, np.float32), RATE)
        self.assertEqual(soft_to_hard([one, silent]), [1, 0])


class Splitting(unittest.TestCase):
    def setUp(self) -> None:
        layers = tuple(Layer(id=f"layer{n}", name=str(n), source=Kick()) for n in range(1, 5))
        self.kit, _ = edits.add_pad(Kit(name="k"), "Plank", "snare", Sound(layers=layers))
        self.ids = [layer.id for layer in layers]

    def ranges(self, kit: Kit) -> list[tuple[int, int]]:
        return [(k.softest, k.hardest) for k in edits.pad_of(kit, "pad1").sound.layers]

    @settings(max_examples=80, deadline=None)
    @given(st.lists(st.floats(-80.0, 0.0), min_size=1, max_size=40))
    def test_ranges_fill_all_strengths_and_none_is_empty(self, levels: list[float]) -> None:
        for found in (velocities.by_loudness(sorted(levels)), velocities.evenly(len(levels))):
            self.assertEqual(found[0][0], 1)
            self.assertEqual(found[-1][1], 127)
            self.assertTrue(all(low <= high for low, high in found))
            for (_, high), (low, _) in itertools.pairwise(found):
                self.assertEqual(low, high + 1)

    def test_in_proportion_to_loudness(self) -> None:
        # Steps of 8, 2 and 2 dB: shares of 8, 5, 2 and 2 of 17.
        found = velocities.by_loudness([-30.0, -22.0, -20.0, -18.0])
        sizes = [high - low + 1 for low, high in found]
        self.assertEqual(sizes, [60, 37, 15, 15])
        self.assertEqual([b - a + 1 for a, b in velocities.evenly(4)], [32, 32, 31, 32])

    def test_strengths_turns_edges_and_blends(self) -> None:
        flat = [-20.0] * 4
        kit = velocities.as_grid(self.kit, "pad1", [[key] for key in self.ids], flat, even=True)
        self.assertEqual(self.ranges(kit), [(1, 32), (33, 64), (65, 95), (96, 127)])
        moved = velocities.move_edge(kit, "pad1", 65, 50)
        self.assertEqual(self.ranges(moved), [(1, 32), (33, 49), (50, 95), (96, 127)])
        held = velocities.move_edge(kit, "pad1", 65, 2)  # what ends there keeps a strength
        self.assertEqual(self.ranges(held)[1:3], [(33, 33), (34, 95)])
        blended = edits.pad_of(velocities.set_blend(kit, "pad1", 12), "pad1").sound
        self.assertEqual([(k.blend_in, k.blend_out) for k in blended.layers],
                         [(0, 12), (12, 12), (12, 12), (12, 0)])  # fmt: skip
        turns = velocities.as_turns(kit, "pad1", self.ids[:2])
        layers = edits.pad_of(turns, "pad1").sound.layers
        self.assertEqual([k.turn for k in layers], [1, 2, 0, 0])
        self.assertEqual(self.ranges(turns)[:2], [(1, 32), (1, 32)])
        groups = velocities.rungs(edits.pad_of(turns, "pad1").sound)
        self.assertEqual([len(g) for g in groups], [2, 1, 1])


class Command(unittest.TestCase):
    def order(self, *files: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "puddle", "order", *files, "--json"],
            capture_output=True,
            text=True,
            timeout=60,
        )

    def test_it_prints_the_order_and_names_what_is_no_sound(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            files = []
            for n, level in enumerate((0.3, 0.02, 0.1)):
                files.append(str(write(Path(folder) / f"{n}.wav", noise(0.3, level=level))))
            done = self.order(*files)
            self.assertEqual(done.returncode, 0, done.stderr)
            found = json.loads(done.stdout)
            self.assertEqual(found["order"], [files[1], files[2], files[0]])
            self.assertAlmostEqual(
                found["loudness_lufs"][files[0]] - found["loudness_lufs"][files[2]],
                20 * np.log10(3.0),
                delta=0.1,
            )
            bad = Path(folder) / "bad.wav"
            bad.write_bytes(b"no")
            done = self.order(files[0], str(bad), files[1])
            self.assertEqual(done.returncode, 2)
            self.assertEqual(json.loads(done.stdout)["order"], [files[1], files[0]])
            self.assertIn("bad.wav", done.stderr)
            self.assertEqual(len(done.stderr.strip().splitlines()), 1)
