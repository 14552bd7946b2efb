"""Hostile kits and settings: refused with a sentence, or set right one by one."""

import json
import os
import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock

import msgspec

from puddle.errors import EditError, KitFileError
from puddle.home.settings import Settings, config_file, load_settings, settings_of
from puddle.kit import edits
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.edits.side_chains import lost_keys
from puddle.kit.model import limits
from puddle.kit.model.document import Kit, Layer, Snapshot, Sound, Stage
from puddle.kit.model.reference import PadReference
from puddle.stages import Branch, Compressor, Gain
from puddle.voices import Kick
from tests.support.sounds import small_kit
from tools.fuzz import Fuzzer

replace = msgspec.structs.replace
STAGES = tuple(Stage(id=f"s{n}", process=Gain()) for n in range(3000))
LAYERS = tuple(Layer(id=f"l{n}", name="", source=Kick()) for n in range(300))


def with_sound(kit: Kit, **values: object) -> Kit:
    pad = kit.pads[0]
    return edits.with_pad(kit, pad, replace(pad, sound=replace(pad.sound, **values)))


class TooMuch(unittest.TestCase):
    def refused(self, kit: Kit) -> str:
        with self.assertRaises(KitFileError) as caught:
            kit_from_json(kit_json(kit), "a.puddle")
        text = str(caught.exception)
        self.assertTrue(text.startswith("a.puddle"), text)
        self.assertNotIn("\n", text)
        return text

    def test_rows_of_thousands_of_stages_wherever_they_are(self) -> None:
        kit = small_kit()
        layer = replace(kit.pads[0].sound.layers[0], stages=STAGES)
        branch = Branch(stages=STAGES[:60])
        nested = tuple(Stage(id=f"b{n}", process=branch) for n in range(20))
        for made in (
            with_sound(kit, stages=STAGES),
            with_sound(kit, layers=(layer,)),
            with_sound(kit, stages=nested),
            edits.with_pad(kit, kit.pads[1], replace(kit.pads[1], stages=STAGES)),
            replace(kit, master=replace(kit.master, stages=STAGES)),
            replace(kit, pads=(replace(kit.pads[0], snapshots=(
                Snapshot(id="a", name="a", sound=Sound(stages=STAGES)),)),)),
        ):  # fmt: skip
            self.assertIn("64", self.refused(made))

    def test_other_counts(self) -> None:
        kit = small_kit()
        lane = replace(kit, references=tuple(
            PadReference(id=f"r{n}", pad="pad1") for n in range(1100)))  # fmt: skip
        self.assertIn("references", self.refused(lane))
        self.assertIn("layers", self.refused(with_sound(kit, layers=LAYERS)))
        notes = replace(kit, pads=(replace(kit.pads[0], notes=(36,) * 200),))
        self.assertIn("notes", self.refused(notes))

    def test_what_is_at_the_limit_opens(self) -> None:
        kit = with_sound(small_kit(), stages=STAGES[: limits.MOST_STAGES])
        self.assertEqual(kit_from_json(kit_json(kit), "a"), kit)

    def test_no_edit_makes_what_could_not_be_read(self) -> None:
        kit = with_sound(small_kit(), stages=STAGES[: limits.MOST_STAGES])
        path = RowPath(pad="pad1")
        for edit in (
            lambda: rows.add_stage(kit, path, Gain()),
            lambda: rows.insert_stages(kit, path, STAGES[:2]),
            lambda: edits.with_layers(kit, "pad1", LAYERS),
        ):
            with self.assertRaises(EditError):
                edit()
        for _ in range(limits.MOST_BUSES):
            kit, _ = edits.add_bus(kit, "b")
        with self.assertRaises(EditError):
            edits.add_bus(kit, "b")

    def test_names_with_a_null_character(self) -> None:
        kit = edits.set_pad(small_kit(), "pad2", name="Cra\0ck")
        self.assertIn("null character", self.refused(kit))
        backslash = edits.set_pad(small_kit(), "pad2", name="\\u0000")  # spelled out: harmless
        self.assertEqual(kit_from_json(kit_json(backslash), "a"), backslash)

    def test_a_comparison_with_a_pad_that_is_missing(self) -> None:
        kit = replace(small_kit(), references=(PadReference(id="r", pad="gone"),))
        self.assertIn("missing", self.refused(kit))


