"""Pads in the document: alternates, links, copies, kit gauges."""

import unittest

import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.errors import EditError, KitFileError
from puddle.kit import edits
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.edits import alternates, copying, gauges, links, rows
from puddle.kit.edits.address import parameter_at, told, value_at, with_value
from puddle.kit.edits.prints import without_unused_contents
from puddle.kit.edits.rows import RowPath
from puddle.kit.edits.spreading import spread
from puddle.kit.edits.velocities import rungs
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, KitGauge, Layer, Pad, Point, Sound
from puddle.kit.playing.velocity import lows_of, step_of, struck
from puddle.parameter import changed
from puddle.stages import Compressor
from puddle.voices import Kick, Snare
from tests.support.sounds import small_kit


def sound_of(voice: Kick | Snare) -> Sound:
    return Sound(layers=(Layer(id="layer1", name="a", source=voice),))


def taken_over(kit: Kit, aspect: str) -> Kit:
    """The second pad with an aspect of the first."""
    return copying.take_over(kit, copying.copied_pad(kit, "pad1"), "pad2", aspect)


class Alternates(unittest.TestCase):
    def setUp(self) -> None:
        self.first = edits.pad_of(small_kit(), "pad1").sound
        self.other, self.third = sound_of(Kick(decay_ms=700)), sound_of(Snare())
        kit = alternates.add_alternate(small_kit(), "pad1", "long", self.other)
        self.kit = alternates.add_alternate(kit, "pad1", "snare", self.third)

    def pad(self, kit: Kit) -> Pad:
        return edits.pad_of(kit, "pad1")

    def test_the_new_one_plays_and_the_pads_own_is_the_first(self) -> None:
        pad = self.pad(self.kit)
        self.assertIs(pad.sound, self.third)
        self.assertEqual([a.name for a in pad.alternates], ["Thud", "long", "snare"])
        self.assertEqual(pad.alternates[0].sound, self.first)

    def test_stepping_goes_round_and_keeps_the_rest_of_the_pad(self) -> None:
        kit, seen = self.kit, []
        for _ in range(4):
            kit = alternates.step_alternate(kit, "pad1", 1)
            seen.append(self.pad(kit).sound)
        self.assertEqual(seen, [self.first, self.other, self.third, self.first])
        back = alternates.step_alternate(kit, "pad1", -1)
        self.assertIs(self.pad(back).sound, self.third)
        one, two = self.pad(self.kit), self.pad(kit)
        self.assertEqual((one.notes, one.name, one.level_db), (two.notes, two.name, two.level_db))

    def test_an_edit_is_kept_when_another_plays(self) -> None:
        kit = edits.set_layer(self.kit, "pad1", "layer1", level_db=-3.0)
        edited = self.pad(kit).sound
        kit = alternates.choose_alternate(kit, "pad1", 0)
        kit = alternates.choose_alternate(kit, "pad1", 2)
        self.assertIs(self.pad(kit).sound, edited)

    def test_to_remove_one(self) -> None:
        kit = alternates.remove_alternate(self.kit, "pad1", 0)
        self.assertIs(self.pad(kit).sound, self.third)
        self.assertEqual(self.pad(kit).alternate, 1)
        kit = alternates.remove_alternate(kit, "pad1", 1)
        self.assertIs(self.pad(kit).sound, self.other)
        self.assertEqual(self.pad(kit).alternates, ())
        with self.assertRaises(EditError):
            alternates.step_alternate(kit, "pad1", 1)

    @given(st.lists(st.tuples(st.sampled_from("crn"), st.integers(0, 3)), max_size=12))
    @settings(max_examples=60, deadline=None)
    def test_whatever_is_done_the_slot_is_the_sound_that_plays(
        self, done: list[tuple[str, int]]
    ) -> None:
        kit = self.kit
        for what, n in done:
            try:
                if what == "c":
                    kit = alternates.choose_alternate(kit, "pad1", n)
                elif what == "r":
                    kit = alternates.remove_alternate(kit, "pad1", n)
                else:
                    kit = alternates.rename_alternate(kit, "pad1", n, f"name {n}")
            except EditError:
                continue
            pad = self.pad(kit)
            found = alternates.alternates_of(pad)
            self.assertTrue(len(found) >= 2 or found == ())
            if found:
                self.assertIs(found[pad.alternate].sound, pad.sound)
        self.assertEqual(kit_from_json(kit_json(kit), "it"), kit)

    def test_a_file_that_plays_what_is_missing_is_refused(self) -> None:
        text = kit_json(self.kit).replace(b'"alternate": 2', b'"alternate": 9')
        with self.assertRaisesRegex(KitFileError, "alternate that is missing"):
            kit_from_json(text, "it")

    def test_samples_of_alternates_are_kept(self) -> None:
        from puddle.kit.model.document import Content, Sample

        content = Content(
            hash="a" * 64, name="x.wav", suffix=".wav", rate_hz=48000, channels=1, frames=9
        )
        kit = edits.add_content(self.kit, content)
        sample = Layer(id="layer1", name="x", source=Sample(content=content.hash, end_ms=1.0))
        kit = alternates.add_alternate(kit, "pad1", "x", Sound(layers=(sample,)))
        kit = alternates.choose_alternate(kit, "pad1", 0)
        self.assertEqual(without_unused_contents(kit).contents, (content,))


