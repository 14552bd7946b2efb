"""Velocity and variation: what a strike makes of a sound, live and offline alike."""

import unittest

import numpy as np

from puddle.engine import offline
from puddle.engine.engine import Engine
from puddle.kit import edits
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.model.document import Kit, Layer, Pad, Reach, Sample, Sound
from puddle.kit.playing.velocity import even_lows, step_of, steps_of, struck, turns_of
from puddle.parameter import changed, parameter
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.render.takeset import TakeSet, take_set, wanted
from puddle.voices import Kick, Snare
from tests.support.sounds import pattern

RATE = 48000.0


def sound_of(*reaches: Reach, variation: float = 0.0) -> Sound:
    layer = Layer(
        id="layer1", name="Hull", source=Kick(), reaches=reaches, variation=variation
    )  # fmt: skip
    return Sound(layers=(layer,))


def pad_of(sound: Sound) -> Pad:
    return Pad(id="p0", name="Keel", place=0, sound=sound, velocity_amount=0.0)


STEPS, TURNS = Sound().steps, Sound().turns


class Steps(unittest.TestCase):
    def test_steps_cover_all_velocities_evenly(self) -> None:
        for steps in (1, 2, 5, 16):
            found = [step_of(float(v), even_lows(steps)) for v in range(1, 128)]
            self.assertEqual(found, sorted(found))
            self.assertEqual((found[0], found[-1]), (0, steps - 1))
            self.assertEqual(set(found), set(range(steps)))
            self.assertLessEqual(max(found.count(s) for s in range(steps)), 127 // steps + 1)

    def test_how_many_is_the_sounds_own(self) -> None:
        """Two strengths and eight turns, offline and live alike."""
        sound = changed(sound_of(Reach(field="decay_ms", amount=60), variation=50), steps=2)
        sound = changed(sound, turns=8)
        pad, takes = pad_of(sound), Takes(NoSamples(), RATE)
        soft, hard = (offline.strike(pad, takes, v) for v in (63.0, 65.0))
        self.assertGreater(len(hard), 1.5 * len(soft))
        self.assertEqual(len(wanted(sound)), 16)
        made = take_set(takes, pad, (63.0, 65.0))
        engine = Engine(RATE)
        engine.set_kit(Kit(name="", pads=(pad,)), {"p0": made}, None)
        for turn, velocity in enumerate((63.0, 1.0, 127.0, 65.0, 2.0, 9.0, 9.0, 120.0, 63.0)):
            engine.strike(0, velocity)
            out, _ = engine.advance_tapped(96000)
            own = offline.strike(pad, takes, velocity, turn=turn % 8)
            self.assertTrue(np.array_equal(out[: len(own)], own), turn)

    def test_full_strength_is_the_sound_as_set(self) -> None:
        sound = sound_of(Reach(field="decay_ms", amount=50), variation=40)
        self.assertIs(struck(sound, STEPS - 1, 0), sound)
        self.assertEqual((steps_of(sound), turns_of(sound)), (STEPS, TURNS))
        self.assertEqual((steps_of(sound_of()), turns_of(sound_of())), (1, 1))

    def test_softer_strikes_lie_lower_on_the_gauge(self) -> None:
        decay = parameter(Kick, "decay_ms")
        sound = sound_of(Reach(field="decay_ms", amount=40), Reach(field="click_db", amount=-20))
        full = sound.layers[0].source
        for step in range(STEPS):
            soft = struck(sound, step, 0).layers[0].source
            assert isinstance(full, Kick) and isinstance(soft, Kick)
            share = 1 - step / (STEPS - 1)
            moved = decay.position(full.decay_ms) - decay.position(soft.decay_ms)
            self.assertAlmostEqual(moved, 0.4 * share, places=9)
            self.assertGreaterEqual(soft.click_db, full.click_db)
            self.assertEqual(soft.end_hz, full.end_hz)

    def test_what_a_source_does_not_have_is_passed_over(self) -> None:
        sound = sound_of(Reach(field="wires_ms", amount=40), Reach(field="body_on", amount=40))
        self.assertIs(struck(sound, 0, 0), sound)
        sample = Sample(content="0" * 64, end_ms=10.0)
        layer = changed(sound.layers[0], source=sample)
        self.assertEqual(struck(changed(sound, layers=(layer,)), 3, 1).layers, (layer,))

    def test_turns_differ_a_little_and_are_the_same_on_every_run(self) -> None:
        sound = sound_of(variation=100)
        layers = [struck(sound, STEPS - 1, turn).layers[0] for turn in range(TURNS)]
        self.assertEqual(len(set(layers)), TURNS)
        for turn, layer in enumerate(layers):
            self.assertEqual(layer, struck(sound, STEPS - 1, turn).layers[0])
            self.assertLessEqual(abs(layer.tune_ct), 25.0)
            self.assertLessEqual(abs(layer.level_db), 1.5)
            self.assertTrue(0.0 <= layer.offset_ms <= 1.2)


class Heard(unittest.TestCase):
    def setUp(self) -> None:
        self.takes = Takes(NoSamples(), RATE)
        self.sound = sound_of(Reach(field="decay_ms", amount=60), variation=50)

    def test_a_soft_strike_is_shorter(self) -> None:
        pad = pad_of(self.sound)
        lengths = [len(offline.strike(pad, self.takes, v)) for v in (10.0, 60.0, 127.0)]
        self.assertEqual(lengths, sorted(lengths))
        self.assertGreater(lengths[2], 1.5 * lengths[0])

    def test_live_strikes_choose_step_and_turn(self) -> None:
        """Each strike's samples are those of its own render, to the bit."""
        pad = pad_of(self.sound)
        takes = take_set(self.takes, pad, range(1, 128))
        engine = Engine(RATE)
        engine.set_kit(Kit(name="", pads=(pad,)), {"p0": takes}, None)
        for count, velocity in enumerate((127.0, 40.0, 127.0, 3.0, 90.0, 40.0)):
            engine.strike(0, velocity)
            out, _ = engine.advance_tapped(96000)
            wanted_ = offline.strike(pad, self.takes, velocity, turn=count % TURNS)
            self.assertTrue(np.array_equal(out[: len(wanted_)], wanted_), velocity)
            self.assertEqual(float(np.abs(out[len(wanted_) :]).max()), 0.0)

    def test_a_bounce_has_what_is_struck(self) -> None:
        pad = pad_of(self.sound)
        kit = Kit(name="", pads=(pad,))
        made = offline.bounce(kit, pattern(("p0", (0,))), 1, self.takes).master
        wanted_ = offline.strike(pad, self.takes, 127.0)
        self.assertTrue(np.array_equal(made[: len(wanted_)], wanted_))

    def test_the_nearest_ready_take_sounds_meanwhile(self) -> None:
        loud, soft = np.full((10, 2), 0.5, np.float32), np.full((10, 2), 0.25, np.float32)
        found = TakeSet(even_lows(STEPS), 2, ready={(15, 0, 0): loud, (2, 1, 0): soft})
        places = found.places().reshape(STEPS, 2)
        self.assertEqual(places[14].tolist(), [0, 0])
        self.assertEqual(places[0].tolist(), [1, 1])
        found.ready[14, 1, 0] = loud
        self.assertEqual(found.places().reshape(STEPS, 2)[14].tolist(), [2, 2])
        found.ready[14, 0, 0] = loud
        self.assertEqual(found.places().reshape(STEPS, 2)[13:].tolist(), [[3, 2], [3, 2], [0, 0]])
        self.assertEqual(len(wanted(self.sound)), STEPS * TURNS)
        self.assertEqual(wanted(self.sound)[0], (15, 0, 0))
        self.assertEqual(wanted(Sound()), [(0, 0, 0)])


class Documents(unittest.TestCase):
    def test_reaches_are_kept_and_taken_away(self) -> None:
        kit = Kit(name="", pads=(pad_of(sound_of()),))
        kit = edits.set_reach(kit, "p0", "layer1", "decay_ms", 30.0)
        kit = edits.set_reach(kit, "p0", "layer1", "click_db", 400.0)
        self.assertEqual([(r.field, r.amount) for r in kit.pads[0].sound.layers[0].reaches],
                         [("decay_ms", 30.0), ("click_db", 100.0)])  # fmt: skip
        self.assertEqual(kit_from_json(kit_json(kit), "x"), kit)
        kit = edits.set_reach(kit, "p0", "layer1", "decay_ms", 0.0)
        self.assertEqual(len(kit.pads[0].sound.layers[0].reaches), 1)

    def test_another_source_keeps_what_it_knows(self) -> None:
        kit = Kit(name="", pads=(pad_of(sound_of(Reach(field="end_hz", amount=10))),))
        kit = edits.set_layer(kit, "p0", "layer1", source=Snare())
        sound = kit.pads[0].sound
        self.assertIs(struck(sound, 0, 0), sound)
