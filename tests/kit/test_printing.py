"""Prints and the shelf: what is printed sounds the same, and no recipe is ever lost."""

import tempfile
import unittest
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from puddle.errors import EditError, KitFileError
from puddle.formats.kitfile import open_kit, save_kit
from puddle.formats.sound import decoded_sound, wav_bytes
from puddle.kit import edits
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.edits import prints, rows, snapshots
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import KIT_VERSION, Content, Kit, Layer, Sample, Sound, Stage
from puddle.kit.model.reference import FileReference, PadReference
from puddle.render.take import Takes
from puddle.stages import Compressor, Equalizer, Saturator
from puddle.voices import Kick, Tone
from tests.support.stores import new_store

RATE = 48000.0
ROW = RowPath(pad="pad1")


class Printing(unittest.TestCase):
    def setUp(self) -> None:
        holder = new_store()
        self.store = holder.__enter__()
        self.addCleanup(holder.__exit__, None, None, None)
        self.takes = Takes(self.store, RATE)
        body = Layer(id="layer1", name="Body", source=Kick(), level_db=-3.0, pan=20.0, flip=True)
        ring = Layer(
            id="layer2",
            name="Ring",
            source=Tone(),
            offset_ms=-2.0,
            tune_st=5.0,
            stages=(Stage(id="stage1", process=Saturator(), key=""),),
        )
        sound = Sound(
            layers=(body, ring), stages=(Stage(id="stage1", process=Equalizer(bell1_db=3.0)),)
        )
        self.kit, _ = edits.add_pad(Kit(name="k"), "Keel", "kick", sound)

    def sound(self, kit: Kit) -> Sound:
        return edits.pad_of(kit, "pad1").sound

    def heard(self, kit: Kit) -> np.ndarray:
        return self.takes.sound(self.sound(kit)).audio

    def content(self, audio: np.ndarray, name: str) -> Content:
        return self.store.add(decoded_sound(wav_bytes(audio, RATE, "32f"), name, ".wav"), name)

    def print_sound(self, kit: Kit) -> Kit:
        return prints.printed_sound(kit, "pad1", self.content(self.heard(kit), "Keel.wav"))

    def print_layer(self, kit: Kit, key: str) -> Kit:
        sound = self.sound(kit)
        layer = edits.layer_of(kit, "pad1", key)
        audio = self.takes.layer(sound, layer).audio
        return prints.printed_layer(kit, "pad1", key, self.content(audio, f"{layer.name}.wav"))

    def test_a_printed_sound_sounds_the_same(self) -> None:
        made = self.print_sound(self.kit)
        before, after = self.heard(self.kit), self.heard(made)
        self.assertEqual(before.shape, after.shape)
        # What a take ends with is faded once more: 64 frames, 110 dB down.
        np.testing.assert_array_equal(before[:-64], after[:-64])
        self.assertLess(float(np.abs(before - after).max()), 1e-5)
        self.assertEqual(len(self.sound(made).layers), 1)
        self.assertEqual(self.sound(made).stages, ())

    def test_a_printed_layer_keeps_its_place_and_the_sum_is_the_same(self) -> None:
        made = self.print_layer(self.kit, "layer2")
        layer = edits.layer_of(made, "pad1", "layer2")
        self.assertIsInstance(layer.source, Sample)
        self.assertEqual((layer.offset_ms, layer.tune_st, layer.stages), (-2.0, 0.0, ()))
        np.testing.assert_array_equal(self.heard(self.kit), self.heard(made))

    def test_reopened_it_is_the_recipe(self) -> None:
        for made in (self.print_sound(self.kit), self.print_layer(self.kit, "layer2")):
            key = self.sound(made).layers[-1].id
            back = prints.reopened(made, "pad1", key)
            self.assertEqual(self.sound(back), self.sound(self.kit))

    def test_stages_that_came_on_top_come_after_the_recipe(self) -> None:
        made = self.print_sound(self.kit)
        path = RowPath(pad="pad1", layer="layer1")
        made, _ = rows.add_stage(made, path, Compressor())
        made, _ = rows.add_stage(made, ROW, Saturator(drive_db=3.0))
        back = prints.reopened(made, "pad1", "layer1")
        stages = self.sound(back).stages
        kinds = [type(s.process).__name__ for s in stages]
        self.assertEqual(kinds, ["Equalizer", "Compressor", "Saturator"])
        self.assertEqual(len({s.id for s in stages}), 3)
        np.testing.assert_allclose(self.heard(back)[:9000], self.heard(made)[:9000], atol=2e-5)

    def test_a_layers_own_level_and_place_stay_when_it_is_reopened(self) -> None:
        made = self.print_layer(self.kit, "layer1")
        made = edits.set_layer(made, "pad1", "layer1", level_db=-9.0, offset_ms=4.0, flip=False)
        back = edits.layer_of(prints.reopened(made, "pad1", "layer1"), "pad1", "layer1")
        self.assertEqual((back.level_db, back.offset_ms, back.flip), (-9.0, 4.0, False))
        self.assertEqual(back.source, Kick())

    def test_print_process_print_again_keeps_every_recipe(self) -> None:
        once = self.print_sound(self.kit)
        once, _ = rows.add_stage(once, ROW, Saturator(drive_db=12.0))
        twice = self.print_sound(once)
        self.assertEqual(len(twice.contents), 2)
        kept = prints.without_unused_contents(twice)
        self.assertEqual(len(kept.contents), 2)  # the outer recipe plays the inner print
        back = prints.reopened(twice, "pad1", "layer1")
        self.assertEqual(self.sound(back), self.sound(once))
        again = prints.reopened(back, "pad1", "layer1")
        self.assertEqual(self.sound(again).layers, self.sound(self.kit).layers)

    def test_what_was_not_changed_is_not_printed_twice(self) -> None:
        once = self.print_layer(self.kit, "layer2")
        twice = self.print_layer(once, "layer2")
        self.assertEqual(once.contents, twice.contents)
        self.assertEqual(self.sound(once), self.sound(twice))

    def test_a_whole_sounds_print_beside_others_says_what_to_do(self) -> None:
        made = self.print_sound(self.kit)
        made, _ = edits.add_layer(made, "pad1", "more", Kick())
        with self.assertRaisesRegex(EditError, "on a pad of its own"):
            prints.reopened(made, "pad1", "layer1")
        with self.assertRaisesRegex(EditError, "was not printed"):
            prints.reopened(made, "pad1", "layer2")
        empty, _ = edits.add_pad(Kit(name=""), "x", "kick", Sound())
        with self.assertRaisesRegex(EditError, "nothing to print"):
            prints.printed_sound(empty, "pad1", made.contents[0])

    def test_recipes_live_through_a_file(self) -> None:
        once = self.print_sound(self.kit)
        once, _ = rows.add_stage(once, ROW, Saturator(drive_db=12.0))
        twice = self.print_sound(once)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "k.puddle"
            save_kit(path, twice, self.store)
            with new_store() as other:
                opened = open_kit(path, other).kit
                self.assertEqual(opened, twice)
                back = prints.reopened(opened, "pad1", "layer1")
                takes = Takes(other, RATE)
                np.testing.assert_array_equal(takes.sound(self.sound(back)).audio, self.heard(once))
                other.close()

    def test_hostile_recipes_are_refused(self) -> None:
        made = self.print_sound(self.kit)
        raw = msgspec.json.decode(kit_json(made))
        self.assertEqual(raw["version"], KIT_VERSION)
        inner = raw["contents"][0]["printed"]["sound"]["layers"]
        inner[0]["source"] = {"type": "sample", "content": "0" * 64}
        with self.assertRaisesRegex(KitFileError, "the recipe of Keel.wav"):
            kit_from_json(msgspec.json.encode(raw), "a")
        # One that claims to be made of itself ends, too.
        inner[0]["source"] = {"type": "sample", "content": made.contents[0].hash}
        looped = kit_from_json(msgspec.json.encode(raw), "a")
        self.assertEqual(len(prints.without_unused_contents(looped).contents), 1)


