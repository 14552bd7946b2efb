"""Tuning, prints, conflicts and the kit's pitches in the window."""

import math
from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton

from puddle.kit import edits
from puddle.kit.edits import prints, rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Layer, Sample, Stage
from puddle.measure.conflicts import conflicts
from puddle.measure.pitch import fundamental
from puddle.stages import Delay, Equalizer, Filter, Saturator
from puddle.units import Octaves, note_from_hz
from puddle.voices import Clap
from puddle.window.editors.conflicts import ConflictsDialog
from puddle.window.editors.pitches import PitchesDialog
from puddle.window.editors.tune_lines import TuneLines
from puddle.window.shell.preferences import Preferences
from tests.support.windows import LEFT, DemoTest, put

# A clap that lets a filter ring: its pitch, 120 Hz, is the filter's, wherever its layer is tuned.
RUNG = {
    "layers": (Layer(id="clap", name="Clap", source=Clap()),),
    "stages": (
        Stage(id="ring", process=Filter(kind="band-pass", cutoff_hz=120.0, resonance=24.0)),
    ),
}


class MeasuredTest(DemoTest):
    def setUp(self) -> None:
        super().setUp()
        self.told: list[str] = []
        self.session.told.connect(self.told.append)

    def button(self, text: str) -> QPushButton:
        """A button of the properties that is seen."""
        found = [b for b in self.page.properties.findChildren(QPushButton) if b.text() == text]
        return next(b for b in found if b.isVisible())

    def step(self, words: str) -> None:
        """Waits for a step whose name holds some words."""
        self.until(lambda: words in (self.session.history.undo_name or ""))
        self.settle()

    def pitch(self, pad_id: str, layer_id: str = "") -> float:
        """The note that is measured, with its fraction."""
        takes, sound = self.session.renders.takes, edits.pad_of(self.session.kit, pad_id).sound
        if layer_id:
            audio = takes.layer(sound, edits.layer_of(self.session.kit, pad_id, layer_id)).audio
        else:
            audio = takes.sound(sound).audio
        hz = fundamental(audio, takes.rate_hz).hz
        assert hz is not None
        return note_from_hz(hz)


class Tuning(MeasuredTest):
    @property
    def lines(self) -> TuneLines:
        lines = self.page.properties.tune_lines
        assert lines is not None
        return lines

    def test_a_note_clicked_right_after_a_drag_is_measured(self) -> None:
        """Whatever of the drag was on its way: to another sound, and back before it was seen."""
        for wait_ms in (0, 15, 60, 200):
            with self.subTest(wait_ms):
                kit = edits.set_source(self.session.kit, "pad1", "layer1", decay_ms=700.0 + wait_ms)
                put(self.session, "drag", kit, "mark")
                QTest.qWait(wait_ms)
                self.session.cancel_drag()
                self.session.settle()
                self.session.tuning_wanted.emit("layer1")
                lines = self.page.properties.tune_lines
                assert lines is not None
                self.until(lambda lines=lines: "measuring" not in lines.pitch.text())
                self.session.selection.select_layer(None)
                self.page.properties.choose_tab("Stages")

    def test_a_note_of_a_sound_that_keeps_to_the_tempo_is_measured(self) -> None:
        """Then what is rendered is another sound than the kit's: its delay in ms."""
        path = RowPath(pad="pad1")
        kit, _ = rows.add_stage(self.session.kit, path, Delay(counted="in steps"))
        put(self.session, "delay", kit)
        self.session.tuning_wanted.emit(None)
        lines = self.page.properties.tune_lines
        assert lines is not None
        self.until(lambda: "measuring" not in lines.pitch.text())

    def test_the_measured_pitch_is_clicked_and_typed_over(self) -> None:
        lanes = self.page.lanes
        self.until(lambda: "F1" in lanes.pitch.text())
        QTest.mouseClick(lanes.pitch, LEFT)
        self.assertEqual(self.page.properties.tab, "Tune")
        self.assertIn("% sure", self.lines.sure.text())
        self.lines.note.selectAll()
        QTest.keyClicks(self.lines.note, "G1 +10")
        QTest.keyClick(self.lines.note, Qt.Key.Key_Return)
        self.step("Keel: tuned to G1 +10")
        self.assertLess(abs(self.pitch("pad1") - 31.1), 0.02)
        # The tap has no settled pitch: it stays.
        self.assertEqual(self.layer("layer3").tune_st, 0.0)
        self.assertIn("measures G1 +10", self.told[-1])

    def test_a_layers_pitch_is_clicked_on_its_lane(self) -> None:
        header = self.page.lanes.header("layer2")
        self.until(lambda: header.pitch.text() == "F3")
        QTest.mouseClick(header.pitch, LEFT)
        self.assertEqual(self.session.selection.layer_id, "layer2")
        self.assertIn("F3", self.lines.pitch.text())
        self.lines.note.setText("what")
        self.lines.tune()
        self.assertIn("is not a note", self.told[-1])

    def test_to_another_pad_in_the_octave_that_is_preferred(self) -> None:
        self.session.selection.select_layer("layer1")
        self.page.properties.choose_tab("Tune")
        self.lines.octave.setCurrentText("an octave up")
        self.lines._ask()
        action = next(a for a in self.lines.menu.actions() if a.text() == "Bilge D")
        action.trigger()
        self.step("Hull sine: tuned to Bilge D")
        # D1 is the nearest D to F1; an octave up is D2.
        self.assertLess(abs(self.pitch("pad1", "layer1") - 38.0), 0.03)

    def test_all_layers_to_one(self) -> None:
        self.session.selection.select_layer("layer1")
        self.page.properties.choose_tab("Tune")
        QTest.mouseClick(self.lines.all, LEFT)
        self.step("layers tuned to Hull sine")
        one, other = self.pitch("pad1", "layer1"), self.pitch("pad1", "layer2")
        away = (other - one) % 12.0
        self.assertLess(min(away, 12.0 - away), 0.03)
        self.assertIn("Knock on oak tuned to Hull sine", self.told[-1])

    def test_what_has_no_pitch_says_so(self) -> None:
        self.session.selection.select_layer("layer3")
        self.page.properties.choose_tab("Tune")
        self.settle()
        self.until(lambda: "no settled pitch" in self.lines.pitch.text())
        self.assertFalse(self.lines.note.isEnabled())
        self.lines.tuner.to_note("A1")
        self.until(lambda: any("no settled pitch" in t for t in self.told))