class Links(unittest.TestCase):
    def setUp(self) -> None:
        self.kit, self.copies = spread(small_kit(), "pad1", [3.0, 7.0], linked=True)

    def tune(self, kit: Kit, pad_id: str) -> float:
        return edits.pad_of(kit, pad_id).sound.layers[0].tune_st

    def test_copies_follow_the_original_at_their_interval(self) -> None:
        after = edits.set_source(self.kit, "pad1", "layer1", decay_ms=333.0)
        after = links.followed(self.kit, edits.set_layer(after, "pad1", "layer1", tune_st=2.0))
        for copy, semitones in zip(self.copies, (5.0, 9.0), strict=True):
            layer = edits.layer_of(after, copy.id, "layer1")
            self.assertEqual((layer.source.decay_ms, layer.tune_st), (333.0, semitones))  # type: ignore[union-attr]

    def test_one_that_is_edited_goes_its_own_way(self) -> None:
        one, two = (copy.id for copy in self.copies)
        own = links.followed(self.kit, edits.set_layer(self.kit, one, "layer1", level_db=-9.0))
        self.assertIsNone(edits.pad_of(own, one).link)
        self.assertIsNotNone(edits.pad_of(own, two).link)
        after = links.followed(own, edits.set_layer(own, "pad1", "layer1", tune_st=1.0))
        self.assertEqual((self.tune(after, one), self.tune(after, two)), (3.0, 8.0))

    def test_level_and_notes_are_the_copys_own(self) -> None:
        one = self.copies[0].id
        own = links.followed(self.kit, edits.set_pad(self.kit, one, level_db=-5.0))
        self.assertIsNotNone(edits.pad_of(own, one).link)

    def test_without_an_original_or_out_of_reach_it_stays(self) -> None:
        gone = links.followed(self.kit, edits.remove_pad(self.kit, "pad1"))
        self.assertEqual(links.copies_of(gone, "pad1"), [])
        self.assertEqual(self.tune(gone, self.copies[1].id), 7.0)
        high = links.followed(self.kit, edits.set_layer(self.kit, "pad1", "layer1", tune_st=44.0))
        self.assertEqual(self.tune(high, self.copies[0].id), 47.0)
        self.assertIsNone(edits.pad_of(high, self.copies[1].id).link)

    def test_a_copy_of_a_copy_follows_the_first(self) -> None:
        kit, made = spread(self.kit, self.copies[0].id, [2.0], linked=True)
        link = edits.pad_of(kit, made[0].id).link
        assert link is not None
        self.assertEqual((link.pad, link.semitones), ("pad1", 5.0))


