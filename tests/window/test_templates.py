"""Templates: a kit's layout with or without its sounds, the four that ship, the start page."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox

from puddle.engine import offline
from puddle.errors import PuddleError
from puddle.home import templates
from puddle.kit import edits
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.edits import alternates, gauges
from puddle.kit.edits.links import copies_of
from puddle.kit.edits.prints import without_unused_contents
from puddle.kit.model.address import Address
from puddle.kit.presets.templates import (
    GENERAL_MIDI,
    OURS,
    general_midi,
    tuned_pads,
    without_sounds,
)
from puddle.measure.pitch import fundamental
from puddle.measure.spectrum import balance
from puddle.render.samples import NoSamples
from puddle.render.take import Takes
from puddle.window.pages.start.choices import Starting
from tests.support.sounds import small_kit
from tests.support.windows import LEFT, DemoTest, WindowTest, answering, dropped

RATE = 48000.0


class Ours(unittest.TestCase):
    def test_each_is_a_kit_that_can_be_read(self) -> None:
        for name, (says, make) in OURS.items():
            kit = make()
            self.assertEqual(kit_from_json(kit_json(kit), name), kit)
            self.assertTrue(says.endswith("."))

    def test_general_midi_has_its_47_notes(self) -> None:
        """The percussion key map of General MIDI level 1 runs from 35 to 81."""
        kit = general_midi()
        self.assertEqual([p.notes[0] for p in kit.pads], list(range(35, 82)))
        names = {note: name for note, name, _ in GENERAL_MIDI}
        known = {36: "Bass drum", 42: "Closed hi-hat", 56: "Cowbell", 81: "Open triangle"}
        self.assertEqual({note: names[note] for note in known}, known)
        hats = [p for p in kit.pads if p.choke_group == 1]
        self.assertEqual([p.notes[0] for p in hats], [42, 44, 46])

    def test_tuned_pads_are_tuned_and_follow_the_first(self) -> None:
        kit, takes = tuned_pads(), Takes(NoSamples(), RATE)
        self.assertEqual(len(copies_of(kit, "pad1")), 15)
        found = []
        for pad in kit.pads[:6]:
            hz = fundamental(offline.strike(pad, takes, 127.0), RATE).hz
            assert hz is not None
            found.append(12 * np.log2(hz))
        steps = np.round(np.array(found) - found[0], 1)
        np.testing.assert_allclose(steps, [0, 3, 5, 7, 10, 12], atol=0.1)

    def test_three_strengths_are_brighter_the_harder(self) -> None:
        kit, takes = OURS["Three velocities"][1](), Takes(NoSamples(), RATE)
        for pad in kit.pads:
            self.assertEqual([(k.softest, k.hardest) for k in pad.sound.layers],
                             [(1, 52), (53, 96), (97, 127)])  # fmt: skip
        snare = next(p for p in kit.pads if p.name == "Snare")
        bright = []
        for velocity in (30.0, 75.0, 120.0):
            shape = balance(offline.strike(snare, takes, velocity), RATE)
            assert shape is not None
            bright.append(shape.centroid_hz)
        self.assertEqual(bright, sorted(bright))


class Layouts(unittest.TestCase):
    def test_without_sounds_everything_else_stays(self) -> None:
        kit, gauge = gauges.add_gauge(small_kit(), "Grit")
        target = Address(of="pad", pad="pad1", field="level_db")
        kit = gauges.assigned(kit, gauge.id, target)
        kit = edits.set_kit(kit, tempo_bpm=91.0)
        kit = alternates.add_alternate(kit, "pad2", "b", kit.pads[0].sound)
        bare = without_sounds(kit)
        self.assertEqual((bare.gauges, bare.tempo_bpm, bare.contents), (kit.gauges, 91.0, ()))
        for pad, was in zip(bare.pads, kit.pads, strict=True):
            self.assertEqual(pad.sound.layers, ())
            self.assertEqual(pad.alternates, ())
            self.assertEqual(
                (pad.name, pad.notes, pad.role, pad.choke_group, pad.level_db),
                (was.name, was.notes, was.role, was.choke_group, was.level_db),
            )
        self.assertEqual(kit_from_json(kit_json(bare), "it"), bare)


class Kept(DemoTest):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.enterContext(mock.patch.object(templates, "folder", lambda: self.folder))
        super().setUp()
        self.told: list[str] = []
        self.session.told.connect(self.told.append)

    def keep(self, name: str, *, with_sounds: bool) -> None:
        count = len(self.told)
        self.shell.kits.keep_template(name, with_sounds=with_sounds)
        self.until(lambda: len(self.told) > count)

    def test_kept_with_sounds_and_started_from(self) -> None:
        self.keep("Storm", with_sounds=True)
        self.assertIn("Storm is a template now", self.told[-1])
        self.shell.do("start")
        page = self.shell.pages.page("start")
        self.until(lambda: len(page.cards) == 5)
        card = page.cards[-1]
        self.assertEqual(card.template.says, "26 pads, with sounds.")
        before = self.session.kit
        QTest.mouseClick(card, LEFT)
        self.until(lambda: self.session.kit.name == "Untitled")
        self.settle()
        kit = self.session.kit
        self.assertEqual(kit.pads, before.pads)
        self.assertEqual(kit.contents, without_unused_contents(before).contents)
        self.assertIsNone(self.session.file.path)
        self.assertFalse(self.session.history.edited)
        sampled = next(p for p in kit.pads if p.name == "Slipway")
        self.assertGreater(float(np.abs(self.session.renders.audio[sampled.id]).max()), 0.01)

    def test_overwriting_asks(self) -> None:
        self.keep("Storm", with_sounds=False)
        answers = [QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Yes]
        path = templates.place_of("Storm")
        size = path.stat().st_size
        with answering(*answers) as asked:
            self.shell.kits.keep_template("Storm", with_sounds=True)
            self.session.file.saving.wait()
            self.assertEqual(path.stat().st_size, size)
            self.keep("Storm", with_sounds=True)
        said = "There is a template Storm already. Replace it? [Cancel, Replace]"
        self.assertEqual(asked, [said, said])
        self.assertGreater(path.stat().st_size, size)

    def test_the_dialog_asks_for_name_and_sounds(self) -> None:
        self.shell.do("template")
        dialog = self.shell.kits.keeping
        assert dialog is not None
        self.assertEqual(dialog.chosen_name, "Rain Gauge")
        dialog.name.setText("  Bare  ")
        dialog.default.setChecked(True)
        dialog.accept()
        self.until(lambda: bool(self.told))
        (found,) = templates.own()
        self.assertEqual((found.name, found.says), ("Bare", "26 pads, without sounds."))
        self.assertEqual(self.session.settings.template, "Bare")
        self.assertIn("New kits start from it", self.told[-1])

    def test_a_kit_without_sounds_says_nothing_of_levels_and_its_pads_look_empty(self) -> None:
        self.session.file.new(without_sounds(self.session.kit))
        self.shell.pages.show_page("shape")
        self.settle()
        lanes = self.shell.pages.page("shape").lanes
        self.assertEqual((lanes.peak.text(), lanes._loudness.text()), ("", ""))
        self.assertEqual(self.shell.pages.page("shape").spectrum.backdrop.traces, [])
        drop = self.shell.shore.drops[0]
        self.assertIn("no sound yet", drop.accessibleDescription())
        gauge = self.session.kit.gauges[0]
        says = self.shell.shore.gauges.gauges[gauge.id].toolTip()
        self.assertRegex(says, r"Moves \d+ parameters? \(\d+ more wait")

    def test_new_kits_start_from_the_default(self) -> None:
        self.shell.pages.page("start")
        self.shell.context.of(Starting).start_from("General MIDI")
        self.shell.do("new")
        self.assertEqual(len(self.session.kit.pads), 47)
        self.assertTrue(any("new kits start here" in str(w.text()) for card in
                            self.shell.pages.page("start").cards for w in card.findChildren(type(
                                self.shell.pages.page("start")._recent_title))))  # fmt: skip
        self.keep("Storm", with_sounds=False)
        self.session.settings.template = "Storm"
        before = self.session.kit
        self.shell.do("new")
        self.until(lambda: self.session.kit is not before)
        self.assertEqual((self.session.kit.name, len(self.session.kit.pads)), ("Untitled", 47))
        self.settle()
        self.session.settings.template = "Gone"
        self.shell.do("new")
        self.assertEqual(self.session.kit.pads, ())
        self.assertIn("Gone is gone", self.told[-1])

    def test_removed_once_confirmed_and_ours_stay(self) -> None:
        self.keep("Storm", with_sounds=False)
        (template,) = templates.own()
        with answering(QMessageBox.StandardButton.Yes):
            self.shell.pages.page("start")
            self.shell.context.of(Starting).remove(template)
        self.assertEqual(templates.own(), [])
        with self.assertRaises(PuddleError):
            templates.remove(templates.ours()[0])

    def test_a_damaged_one_is_passed_over_and_a_dropped_one_opens_as_new(self) -> None:
        (self.folder / f"Broken{templates.TEMPLATE_SUFFIX}").write_bytes(b"no zip")
        self.keep("Storm", with_sounds=True)
        self.assertEqual([t.name for t in templates.own()], ["Storm"])
        with mock.patch.object(self.shell.kits, "leave", side_effect=lambda then: then()):
            dropped(self.shell.shore.drops[3], templates.place_of("Storm"))
        self.until(lambda: self.session.kit.name == "Untitled")
        self.settle()
        self.assertIsNone(self.session.file.path)


class Straight(WindowTest):
    def test_the_choice_is_kept(self) -> None:
        self.shell.do("start")
        page = self.shell.pages.page("start")
        QTest.mouseClick(page.straight, LEFT)
        self.assertTrue(self.session.settings.straight)
        self.assertEqual(page.straight.text(), "on")
        self.assertEqual([c.template.name for c in page.cards], list(OURS))
        for card in page.cards:
            self.assertFalse(card.grab().isNull())


if __name__ == "__main__":
    unittest.main()