class Octave(MeasuredTest):
    def test_a_preference_says_what_middle_c_is_called(self) -> None:
        self.addCleanup(setattr, Octaves, "middle", 4)
        self.until(lambda: "F1" in self.page.lanes.pitch.text())
        with patch.object(self.session.player, "open"):
            self.shell.do("preferences")
            dialog = self.shell.context.of(Preferences)
            self.until(lambda: dialog.device.count() > 1)
            dialog.middle.setCurrentIndex(dialog.middle.findText("C3"))
            dialog.accept()
        self.assertIn("F0", self.page.lanes.pitch.text())
        self.assertEqual(self.session.settings.middle_c, 3)
        self.session.settings.middle_c = 4
        self.settle()


class KitPitches(MeasuredTest):
    def opened(self) -> PitchesDialog:
        """On a dozen of the demo's pads: to measure all of them takes seconds."""
        kit = self.session.kit
        some = ("Keel", "Plank", "Tarp", "Drizzle", "Barrel lo", "Lantern", "Bilge D", "Rib",
                "Deckboard", "Capstan", "Crate", "Hail")  # fmt: skip
        for pad in kit.pads:
            if pad.name not in some:
                kit = edits.remove_pad(kit, pad.id)
        lantern = next(pad.id for pad in kit.pads if pad.name == "Lantern")
        put(self.session, "a dozen", edits.set_sound(kit, lantern, **RUNG))
        self.shell.do("pitches")
        dialog = self.shell.context.of(PitchesDialog)
        assert dialog is not None
        self.addCleanup(dialog.close)
        self.until(lambda: len(dialog.rows) == len(self.session.kit.pads))
        return dialog

    def test_what_is_out_is_marked_and_tuned_as_one_step(self) -> None:
        dialog = self.opened()
        by = {row.pad.name: row for row in dialog.rows}
        self.assertFalse(by["Keel"].out)
        self.assertTrue(by["Rib"].out)
        self.assertIsNone(by["Tarp"].place)
        cents = 100.0 * (self.pitch(by["Rib"].pad.id) - round(self.pitch(by["Rib"].pad.id)))
        assert by["Rib"].place is not None
        self.assertAlmostEqual(by["Rib"].place.cents, cents, places=6)
        kit = self.session.kit
        dialog.tune_all()
        self.step("sounds: tuned to C chromatic")
        for name in ("Rib", "Plank", "Deckboard"):
            note = self.pitch(by[name].pad.id)
            self.assertLess(abs(note - round(note)), 0.03, name)
        self.assertIn("Lantern would not follow", self.told[-1])
        self.shell.do("undo")
        self.assertIs(self.session.kit, kit)
        self.settle()

    def test_a_key_is_chosen_and_kept_in_the_kit(self) -> None:
        dialog = self.opened()
        dialog.root.setCurrentText("D")
        dialog.root.textActivated.emit("D")
        dialog.scale.textActivated.emit("minor pentatonic")
        self.assertEqual(
            (self.session.kit.key.root, self.session.kit.key.scale), ("D", "minor pentatonic")
        )
        self.until(lambda: any(row.pad.name == "Crate" and row.out for row in dialog.rows))
        row = next(row for row in dialog.rows if row.pad.name == "Barrel lo")
        assert row.place is not None
        self.assertEqual(row.place.note, 41)  # E2 is no note of it, F2 is nearer than D2
        dialog.tune(row)
        self.step("Barrel lo: tuned to F2")
        self.assertLess(abs(self.pitch(row.pad.id) - 41.0), 0.03)

    def test_closed_while_it_measures_it_says_nothing(self) -> None:
        self.shell.do("pitches")
        dialog = self.shell.context.of(PitchesDialog)
        assert dialog is not None
        dialog.close()
        self.settle()
        kit = edits.set_source(self.session.kit, "pad1", "layer1", end_hz=60.0)
        put(self.session, "x", kit)
        self.settle()
        self.shell.do("pitches")
        self.assertIs(self.shell.context.of(PitchesDialog), dialog)
        self.until(lambda: any(r.pad.name == "Keel" and r.out for r in dialog.rows))
        dialog.close()