class Copies(unittest.TestCase):
    def test_a_duplicate_has_a_place_and_a_note_of_its_own(self) -> None:
        kit, copy = copying.duplicate_pad(small_kit(), "pad1")
        self.assertEqual((copy.place, copy.sound), (4, edits.pad_of(kit, "pad1").sound))
        notes = [n for p in kit.pads for n in p.notes]
        self.assertEqual(len(notes), len(set(notes)))

    def test_cleared_it_keeps_what_is_not_sound(self) -> None:
        kit = copying.clear_pad(small_kit(), "pad3")
        pad = edits.pad_of(kit, "pad3")
        self.assertEqual(pad.sound, Sound())
        self.assertEqual((pad.name, pad.choke_group), ("Tick", 1))
        self.assertTrue(pad.notes)

    def test_every_aspect_is_taken_over_and_nothing_else(self) -> None:
        kit = small_kit()
        kit = edits.set_pad(
            kit, "pad1", level_db=-4.0, trigger="gate", limit=2, velocity_amount=30.0
        )
        kit = edits.set_layer(kit, "pad1", "layer1", softest=20, turn=2)
        kit = edits.set_envelope(kit, "pad1", "layer1", on=True, hold_ms=77.0)
        kit, _ = rows.add_stage(kit, RowPath(pad="pad1"), Compressor())
        kit, _ = rows.add_stage(kit, RowPath(pad="pad1", live=True), Compressor())
        one, two = edits.pad_of(kit, "pad1"), edits.pad_of(kit, "pad2")
        for aspect in copying.ASPECTS:
            made = edits.pad_of(taken_over(kit, aspect), "pad2")
            layer = made.sound.layers[0]
            taken = {
                "stages of the sound": made.sound.stages == one.sound.stages,
                "live stages": made.stages == one.stages,
                "envelopes of the layers": layer.envelope.hold_ms == 77.0,
                "velocities and round robin": (layer.softest, layer.turn) == (20, 2),
                "response to velocity": made.velocity_amount == 30.0,
                "trigger, voices and glide": (made.trigger, made.limit) == ("gate", 2),
                "level, pan and tune": made.level_db == -4.0,
            }
            expected = set(taken) if aspect == "" else {aspect}
            if aspect == "whole sound":
                self.assertIs(made.sound, one.sound)
                continue
            self.assertEqual({name for name, yes in taken.items() if yes}, expected)
            self.assertEqual((made.id, made.name, made.notes), (two.id, two.name, two.notes))

    def test_layers_that_cannot_be_paired_are_refused(self) -> None:
        kit, _ = edits.add_layer(small_kit(), "pad1", "b", Snare())
        with self.assertRaisesRegex(EditError, "cannot be paired"):
            taken_over(kit, "velocities and round robin")


