"""Tuning by measurement: what was tuned is measured again, by a second method too."""

import unittest
from typing import Any

import msgspec
import numpy as np

from puddle.errors import EditError
from puddle.kit.edits.tuning import at_octave, moved_by, tune_of
from puddle.kit.model.document import Layer, Sound, Stage
from puddle.kit.model.tonality import SCALES, Key, place_in
from puddle.measure.pitch import Pitch
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.render.tuning import layer_pitch, sound_pitch, tuned_layer, tuned_sound
from puddle.stages import Saturator
from puddle.units import hz_from_note, note_from_hz
from puddle.voices import Kick, Noise, Tone

RATE = 48000.0


def layer(key: str, source: Any, **values: Any) -> Layer:
    return Layer(id=key, name=key, source=source, **values)


def by_zero_crossings(audio: np.ndarray, from_s: float, to_s: float) -> float:
    """The frequency of a late stretch, by counting: a second method."""
    x = audio[round(from_s * RATE) : round(to_s * RATE), 0].astype(np.float64)
    up = np.flatnonzero((x[:-1] < 0) & (x[1:] >= 0))
    exact = up + x[up] / (x[up] - x[up + 1])
    return float((len(exact) - 1) / (exact[-1] - exact[0]) * RATE)


class Tuning(unittest.TestCase):
    def setUp(self) -> None:
        self.takes = Takes(NoSamples(), RATE)
        body = layer("body", Kick(end_hz=50.0, decay_ms=900.0))
        click = layer("click", Noise(slow_on=False, fast_ms=20.0), level_db=-12.0)
        self.sound = Sound(layers=(body, click))

    def test_a_whole_sound_is_tuned_and_its_noise_stays(self) -> None:
        now = sound_pitch(self.takes, self.sound)
        found = tuned_sound(self.takes, self.sound, 33.0, now)
        self.assertEqual(found.sound.layers[1], self.sound.layers[1])
        audio = self.takes.sound(found.sound).audio
        cents = 1200 * np.log2(by_zero_crossings(audio, 0.3, 0.6) / hz_from_note(33.0))
        self.assertLess(abs(cents), 3.0)
        assert found.pitch.hz is not None
        self.assertLess(abs(note_from_hz(found.pitch.hz) - 33.0), 0.02)

    def test_through_stages_it_is_measured_again_until_it_is_in_tune(self) -> None:
        bent = msgspec.structs.replace(
            self.sound, stages=(Stage(id="s", process=Saturator(drive_db=18.0)),)
        )
        found = tuned_sound(self.takes, bent, 36.3, sound_pitch(self.takes, bent))
        assert found.pitch.hz is not None
        self.assertLess(abs(note_from_hz(found.pitch.hz) - 36.3), 0.02)

    def test_a_layer_is_tuned_by_itself(self) -> None:
        two = msgspec.structs.replace(
            self.sound, layers=(*self.sound.layers, layer("ring", Tone(pitch_hz=200.0)))
        )
        now = layer_pitch(self.takes, two, "ring")
        found = tuned_layer(self.takes, two, "ring", 57.0, now)
        self.assertEqual(found.sound.layers[:2], two.layers[:2])
        assert found.pitch.hz is not None
        self.assertAlmostEqual(found.pitch.hz, 220.0, delta=0.2)

    def test_what_cannot_be_tuned_says_why(self) -> None:
        with self.assertRaisesRegex(EditError, "no settled pitch"):
            tuned_layer(self.takes, self.sound, "click", 40.0, Pitch(None, 0.1))
        now = layer_pitch(self.takes, self.sound, "body")
        with self.assertRaisesRegex(EditError, "its gauge goes from"):
            tuned_layer(self.takes, self.sound, "body", 100.0, now)

    def test_octaves(self) -> None:
        # A1 (33) for what sounds G3 (55): the nearest A is A3 (57).
        self.assertEqual(at_octave(33.0, 55.0, "nearest"), 57.0)
        self.assertEqual(at_octave(33.0, 55.0, "as typed"), 33.0)
        self.assertEqual(at_octave(33.25, 55.0, "an octave down"), 45.25)
        self.assertEqual(at_octave(33.0, 55.0, "an octave up"), 69.0)

    def test_intervals_add_up(self) -> None:
        moved = moved_by(self.sound, ["body"], 1.23)
        moved = moved_by(moved, ["body"], 1.3)
        self.assertAlmostEqual(tune_of(moved.layers[0]), 2.53, places=9)
        self.assertEqual(moved.layers[0].tune_st, 3.0)
        self.assertAlmostEqual(moved.layers[0].tune_ct, -47.0, places=6)


class Keys(unittest.TestCase):
    def test_the_nearest_note_of_a_key(self) -> None:
        minor = Key(root="A", scale="minor")
        self.assertEqual(place_in(minor, 60.0).note, 60)  # C belongs to A minor
        found = place_in(minor, 61.4)  # C sharp and 40 cents: D is nearer
        self.assertEqual((found.note, round(found.cents)), (62, -60))
        self.assertEqual(place_in(Key(scale="chromatic"), 61.4).note, 61)
        self.assertEqual(place_in(Key(root="F", scale="root and fifth"), 30.0).note, 29)

    def test_every_note_of_a_scale_belongs(self) -> None:
        for scale, steps in SCALES.items():
            for note in range(24, 100):
                found = place_in(Key(root="D", scale=scale), float(note))
                belongs = (note - 2) % 12 in steps
                self.assertEqual(found.cents == 0.0, belongs, (scale, note))
