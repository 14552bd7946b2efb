"""Likeness finds the same sound again, moved or struck otherwise; loops tell beats and tempo."""

import itertools
import unittest

import numpy as np

from puddle.kernels.nearness import city_block_among
from puddle.measure.likeness import WIDTH, likeness_row, whitening
from puddle.measure.loops import loop, told_bpm
from puddle.measure.pitch import fundamental
from puddle.parameter import changed, parameters
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.voices import STARTING_POINTS, AnyVoice, Hat, Kick, Snare
from tests.kit.test_ordering import DRUMS
from tests.library.test_grouping import strikes
from tests.support.sounds import noise, sine

RATE = 48000.0


def row_of(audio: np.ndarray) -> np.ndarray:
    return likeness_row(audio, RATE, fundamental(audio, RATE).hz)


def moved(voice: AnyVoice, rng: np.random.Generator) -> AnyVoice:
    """Every gauge moved by up to 8 % of its range."""
    values = {}
    for p in parameters(type(voice)):
        if p.kind == "number":
            place = p.position(getattr(voice, p.field)) + rng.uniform(-0.08, 0.08)
            values[p.field] = p.at(place)
    return changed(voice, **values)


def mean_average_precision(rows: np.ndarray, names: list[str]) -> float:
    """Of asking with each row for all others of its name (Manning et al. 2008, ch. 8.4)."""
    every, scores = np.array(names), []
    for n, row in enumerate(rows):
        order = np.argsort(np.abs(rows - row).sum(axis=1), kind="stable")
        order = order[order != n]
        ranks = np.flatnonzero(every[order] == every[n]) + 1
        scores.append(float(np.mean(np.arange(1, ranks.size + 1) / ranks)))
    return float(np.mean(scores))


class Likeness(unittest.TestCase):
    def test_a_starting_point_is_found_with_its_gauges_moved(self) -> None:
        """On a seed that the whitening was not fitted on."""
        rng, rows, names = np.random.default_rng(77), [], []
        for kind, points in STARTING_POINTS.items():
            for name, voice in points.items():
                for _ in range(4):
                    rows.append(row_of(moved(voice, rng).render(RATE, 1.0)))
                    names.append(f"{kind.noun} {name}")
        self.assertGreater(mean_average_precision(np.array(rows), names), 0.79)

    def test_strengths_and_takes_of_one_drum_are_near(self) -> None:
        takes, rows, names = Takes(NoSamples(), RATE), [], []
        for drum in DRUMS:
            for audio in strikes(takes, drum, (30.0, 80.0, 127.0), 2):
                rows.append(row_of(audio))
                names.append(drum)
        self.assertGreater(mean_average_precision(np.array(rows), names), 0.9)

    def test_level_side_and_rate_do_not_count(self) -> None:
        audio = Snare().render(RATE, 1.0)
        row = row_of(audio)
        other = np.abs(row_of(Kick().render(RATE, 1.0)) - row).sum()
        for same in (
            audio * np.float32(0.05),
            audio[:, :1],
            np.concatenate([np.zeros((4800, 2), np.float32), audio]),
        ):
            self.assertLess(float(np.abs(row_of(same) - row).sum()), 0.02 * other)
        slow = Snare().render(44100.0, 1.0)
        at_44 = likeness_row(slow, 44100.0, fundamental(slow, 44100.0).hz)
        self.assertLess(float(np.abs(at_44 - row).sum()), 0.15 * other)

    def test_what_is_hardly_a_sound_has_a_row(self) -> None:
        for audio in (np.zeros((4800, 2)), np.zeros((0, 2)), np.ones((1, 2)), sine(20000.0, 0.001)):
            row = likeness_row(audio.astype(np.float32), RATE, None)
            self.assertEqual((row.shape, np.isfinite(row).all()), ((WIDTH,), True))
        against = noise(0.1)
        against[:, 1] = -against[:, 0]
        self.assertGreater(float(np.abs(likeness_row(against, RATE, None)).sum()), 1.0)

    def test_distances_are_sums_of_absolute_differences(self) -> None:
        rows = np.random.default_rng(1).standard_normal((50, WIDTH)).astype(np.float32)
        some = np.array([7, 3, 40])
        wanted = np.abs(rows[some] - rows[3]).sum(axis=1)
        found = city_block_among(rows, some, rows[3])
        self.assertLess(float(np.abs(found - wanted).max()), 1e-4)
        self.assertTrue(np.allclose(whitening(), whitening().T, atol=1e-4))


class Loops(unittest.TestCase):
    def test_beats_and_tempo_of_made_loops(self) -> None:
        rng, right = np.random.default_rng(41), 0
        count = 60
        for _ in range(count):
            audio, beats, bpm = self.made(rng)
            found = loop(audio, RATE)
            right += found is not None and found.beats == beats and abs(found.bpm - bpm) < 0.1
        self.assertGreaterEqual(right / count, 0.95)

    def made(self, rng: np.random.Generator) -> tuple[np.ndarray, int, float]:
        """Some bars on a kick, a snare and a hat, straight or swung, played by a hand."""
        bpm, beats = rng.uniform(80.0, 160.0), int(rng.choice([4, 8, 16]))
        out = np.zeros((round(60.0 * beats / bpm * RATE), 2), np.float32)
        swing = float(rng.choice([0.0, 0.0, 0.05, 0.08]))
        kicks, hats = rng.random(16) < 0.2, np.arange(16) % rng.choice([1, 2]) == 0
        kicks[0] = True
        parts = ((Kick(), kicks, 1.0), (Snare(), np.arange(16) % 8 == 4, 0.8), (Hat(), hats, 0.3))
        for voice, steps, level in parts:
            hit = level * voice.render(RATE, 1.0)
            for step in np.flatnonzero(np.tile(steps, beats // 4)):
                beat = step / 4 + (swing if step % 2 else 0.0)
                at = round((beat * 60.0 / bpm + abs(rng.normal(0.0, 0.002))) * RATE)
                part = hit[: max(0, len(out) - at)]
                out[at : at + len(part)] += np.float32(rng.uniform(0.7, 1.0)) * part
        return out, beats, bpm

    def test_one_shots_silence_and_noise_are_no_loops(self) -> None:
        for audio in (Kick().render(RATE, 1.0), noise(3.0), np.zeros((96000, 2), np.float32)):
            self.assertIsNone(loop(audio, RATE))
        points = itertools.chain(*(p.values() for p in STARTING_POINTS.values()))
        found = [v for v in itertools.islice(points, 0, None, 4) if loop(v.render(RATE, 1.0), RATE)]
        self.assertEqual(found, [])

    def test_a_name_tells_the_tempo_where_the_length_bears_it_out(self) -> None:
        for name, bpm in (("a 104 bpm.wav", 104.0), ("BPM_92.5 b.wav", 92.5), ("b 1104bpm", None)):
            self.assertEqual(told_bpm(name), bpm)
        audio, beats, bpm = self.made(np.random.default_rng(3))
        half = loop(audio, RATE, f"x {bpm / 2:.1f} bpm.wav")
        assert half is not None
        self.assertEqual(half.beats, beats // 2)
        wrong = loop(audio, RATE, f"x {1.13 * bpm:.1f} bpm.wav")
        self.assertEqual(wrong, loop(audio, RATE))
