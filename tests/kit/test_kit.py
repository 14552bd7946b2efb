"""The document: edits, history, reading."""

import json
import subprocess
import sys
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.errors import EditError, KitFileError, ParameterError
from puddle.kit import edits
from puddle.kit.codec.reading import kit_from_json, kit_json, kit_schema
from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.history import MOST_STEPS, Beside, History
from puddle.kit.model.document import KIT_VERSION, Kit, Layer, Sound
from puddle.kit.model.roles import ROLES, free_note
from puddle.stages import Compressor, Equalizer, Limiter
from puddle.voices import Kick, Snare
from tests.support.sounds import pattern, small_kit


class Edits(unittest.TestCase):
    def setUp(self) -> None:
        self.kit = small_kit()

    def test_what_did_not_change_is_shared(self) -> None:
        after = edits.set_pad(self.kit, "pad1", level_db=-3.0)
        self.assertIsNot(after.pads[0], self.kit.pads[0])
        self.assertIs(after.pads[0].sound, self.kit.pads[0].sound)
        for old, new in zip(self.kit.pads[1:], after.pads[1:], strict=True):
            self.assertIs(old, new)

    def test_layers_come_and_go(self) -> None:
        kit, layer = edits.add_layer(self.kit, "pad1", "Extra", Snare())
        self.assertEqual([k.id for k in kit.pads[0].sound.layers], ["layer1", layer.id])
        self.assertNotEqual(layer.dye, kit.pads[0].sound.layers[0].dye)
        moved = edits.move_layer(kit, "pad1", layer.id, 0)
        self.assertEqual([k.id for k in moved.pads[0].sound.layers], [layer.id, "layer1"])
        back = edits.remove_layer(moved, "pad1", layer.id)
        self.assertEqual(back.pads[0].sound, self.kit.pads[0].sound)

    def test_stages_in_all_four_places(self) -> None:
        from puddle.kit.model.document import Bus

        kit = Kit(name="", pads=self.kit.pads, buses=(Bus(id="b", name="B"),))
        for row in (RowPath("pad1", "layer1"), RowPath("pad1"), RowPath(bus="b"), RowPath()):
            with self.subTest(row=row):
                kit, first = rows.add_stage(kit, row, Equalizer())
                kit, second = rows.add_stage(kit, row, Compressor())
                kit, third = rows.add_stage(kit, row, Limiter())
                self.assertEqual(len({first.id, second.id, third.id}), 3)
                kit = rows.move_stage(kit, row, third.id, 0)
                kit = rows.set_process(kit, row, second.id, threshold_db=-1000.0)
                kit = rows.set_stage(kit, row, first.id, on=False)
                kit = rows.remove_stage(kit, row, third.id)
                left = rows.stages_at(kit, row)
                self.assertEqual([s.id for s in left], [first.id, second.id])
                self.assertEqual(left[1].process.threshold_db, -60.0)  # type: ignore[union-attr]
                self.assertFalse(left[0].on)

    def test_pads_change_places(self) -> None:
        after = edits.move_pad(self.kit, "pad1", 2)
        self.assertEqual([p.place for p in after.pads], [2, 1, 0, 3])
        self.assertEqual(edits.move_pad(self.kit, "pad1", 9).pads[0].place, 9)

    def test_removing_a_pad_takes_its_lanes(self) -> None:
        groove = pattern(("pad1", (0,)), ("pad2", (4,)))
        kit = Kit(name="", pads=self.kit.pads, patterns=(groove,))
        after = edits.remove_pad(kit, "pad1")
        self.assertEqual([lane.pad for lane in after.patterns[0].lanes], ["pad2"])

    def test_new_pads_take_the_roles_notes(self) -> None:
        self.assertEqual([p.notes for p in self.kit.pads], [(36,), (38,), (42,), (46,)])
        taken = frozenset(n for facts in ROLES.values() for n in facts.notes)
        self.assertNotIn(free_note("kick", taken), taken)
        self.assertIsNone(free_note("kick", frozenset(range(128))))

    def test_names_that_are_not_there(self) -> None:
        for wrong in (
            lambda: edits.set_pad(self.kit, "nobody", level_db=1.0),
            lambda: edits.set_layer(self.kit, "pad1", "nobody", level_db=1.0),
            lambda: rows.set_process(self.kit, RowPath("pad1"), "nobody", ratio=2.0),
            lambda: rows.move_stage(self.kit, RowPath(), "nobody", 0),
            lambda: edits.set_bus(self.kit, "nobody", level_db=0.0),
        ):
            with self.assertRaises(EditError):
                wrong()
        with self.assertRaises(ParameterError):
            edits.set_layer(self.kit, "pad1", "layer1", loudness=1.0)

    @settings(max_examples=50)
    @given(st.lists(st.integers(0, 3), min_size=1, max_size=12), st.integers(-3, 20))
    def test_moving_keeps_every_layer(self, order: list[int], to: int) -> None:
        kit = self.kit
        for _ in range(3):
            kit, _ = edits.add_layer(kit, "pad1", "More", Kick())
        for n in order:
            kit = edits.move_layer(kit, "pad1", f"layer{n + 1}", to)
        self.assertEqual(
            sorted(k.id for k in kit.pads[0].sound.layers), [f"layer{n}" for n in range(1, 5)]
        )