class LostKeys(unittest.TestCase):
    """A stage that loses what keyed it is switched off, and that is said."""

    def keyed(self, key: str) -> tuple[Stage, ...]:
        inner = Stage(id="i", process=Compressor(), key=key)
        branch = Stage(id="b", process=Branch(stages=(inner,)))
        return Stage(id="c", process=Compressor(), key=key), branch

    def test_of_a_pad_that_keyed_another_pad_a_bus_and_the_master(self) -> None:
        kit = small_kit()
        kit = rows.with_stages(kit, RowPath(pad="pad2", live=True), self.keyed("pad1"))
        kit, bus = edits.add_bus(kit, "Low")
        kit = rows.with_stages(kit, RowPath(bus=bus.id), self.keyed("pad1"))
        kit = rows.with_stages(kit, RowPath(), self.keyed(bus.id))
        after = edits.remove_pad(kit, "pad1")
        for stages in (edits.pad_of(after, "pad2").stages, after.buses[0].stages):
            inner = stages[1].process.stages[0]
            self.assertEqual([(s.key, s.on) for s in (stages[0], inner)], [("", False)] * 2)
            self.assertTrue(stages[1].on)
        self.assertTrue(after.master.stages[0].on)
        told = lost_keys(kit, after)
        self.assertEqual(len(told), 4)
        self.assertEqual(told[0], "Crack: its compressor was keyed by Thud and is off now.")
        self.assertIn("Low bus", told[2])
        gone = edits.remove_bus(after, bus.id)
        self.assertIn("the Low bus", lost_keys(after, gone)[0])

    def test_of_a_layer_that_keyed_another(self) -> None:
        kit, other = edits.add_layer(small_kit(), "pad1", "sub", Kick())
        path = RowPath(pad="pad1", layer=other.id)
        kit = rows.with_stages(kit, path, self.keyed("layer1"))
        after = edits.remove_layer(kit, "pad1", "layer1")
        stage = edits.layer_of(after, "pad1", other.id).stages[0]
        self.assertEqual((stage.key, stage.on), ("", False))
        self.assertIn("Thud, sub: its compressor was keyed by Thud", lost_keys(kit, after)[0])

    def test_what_was_off_or_listens_to_itself_is_not_spoken_of(self) -> None:
        off = Stage(id="c", process=Compressor(), key="pad1", on=False)
        own = Stage(id="d", process=Compressor())
        kit = rows.with_stages(small_kit(), RowPath(pad="pad2", live=True), (off, own))
        after = edits.remove_pad(kit, "pad1")
        self.assertEqual(lost_keys(kit, after), [])
        self.assertTrue(edits.pad_of(after, "pad2").stages[1].on)
        self.assertEqual(lost_keys(kit, edits.set_pad(kit, "pad1", level_db=-3.0)), [])


class OneByOne(unittest.TestCase):
    """Every setting is validated by itself."""

    BAD: ClassVar[dict[str, list[Any]]] = {
        "theme": ["dusk", 3, None],
        "block": [0, -64, 100, 1e9, True],
        "rate_hz": [0, -48000, 12345, "48000"],
        "geometry": ["%%%", 5, "a" * 9000],
        "splitters": [{"left": [-1, 2]}, {"left": "wide"}, {"left": [1.5]}, [], {"x": [1] * 99}],
        "shore_rows": [0, 3, 99],
        "middle_c": [0, 60],
        "export_bits": ["8", 24],
        "repeat_ms": [0.0, -1.0, "soon"],
        "repeat_beats": [0.0, 1e9],
        "recent": ["a", [1], ["a\u0000b"]],
        "device": [7, "a\u0000"],
        "last_folder": ["x" * 5000],
        "straight": ["yes"],
    }

    def test_each_falls_back_alone(self) -> None:
        good = {"template": "Empty", "device": "x", "theme": "night", "middle_c": 3, "block": 256}
        for name, values in self.BAD.items():
            for value in values:
                with self.subTest(name, value=value):
                    settings, bad = settings_of({**good, name: value})
                    self.assertEqual(bad, [name])
                    self.assertEqual(getattr(settings, name), getattr(Settings(), name))
                    for other in good.keys() - {name}:
                        self.assertEqual(getattr(settings, other), good[other])

    def test_what_puddle_writes_is_valid(self) -> None:
        made = Settings(
            theme="desktop", splitters={"left": [3, 0]}, geometry="AdnQywAD", recent=["a"]
        )
        found = json.loads(msgspec.json.encode(made))
        self.assertEqual(settings_of(found), (made, []))

    def test_the_damaged_file_is_kept_aside(self) -> None:
        home = self.enterContext(tempfile.TemporaryDirectory())
        with mock.patch.dict(os.environ, {"XDG_CONFIG_HOME": home}):
            self.assertEqual(load_settings(), (Settings(), ""))
            path = config_file()
            path.parent.mkdir(parents=True)
            aside = Path(f"{path}.damaged")
            for text, middle in (
                (b"{", 4),
                (b"[1]", 4),
                (b"\xff\xfe", 4),
                (b'{"block": 0, "middle_c": 5}', 5),
            ):
                path.write_bytes(text)
                settings, note = load_settings()
                self.assertEqual((settings.middle_c, settings.block), (middle, 128))
                self.assertIn("settings.json.damaged", note)
                self.assertEqual(aside.read_bytes(), text)
            os.mkfifo(path)
            settings, note = load_settings()
            self.assertIn("pipe", note)


class Fuzzed(unittest.TestCase):
    def test_some_seconds_of_damage_for_every_reader(self) -> None:
        """`tools.fuzz` runs for longer."""
        with tempfile.TemporaryDirectory() as folder:
            outcome = Fuzzer(Path(folder), seed=3).run(10.0)
        self.assertEqual(outcome.faults, [])
        self.assertEqual(len(outcome.tried), 7)
        self.assertGreater(outcome.opened["kit.json"], 0)
        self.assertGreater(outcome.tried["kit.json"], outcome.opened["kit.json"])