class Shelf(unittest.TestCase):
    def setUp(self) -> None:
        sound = Sound(layers=(Layer(id="layer1", name="a", source=Kick()),))
        self.kit, _ = edits.add_pad(Kit(name="k"), "Keel", "kick", sound)
        self.kit, _ = edits.add_pad(self.kit, "Bilge", "bass", sound)

    def taken(self, kit: Kit, **kept: Any) -> Kit:
        return snapshots.take_snapshot(kit, "pad1", "a", **kept)[0]

    def names(self, kit: Kit) -> list[str]:
        return [s.name for s in edits.pad_of(kit, "pad1").snapshots]

    def test_a_snapshot_is_restored_and_stays(self) -> None:
        kit, snapshot = snapshots.take_snapshot(self.kit, "pad1", "as it was")
        later = edits.set_source(kit, "pad1", "layer1", end_hz=70.0)
        back = snapshots.restore_snapshot(later, "pad1", snapshot.id)
        self.assertIs(edits.pad_of(back, "pad1").sound, edits.pad_of(self.kit, "pad1").sound)
        self.assertEqual(self.names(back), ["as it was"])
        named = snapshots.rename_snapshot(back, "pad1", snapshot.id, "dark")
        self.assertEqual(self.names(named), ["dark"])
        self.assertEqual(self.names(snapshots.remove_snapshot(named, "pad1", snapshot.id)), [])
        with self.assertRaises(EditError):
            snapshots.restore_snapshot(self.kit, "pad1", "snapshot9")

    def test_those_taken_by_themselves_make_room_for_newer_ones(self) -> None:
        kit, _ = snapshots.take_snapshot(self.kit, "pad1", "by hand")
        for n in range(snapshots.MOST_BY_ITSELF + 3):
            kit, _ = snapshots.take_snapshot(kit, "pad1", f"step {n}", by_itself=True)
        names = self.names(kit)
        self.assertEqual(len(names), snapshots.MOST_BY_ITSELF + 1)
        self.assertEqual((names[0], names[1], names[-1]), ("by hand", "step 3", "step 10"))

    def test_references_of_files_and_pads(self) -> None:
        kit, made = snapshots.add_file_reference(self.kit, "loop", "/a/loop.wav", 10.0, 2000.0, 8)
        self.assertIsInstance(made, FileReference)
        kit = snapshots.set_file_reference(kit, made.id, start_ms=-5.0, beats=999.0)
        first = kit.references[0]
        assert isinstance(first, FileReference)
        self.assertEqual((first.start_ms, first.beats), (0.0, 128))
        kit, pad = snapshots.add_pad_reference(kit, "pad2")
        again, same = snapshots.add_pad_reference(kit, "pad2")
        self.assertIs(again, kit)
        self.assertIs(same, pad)
        gone = edits.remove_pad(kit, "pad2")
        self.assertFalse(any(isinstance(r, PadReference) for r in gone.references))
        self.assertEqual(snapshots.remove_reference(gone, made.id).references, ())
        with self.assertRaises(EditError):
            snapshots.remove_reference(gone, "reference9")

    def test_a_shelf_lives_through_a_file(self) -> None:
        kit, _ = snapshots.add_file_reference(self.taken(self.kit), "x", "/a/b.wav", 0.0, 100.0)
        kit, _ = snapshots.add_pad_reference(kit, "pad2")
        self.assertEqual(kit_from_json(kit_json(kit), "a"), kit)

    def test_a_shelf_has_an_end(self) -> None:
        kit = self.kit
        for n in range(snapshots.MOST_REFERENCES):
            kit, _ = snapshots.add_file_reference(kit, str(n), f"/{n}.wav", 0.0, 1.0)
        with self.assertRaisesRegex(EditError, "take one away"):
            snapshots.add_file_reference(kit, "more", "/more.wav", 0.0, 1.0)
