"""Hum, DC and rumble: heard in the quiet of a recording, and cut."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from puddle.formats.recording_file import RecordingFile
from puddle.kit.edits.landing import with_stages
from puddle.kit.model.document import Stage
from puddle.library.cleaning import cleaner
from puddle.library.cutting import looked_at
from puddle.library.sending import hit_audio
from puddle.measure.hum import hum_hz
from puddle.stages import Equalizer, Gain

RATE = 48000.0


def hummed(mains: float, seconds: float = 3.0) -> np.ndarray:
    rng = np.random.default_rng(3)
    t = np.arange(round(seconds * RATE)) / RATE
    hum = sum(0.01 / n * np.sin(2.0 * np.pi * n * mains * t + n) for n in (1, 2, 3))
    return np.asarray(hum + 3e-4 * rng.standard_normal(t.size))


class Hum(unittest.TestCase):
    def test_of_both_mains_and_of_none(self) -> None:
        for mains in (50.0, 60.0):
            self.assertEqual(hum_hz(hummed(mains), RATE), mains)
        room = 1e-3 * np.random.default_rng(1).standard_normal(96000)
        self.assertIsNone(hum_hz(room, RATE))
        self.assertIsNone(hum_hz(room[:1000], RATE))
        t = np.arange(96000) / RATE
        self.assertIsNone(hum_hz(0.1 * np.sin(2 * np.pi * 220 * t) + room, RATE))


class Cleaned(unittest.TestCase):
    def test_hum_and_dc_go_and_the_hit_stays(self) -> None:
        audio = hummed(50.0, 6.0) + 0.02
        t = np.arange(round(0.5 * RATE)) / RATE
        hit = 0.7 * np.sin(2.0 * np.pi * 900.0 * t) * 10.0 ** (-3.0 * t / 0.3)
        start = round(3.0 * RATE)
        audio[start : start + t.size] += hit
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.wav"
            soundfile.write(path, audio, 48000, subtype="FLOAT")
            with RecordingFile(path) as file:
                noted, _ = looked_at(file)
                stage = cleaner(file, noted)
                plain = hit_audio(file, start, start + t.size)
                clean = hit_audio(file, start, start + t.size, 0.0, stage)
                rest = hit_audio(file, round(RATE), round(2.5 * RATE), 0.0, stage)
        self.assertEqual((stage.low_cut_on, stage.bell1_hz, stage.bell4_hz), (True, 50.0, 200.0))
        late = slice(round(0.8 * RATE), round(1.3 * RATE))
        self.assertLess(abs(float(rest[late].mean())), 1e-4)
        level = float(np.sqrt(np.mean(np.square(rest[late]))))
        self.assertLess(level, 0.12 * float(np.sqrt(np.mean(np.square(audio[:48000] - 0.02)))))
        self.assertAlmostEqual(float(np.abs(clean).max()), float(np.abs(hit).max()), delta=0.06)
        self.assertEqual(clean.shape, plain.shape)

    def test_on_a_pad_it_comes_first_and_only_once(self) -> None:
        first = (Stage(id="stage1", process=Equalizer(low_cut_on=True)),)
        own = (Stage(id="stage1", process=Gain()),)
        made = with_stages(own, first)
        self.assertEqual([s.process for s in made], [first[0].process, Gain()])
        self.assertEqual(len({s.id for s in made}), 2)
        self.assertEqual(with_stages(made, first), made)