class Undoing(unittest.TestCase):
    def test_step_by_step_with_names(self) -> None:
        first = small_kit()
        history = History(first)
        self.assertIsNone(history.undo_name)
        second = edits.set_pad(first, "pad1", level_db=-3.0)
        third = edits.set_pad(second, "pad1", pan=20.0)
        history.push("Thud: level", second)
        history.push("Thud: pan", third)
        self.assertEqual(history.undo_name, "Thud: pan")
        self.assertIs(history.undo(), second)
        self.assertEqual((history.undo_name, history.redo_name), ("Thud: level", "Thud: pan"))
        self.assertIs(history.undo(), first)
        self.assertIs(history.undo(), first)
        self.assertIs(history.redo(), second)
        self.assertIs(history.redo(), third)
        self.assertIs(history.redo(), third)

    def test_a_drag_is_one_step(self) -> None:
        kit = small_kit()
        history = History(kit)
        for level in (-1.0, -2.0, -3.0):
            new = edits.set_pad(history.kit, "pad1", level_db=level)
            history.push(f"level {level}", new, "drag")
        self.assertEqual(history.undo_name, "level -3.0")
        history.settle()
        history.push("again", edits.set_pad(history.kit, "pad1", level_db=-9.0), "drag")
        self.assertEqual(history.undo().pads[0].level_db, -3.0)
        self.assertIs(history.undo(), kit)

    def test_an_edit_after_undo_forgets_what_was_undone(self) -> None:
        history = History(small_kit())
        history.push("a", edits.set_kit(history.kit, tempo_bpm=90.0))
        history.undo()
        history.push("b", edits.set_kit(history.kit, tempo_bpm=80.0))
        self.assertIsNone(history.redo_name)

    def test_saved_is_known_across_undo(self) -> None:
        history = History(small_kit())
        history.push("a", edits.set_kit(history.kit, tempo_bpm=90.0))
        history.mark_saved(history.kit)
        self.assertFalse(history.edited)
        history.undo()
        self.assertTrue(history.edited)
        history.redo()
        self.assertFalse(history.edited)

    def test_it_forgets_the_oldest(self) -> None:
        history = History(small_kit())
        for n in range(MOST_STEPS + 50):
            history.push(str(n), edits.set_kit(history.kit, tempo_bpm=60.0 + n % 100))
        steps = 0
        while history.undo_name is not None:
            history.undo()
            steps += 1
        self.assertEqual(steps, MOST_STEPS)

    def test_what_changed_beside_the_kit_is_a_step_in_its_place(self) -> None:
        first = small_kit()
        history, done = History(first), list[str]()
        other = edits.set_kit(first, tempo_bpm=99.0)
        beside = Beside(lambda: done.append("back"), lambda: done.append("again"))
        history.push_beside("beside", beside)
        self.assertFalse(history.edited)
        history.push("tempo", other)
        self.assertIs(history.undo(), first)
        self.assertEqual((done, history.undo_name), ([], "beside"))
        self.assertIs(history.undo(), first)
        self.assertEqual((done, history.undo_name), (["back"], None))
        history.undo()
        self.assertIs(history.redo(), first)
        self.assertIs(history.redo(), other)
        history.redo()
        self.assertEqual(done, ["back", "again"])


