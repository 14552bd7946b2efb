"""The demo: twenty pads that stand on their own, and a groove that can be listened to."""

import unittest

import numpy as np
import pyloudnorm

from puddle.demo.recordings import SESSION, session_files
from puddle.engine import offline
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.model.document import Sample
from puddle.kit.playing.velocity import hardest
from puddle.measure.levels import peak_dbfs, true_peak_dbtp
from puddle.measure.pitch import fundamental
from puddle.measure.report import measured
from puddle.render.take import Takes
from puddle.window.session.measuring import out_peak_db
from tests.support.stores import new_store

RATE = 48000.0


class RainGauge(unittest.TestCase):
    def test_pads_are_heard_and_say_what_they_are(self) -> None:
        from puddle.demo.raingauge import demo_kit

        with new_store() as store:
            kit = demo_kit(store)
            self.assertEqual(kit_from_json(kit_json(kit), "demo"), kit)
            self.assertGreaterEqual(len(kit.pads), 13)
            notes = [n for p in kit.pads for n in p.notes]
            self.assertEqual(len(set(notes)), len(notes))
            self.assertTrue(all(p.notes for p in kit.pads))
            takes = Takes(store, RATE)
            for pad in kit.pads:
                with self.subTest(pad.name):
                    whole = takes.sound(hardest(pad.sound)).audio
                    self.assertLess(float(np.abs(whole).max()), 1.0)  # nothing marked as over
                    sides = [peak_dbfs(side) for side in whole.T]
                    self.assertLess(out_peak_db(pad, sides), 0.0)
                    found = measured(offline.strike(pad, takes, 127.0), RATE)
                    self.assertGreater(found["loudness_lufs"], -30.0)
                    self.assertLess(found["peak_dbfs"], 3.0)
                    swells = pad.name == "Slipway"  # a shaker's swing comes in
                    self.assertLess(found["onset_ms"], 15.0 if swells else 3.0)
                    self.assertLess(abs(found["dc_offset"]), 1e-3)
            tuned = {"Keel": 43.65, "Barrel lo": 82.0, "Bilge D": 36.71, "Bilge G": 49.0}
            for pad in kit.pads:
                if pad.name in tuned:
                    hz = fundamental(takes.sound(pad.sound).audio, RATE).hz or 0.0
                    self.assertLess(abs(1200 * np.log2(hz / tuned[pad.name])), 8.0, pad.name)
            played = {
                layer.source.content
                for pad in kit.pads
                for layer in pad.sound.layers
                if isinstance(layer.source, Sample)
            }
            self.assertEqual(played, {c.hash for c in kit.contents})

    def test_the_groove_is_as_loud_as_a_record_under_its_ceiling(self) -> None:
        from puddle.demo.raingauge import demo_kit

        with new_store() as store:
            kit = demo_kit(store)
            made = offline.bounce(kit, kit.patterns[0], 8, Takes(store, RATE)).master
        self.assertLess(true_peak_dbtp(made), -1.0)
        lufs = pyloudnorm.Meter(round(RATE)).integrated_loudness(made.astype(np.float64))
        self.assertAlmostEqual(lufs, -14.0, delta=0.5)

    def test_recordings_come_from_their_seeds(self) -> None:
        first, second = session_files(), session_files()
        self.assertEqual(first, second)
        self.assertEqual(len(first), len(SESSION))