class Gauges(unittest.TestCase):
    def setUp(self) -> None:
        kit, stage = rows.add_stage(small_kit(), RowPath(pad="pad2"), Compressor())
        self.kit, self.gauge = gauges.add_gauge(kit, "Grit")
        self.targets = (
            Address(of="source", pad="pad1", layer="layer1", field="decay_ms"),
            Address(of="pad", pad="pad3", field="level_db"),
            Address(of="process", pad="pad2", stage=stage.id, field="threshold_db"),
            Address(of="master", field="level_db"),
            Address(of="kit", field="tempo_bpm"),
        )
        for target in self.targets:
            self.kit = gauges.assigned(self.kit, self.gauge.id, target)

    def now(self) -> KitGauge:
        return gauges.gauge_of(self.kit, self.gauge.id)

    def test_assigning_moves_nothing(self) -> None:
        again = gauges.move_gauge(self.kit, self.gauge.id, 50.0)
        for target in self.targets:
            known = parameter_at(self.kit, target)
            one, two = value_at(self.kit, target), value_at(again, target)
            self.assertAlmostEqual(known.position(one), known.position(two), places=9)

    def test_ends_and_curve(self) -> None:
        """At half way with a curve of 50: the share is a half to the power of a quarter."""
        kit = gauges.set_target(self.kit, "gauge1", 1, low=-20.0, high=0.0, curve=50.0)
        for value, wanted in ((0.0, -20.0), (100.0, 0.0), (50.0, -20.0 + 20.0 * 0.5**0.25)):
            moved = gauges.move_gauge(kit, "gauge1", value)
            self.assertAlmostEqual(value_at(moved, self.targets[1]), wanted, places=6)

    def test_a_frequency_or_time_moves_by_ratios(self) -> None:
        kit = gauges.set_target(self.kit, "gauge1", 0, low=100.0, high=400.0)
        moved = gauges.move_gauge(kit, "gauge1", 50.0)
        self.assertAlmostEqual(value_at(moved, self.targets[0]), 200.0, places=6)

    def test_the_other_way_round(self) -> None:
        kit = gauges.set_target(self.kit, "gauge1", 1, low=0.0, high=-30.0)
        self.assertEqual(value_at(gauges.move_gauge(kit, "gauge1", 100.0), self.targets[1]), -30.0)

    def test_alternates_are_a_target(self) -> None:
        kit = alternates.add_alternate(self.kit, "pad1", "b", sound_of(Snare()))
        target = Address(of="pad", pad="pad1", field="alternate")
        kit = gauges.assigned(kit, "gauge1", target)
        names = []
        for value in (0.0, 40.0, 60.0, 100.0):
            pad = edits.pad_of(gauges.move_gauge(kit, "gauge1", value), "pad1")
            names.append(pad.alternates[pad.alternate].name)
        self.assertEqual(names, ["Thud", "Thud", "b", "b"])

    def test_what_is_gone_is_passed(self) -> None:
        kit = edits.remove_pad(self.kit, "pad1")
        moved = gauges.move_gauge(kit, "gauge1", 80.0)
        self.assertEqual(len(gauges.known_targets(moved, self.now())), 4)

    def test_only_numbers(self) -> None:
        for field in ("mute", "trigger", "nothing"):
            target = Address(of="pad", pad="pad1", field=field)
            with self.assertRaises(EditError):
                gauges.assigned(self.kit, "gauge1", target)

    def test_told_and_set(self) -> None:
        said = [told(self.kit, target) for target in self.targets]
        self.assertEqual(said[1:], [
            "Tick: level", "Crack, compressor: threshold", "Master: level", "tempo",
        ])  # fmt: skip
        self.assertTrue(said[0].startswith("Thud, Thud: "))
        for target in self.targets:
            known = parameter_at(self.kit, target)
            kit = with_value(self.kit, target, known.high)
            self.assertEqual(value_at(kit, target), known.high)

    def test_hostile_values_in_a_file_are_refused(self) -> None:
        text = kit_json(self.kit)
        for old, new in (
            (b'"value": 50.0', b'"value": 101.0'),
            (b'"curve": 0.0', b'"curve": 500.0'),
            (b'"of": "master"', b'"of": "world"'),
            (b'"notes": [\n    36', b'"notes": [\n    128'),
            (b'"root": 60', b'"root": -1'),
            (b'"limit": 0', b'"limit": 400'),
            (b'"response": []', b'"response": [{"struck": 0, "plays": 5}]'),
            (b'"link": null', b'"link": {"semitones": 3}'),
        ):
            bad = text.replace(old, new, 1)
            self.assertNotEqual(bad, text, old)
            with self.assertRaises(KitFileError, msg=str(old)):
                kit_from_json(bad, "it")
        twice = msgspec.structs.replace(self.kit, gauges=self.kit.gauges * 2)
        with self.assertRaisesRegex(KitFileError, "kit gauge"):
            kit_from_json(kit_json(twice), "it")

    def test_ranges_that_overlap_are_empty_or_reversed_play_what_they_hold(self) -> None:
        """The document lets hands go anywhere: a reversed range plays nothing, and says so."""
        layers = tuple(
            Layer(id=f"l{n}", name=f"{n}", source=Kick(), softest=low, hardest=high)
            for n, (low, high) in enumerate(((1, 80), (60, 127), (90, 40)))
        )
        sound = Sound(layers=layers)
        lows = lows_of(sound)
        heard = {
            velocity: [k.id for k in struck(sound, step_of(velocity, lows), 0).layers if k.on]
            for velocity in (10, 70, 100)
        }
        self.assertEqual(heard, {10: ["l0"], 70: ["l0", "l1"], 100: ["l1"]})
        self.assertEqual([r[0].id for r in rungs(sound)], ["l0", "l1", "l2"])

    def test_it_is_in_the_file(self) -> None:
        kit = gauges.set_gauge(self.kit, "gauge1", on_shore=True, name="Storm")
        kit = edits.with_pad(
            kit, kit.pads[0], changed(kit.pads[0], response=(Point(struck=9, plays=30),))
        )
        self.assertEqual(kit_from_json(kit_json(kit), "it"), kit)
        kit = gauges.remove_target(kit, "gauge1", 0)
        self.assertEqual(len(gauges.gauge_of(kit, "gauge1").targets), 4)
        self.assertEqual(gauges.remove_gauge(kit, "gauge1").gauges, ())


if __name__ == "__main__":
    unittest.main()