class Reading(unittest.TestCase):
    def test_there_and_back(self) -> None:
        kit = small_kit()
        text = kit_json(kit)
        self.assertEqual(kit_from_json(text, "x"), kit)
        self.assertEqual(kit_json(kit_from_json(text, "x")), text)

    def test_a_kit_of_version_1_opens(self) -> None:
        """Its compressors had a dry blend of their own; every stage has one now."""
        kit = small_kit()
        row = RowPath(pad=kit.pads[0].id)
        kit, stage = rows.add_stage(kit, row, Compressor(ratio=3.0))
        kit = rows.set_stage(kit, row, stage.id, dry=35.0)
        old = json.loads(kit_json(kit))
        old["version"] = 1
        for held in (old["master"], *(pad["sound"] for pad in old["pads"])):
            for made in held.get("stages", ()):
                made["process"]["dry"] = made.pop("dry", 0.0)
                for field in ("input_db", "output_db", "matched"):
                    made.pop(field, None)
                if made["process"]["type"] != "compressor":
                    del made["process"]["dry"]
        self.assertEqual(kit_from_json(json.dumps(old).encode(), "x"), kit)
        for hostile in ([], {"pads": 3}, {"pads": [{"sound": []}]}, {"buses": [{"stages": "x"}]}):
            with self.assertRaises(KitFileError):
                kit_from_json(json.dumps(hostile).encode(), "x")

    def refused(self, change: object) -> str:
        data = json.loads(kit_json(small_kit()))
        change(data)  # type: ignore[operator]
        with self.assertRaises(KitFileError) as caught:
            kit_from_json(json.dumps(data).encode(), "storm.puddle")
        self.assertIn("storm.puddle", str(caught.exception))
        return str(caught.exception)

    def test_what_is_refused(self) -> None:
        def put(*path: object) -> object:
            *way, last, value = path

            def change(data: object) -> None:
                for key in way:
                    data = data[key]  # type: ignore[index]
                data[last] = value  # type: ignore[index]

            return change

        self.assertIn("newer Puddle", self.refused(put("version", KIT_VERSION + 1)))
        self.assertIn("unknown field", self.refused(put("mystery", 1)))
        self.assertIn("pads[0]", self.refused(put("pads", 0, "level_db", 99)))
        self.assertIn("twice", self.refused(put("pads", 1, "id", "pad1")))
        self.assertIn("twice", self.refused(put("pads", 1, "place", 0)))
        self.assertIn("missing", self.refused(put("pads", 1, "bus", "nowhere")))
        self.refused(put("pads", 0, "sound", "layers", 0, "source", "type", "theremin"))
        self.refused(put("tempo_bpm", "fast"))
        self.refused(put("name", "x" * 500))

    def test_what_is_not_json(self) -> None:
        for text in (b"", b"{", b"[]", b"\xff\xfe", b"null", b"[" * 100000):
            with self.assertRaises(KitFileError):
                kit_from_json(text, "x")

    @settings(max_examples=200)
    @given(st.binary(max_size=200))
    def test_any_bytes_are_read_or_refused(self, text: bytes) -> None:
        try:
            kit_from_json(text, "x")
        except KitFileError:
            return

    def test_the_schema_tells_ranges_and_units(self) -> None:
        schema = kit_schema()
        end = schema["$defs"]["Kick"]["properties"]["end_hz"]
        self.assertEqual((end["minimum"], end["maximum"], end["x-unit"]), (20, 400, "Hz"))
        self.assertIn("pitch settles", end["description"])

    def test_reading_and_editing_loads_neither_numba_nor_qt(self) -> None:
        code = (
            "import sys\n"
            "from puddle.kit.model.document import Kit, Layer, Sound\n"
            "from puddle.kit.codec.reading import kit_from_json, kit_json, kit_schema\n"
            "from puddle.kit import edits\n"
            "from puddle.kit.edits import rows\n"
            "from puddle.voices import Kick\n"
            "k, p = edits.add_pad(Kit(name='x'), 'a', 'kick', Sound(layers=("
            "Layer(id='l', name='l', source=Kick()),)))\n"
            "k = edits.set_source(kit_from_json(kit_json(k), 'x'), p.id, 'l', end_hz=50.0)\n"
            "kit_schema()\n"
            "print([m for m in ('numba', 'PyQt6', 'scipy', 'soundfile') if m in sys.modules])\n"
        )
        out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
        self.assertEqual(out.stdout.strip(), "[]", out.stderr)


class Shapes(unittest.TestCase):
    def test_kits_can_be_keys(self) -> None:
        self.assertEqual(hash(small_kit()), hash(small_kit()))
        layer = Layer(id="a", name="b", source=Kick())
        self.assertEqual({Sound(layers=(layer,)): 1}[Sound(layers=(layer,))], 1)