class Conflicts(MeasuredTest):
    def opened(self) -> ConflictsDialog:
        self.shell.do("conflicts")
        dialog = self.shell.context.of(ConflictsDialog)
        assert dialog is not None
        self.addCleanup(dialog.close)
        self.until(lambda: dialog.crowds is not None)
        return dialog

    def test_a_pad_is_given_room_by_a_cut_that_is_tried_first(self) -> None:
        dialog = self.opened()
        dialog.against.setCurrentIndex(dialog.against.findText("Bilge D"))
        self.until(lambda: bool(dialog.crowds) and dialog.crowds[0].names[1] == "Bilge D")
        assert dialog.crowds
        crowd, takes, kit = dialog.crowds[0], self.session.renders.takes, self.session.kit
        pads = [edits.pad_of(kit, key).sound for key in ("pad1", "pad14")]
        wanted = conflicts(*(takes.sound(s).audio for s in pads), takes.rate_hz)
        self.assertEqual(crowd.found, wanted[0])
        offer = next(b for b in dialog.findChildren(QPushButton) if b.text().startswith("Try"))
        self.assertIn(f"{-crowd.found.cut_db:.1f}", offer.text())
        QTest.mouseClick(offer, LEFT)
        self.assertTrue(self.page.trial.trying)
        self.assertIs(self.session.kit, kit)
        self.assertIsNot(self.session.heard, kit)
        QTest.mouseClick(dialog.keep, LEFT)
        self.assertIn("a cut for room", self.session.history.undo_name or "")
        pad = ("pad1", "pad14")[crowd.found.gives_way]
        stages = edits.pad_of(self.session.kit, pad).sound.stages
        bells = [
            (getattr(s.process, f"bell{n}_hz"), getattr(s.process, f"bell{n}_db"))
            for s in stages
            if isinstance(s.process, Equalizer)
            for n in (1, 2, 3, 4)
        ]
        self.assertTrue(
            any(
                math.isclose(hz, crowd.found.center_hz, rel_tol=1e-6) and db == crowd.found.cut_db
                for hz, db in bells
            )
        )
        self.settle()
        after = conflicts(
            *(
                takes.sound(edits.pad_of(self.session.kit, k).sound).audio
                for k in ("pad1", "pad14")
            ),
            takes.rate_hz,
        )
        crowded = after[0].crowd if after else 0.0
        self.assertLess(crowded, crowd.found.crowd)

    def test_layers_and_none(self) -> None:
        dialog = self.opened()
        self.assertTrue(all(c.paths[0].layer for c in dialog.crowds or []))
        self.session.selection.select_pad("pad14")  # one layer: nothing can be crowded
        self.until(lambda: dialog.crowds == [])
        QTest.mouseClick(dialog.leave, LEFT)
        self.settle()

    def test_an_equalizer_with_room_takes_the_cut(self) -> None:
        dialog = self.opened()
        crowd = (dialog.crowds or [])[0]
        path = crowd.paths[crowd.found.gives_way]
        count = len(rows.stages_at(self.session.kit, path))
        dialog.offer(crowd)
        self.page.trial.keep()
        stages = rows.stages_at(self.session.kit, path)
        has_equalizer = any(isinstance(s.process, Equalizer) for s in stages[:count])
        self.assertEqual(len(stages), count + (0 if has_equalizer else 1))
        self.settle()


class Printing(MeasuredTest):
    def test_a_sound_is_printed_processed_and_reopened(self) -> None:
        pad = self.session.pad
        assert pad is not None
        before = self.session.renders.takes.sound(pad.sound).audio
        QTest.mouseClick(self.button("Print to sample"), LEFT)
        self.step("Keel printed")
        now = self.session.pad
        assert now is not None
        self.assertEqual(len(now.sound.layers), 1)
        after = self.session.renders.takes.sound(now.sound).audio
        np.testing.assert_allclose(before, after, atol=1e-5)
        self.assertEqual(self.session.selection.layer_id, "layer1")
        self.page.properties.choose_tab("Source")
        self.assertTrue(self.button("Reopen recipe").isVisible())
        kit, _ = rows.add_stage(self.session.kit, RowPath(pad="pad1"), Saturator())
        put(self.session, "x", kit)
        QTest.mouseClick(self.button("Reopen recipe"), LEFT)
        self.step("recipe reopened")
        again = self.session.pad
        assert again is not None
        self.assertEqual(again.sound.layers, pad.sound.layers)
        self.assertEqual(len(again.sound.stages), len(pad.sound.stages) + 1)
        # What was printed went to the shelf by itself.
        self.assertEqual([s.by_itself for s in again.snapshots], [True, True])

    def test_a_layer_is_printed_by_its_key(self) -> None:
        self.session.selection.select_layer("layer2")
        action = self.shell.commands.by_id["print_layer"]
        self.assertEqual(action.shortcut().toString(), "Ctrl+P")
        self.assertFalse(self.shell.commands.by_id["reopen"].isEnabled())
        action.trigger()
        self.step("Knock on oak printed")
        self.assertIsInstance(self.layer().source, Sample)
        self.assertEqual(self.layer().stages, ())
        self.assertTrue(self.shell.commands.by_id["reopen"].isEnabled())
        self.shell.do("reopen")
        self.step("recipe reopened")
        self.assertNotEqual(self.layer().stages, ())

    def test_beside_others_the_recipe_opens_on_a_pad_of_its_own(self) -> None:
        self.shell.do("print_sound")
        self.step("Keel printed")
        printed = self.session.pad
        assert printed is not None
        kit = edits.copy_layers(self.session.kit, "pad1", printed.sound.layers)
        put(self.session, "x", kit)
        self.session.selection.select_layer("layer1")
        self.shell.do("reopen")
        self.assertEqual((self.session.pad and self.session.pad.name), "Keel recipe")
        self.assertEqual(len(edits.pad_of(self.session.kit, "pad1").sound.layers), 2)
        self.settle()

    def test_what_cannot_be_printed_or_written_says_so(self) -> None:
        self.session.selection.select_layer(None)
        self.shell.do("print_layer")
        self.assertIn("Select the layer", self.told[-1])
        self.shell.do("reopen")
        self.assertIn("was not printed", self.told[-1])
        journal = self.session.file.journal
        assert journal is not None
        kit = self.session.kit
        with patch.object(journal.store, "add", side_effect=prints.EditError("The disk is full.")):
            self.shell.do("print_sound")
            self.until(lambda: "The disk is full." in self.told)
        self.assertIs(self.session.kit, kit)
        self.session.file.new()
        self.shell.do("print_sound")
        self.assertIn("no sound to print", self.told[-1])

    def test_an_edit_meanwhile_wins(self) -> None:
        self.shell.do("print_sound")
        kit = edits.set_layer(self.session.kit, "pad1", "layer1", level_db=-4.0)
        put(self.session, "softer", kit)
        self.until(lambda: any("edited meanwhile" in t for t in self.told))
        self.assertIs(self.session.kit, kit)
        self.settle()


class Reach(MeasuredTest):
    def test_everything_has_a_name_and_a_sentence(self) -> None:
        self.shell.do("compare")
        self.shell.do("snapshot")
        self.settle()
        for holder in (self.shell.pages.page("compare"), self.shell.shore):
            for control in holder.findChildren((QPushButton, QComboBox, QLineEdit)):
                if control.isVisible():
                    named = control.accessibleName() or getattr(control, "text", str)()
                    self.assertTrue(named, control)
                    self.assertTrue(control.toolTip() or control.objectName() == "tab", named)
