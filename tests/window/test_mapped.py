"""Map in the window, further: regions and edges on the plane, response, alternates."""

from unittest.mock import patch

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog

from puddle.kit import edits
from puddle.kit.model.document import Sample
from puddle.kit.playing.velocity import lows_of
from puddle.window.editors.pad_lines import PadLines
from puddle.window.pages.map.pad_panel import TABS
from puddle.window.pages.map.page import runs
from puddle.window.session.measuring import measured_root
from tests.support.map_page import MappedTest
from tests.support.sounds import noise, write
from tests.support.windows import LEFT, NONE, drag, dropped, put

TRANSOM, TOWLINE = "pad25", "pad26"


class Plane(MappedTest):
    def middle(self, note: int, velocity: float = 64.0) -> QPoint:
        keys = self.map.keys
        return QPoint(
            round(keys.x_of(note) + keys._note_px() / 2), round(keys.y_of(velocity + 0.5))
        )

    def side(self, note: int) -> QPoint:
        """Just inside the left side of a note's place."""
        keys = self.map.keys
        return QPoint(round(keys.x_of(note) + 1), round(keys.y_of(64)))

    def test_a_region_is_dragged_whole_and_by_its_sides(self) -> None:
        kit = edits.set_pad(self.session.kit, TOWLINE, notes=tuple(range(58, 70)))
        put(self.session, "an octave that no other pad is in", kit)
        self.show(TOWLINE)
        keys = self.map.keys
        keys.first, keys.last = 52, 84
        drag(keys, self.middle(63), self.middle(70))
        self.assertEqual(self.pad(TOWLINE).notes, tuple(range(65, 77)))
        self.shell.do("undo")
        self.assertEqual(self.pad(TOWLINE).notes, tuple(range(58, 70)))
        drag(keys, self.side(58), self.middle(62))
        self.assertEqual(self.pad(TOWLINE).notes, tuple(range(62, 70)))
        drag(keys, self.side(70) - QPoint(2, 0), self.middle(74))
        self.assertEqual(self.pad(TOWLINE).notes, tuple(range(62, 75)))
        drag(keys, self.middle(66), self.middle(84))  # as far as the keys go, whole
        self.assertEqual(len(self.pad(TOWLINE).notes), 13)
        keys.setFocus()
        QTest.keyClick(keys, Qt.Key.Key_Left)
        QTest.keyClick(keys, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(len(self.pad(TOWLINE).notes), 14)
        self.settle()

    def test_it_goes_over_other_notes_of_the_pad_without_taking_them(self) -> None:
        put(self.session, "x", edits.set_pad(self.session.kit, TOWLINE, notes=(58, 62)))
        self.show(TOWLINE)
        keys = self.map.keys
        keys.first, keys.last = 52, 84
        drag(keys, self.middle(58), self.middle(66))
        self.assertEqual(self.pad(TOWLINE).notes, (62, 66))
        self.assertEqual(runs((1, 2, 3, 7)), [(1, 3), (7, 7)])
        self.settle()

    def test_an_edge_between_strengths_is_dragged_on_the_plane(self) -> None:
        self.show("pad1")
        keys = self.map.keys
        keys.first, keys.last = 30, 44
        edge = lows_of(self.pad(TRANSOM).sound)[2]
        drag(keys, self.middle(37, edge - 0.5), self.middle(37, edge + 7.5))
        self.assertEqual(lows_of(self.pad(TRANSOM).sound)[2], edge + 8)
        self.assertEqual(self.session.pad_id, TRANSOM)
        self.shell.do("undo")
        self.assertEqual(lows_of(self.pad(TRANSOM).sound)[2], edge)
        self.settle()

    def test_the_ribbon_plays_keys_and_lets_them_go(self) -> None:
        self.session.player.open()
        engine = self.engine
        self.show(TOWLINE)
        self.settle()
        keys = self.map.keys
        keys.first, keys.last = 16, 48
        at = QPoint(round(keys.x_of(29) + 4), round(keys._floor()) + 30)
        QTest.mousePress(keys, LEFT, NONE, at)
        self.until(lambda: engine.sounding > 0)
        voice = engine.voices[engine.voices["state"] > 0][0]
        self.assertEqual(int(voice["note"]), 29)
        # Three semitones over the root is a take of its own; until it is there the root's is bent.
        self.assertIn(round(float(voice["rate"]), 4), (1.0, round(2 ** (3 / 12), 4)))
        self.assertEqual(int(voice["held"]), 1)
        QTest.mouseRelease(keys, LEFT, NONE, at)
        self.until(lambda: engine.sounding == 0)
        self.assertEqual(self.map.keys.hit[0] if self.map.keys.hit else 0, 29)


class Tabs(MappedTest):
    def test_every_tab_has_its_rows_and_every_value_a_unit_or_a_word(self) -> None:
        for pad_id in ("pad1", TOWLINE):
            for name in TABS:
                self.show(pad_id, name)
                self.assertFalse(self.map.pad.grab().isNull())
        self.show(TOWLINE, "Trigger")
        root = self.map.pad.gauge_fields("root").gauge("root")
        self.assertEqual(root.accessibleDescription(), "D1")
        root.edit()
        assert root.editor is not None
        root.editor.setText("A3")
        root._take_typed()
        self.assertEqual(self.pad(TOWLINE).root, 57)
        self.settle()

    def test_a_pad_that_begins_to_follow_keys_has_its_measured_root(self) -> None:
        """Bilge D sounds D1: from the gauge, and by the button for later."""
        self.show("pad14", "Trigger")
        self.settle()
        self.until(lambda: measured_root(self.session) == 26)
        gauge = self.map.pad.gauge("tracking")
        assert gauge is not None
        gauge.moved.emit(100.0)
        gauge.settled.emit()
        self.assertEqual((self.pad("pad14").tracking, self.pad("pad14").root), (100.0, 26))
        put(self.session, "away", edits.set_pad(self.session.kit, "pad14", root=70))
        self.map.pad.root_from_pitch()
        self.assertEqual(self.pad("pad14").root, 26)
        self.assertIn("root D1", self.session.history.undo_name or "")

    def test_notes_that_strike_another_pad_too_say_which(self) -> None:
        kit = edits.set_pad(self.session.kit, "pad1", notes=(36, 86))
        put(self.session, "as Capstan", kit)
        self.show("pad1", "Pad")
        QApplication.processEvents()
        lines = self.map.pad.findChild(PadLines)
        assert lines is not None
        self.assertFalse(lines.shared.isHidden())
        self.assertIn("Capstan", lines.shared.text())
        self.assertEqual(self.map.keys.told_note(86), "D6 strikes Capstan, also Keel.")
        self.assertEqual(self.map.keys.told_note(36), "C2 strikes Keel.")
        self.assertIn("no pad", self.map.keys.told_note(120))
        self.session.selection.select_pad("pad2")
        QApplication.processEvents()
        self.assertTrue(self.map.pad.findChild(PadLines).shared.isHidden())

    def test_a_kit_gauge_steps_through_alternates(self) -> None:
        self.show("pad2", "Alternates")
        lines = self.map.pad.alternates
        lines.fill_gauges()
        inner = lines.gauge_menu.actions()[0].menu()
        assert inner is not None
        entry = next(a for a in inner.actions() if not a.isChecked() and a.isCheckable())
        name = entry.text()
        entry.trigger()
        found = next(g for g in self.session.kit.gauges if g.name == name)
        self.assertIn(("pad2", "alternate"), [(t.pad, t.field) for t in found.targets])
        target = next(t for t in found.targets if t.field == "alternate")
        self.assertEqual((target.low, target.high), (1.0, 3.0))

    def test_what_says_nothing_now_is_grey(self) -> None:
        self.show("pad1", "Trigger")
        fields = self.map.pad.gauge_fields
        self.assertFalse(fields("sustain").gauge("sustain").isEnabled())
        self.assertFalse(fields("glide").choice("glide").isEnabled())
        fields("trigger").choice("trigger").textActivated.emit("gate")
        fields("limit").gauge("limit").moved.emit(1.0)
        self.assertTrue(fields("sustain").gauge("sustain").isEnabled())
        self.assertTrue(fields("glide").choice("glide").isEnabled())
        self.assertEqual((self.pad("pad1").trigger, self.pad("pad1").limit), ("gate", 1))
        self.settle()

    def test_the_response_is_drawn_by_mouse_and_keys(self) -> None:
        self.show("pad1", "Velocity")
        curve = self.map.pad.curve
        assert curve is not None
        start = curve.place(64, 64).toPoint()
        drag(curve, start, curve.place(64, 100).toPoint())
        (point,) = self.pad("pad1").response
        self.assertAlmostEqual(point.plays, 100, delta=2)
        self.assertEqual(self.session.history.undo_name, "Keel: response drawn")
        assert self.map.pad.presets is not None
        self.assertEqual(self.map.pad.presets.currentText(), "drawn")
        curve.setFocus()
        QTest.keyClick(curve, Qt.Key.Key_PageUp)
        QTest.keyClick(curve, Qt.Key.Key_Down)
        self.assertEqual(self.pad("pad1").response[0].plays, point.plays - 1)
        curve.show_hit(64.0)
        self.assertIn("64 plays as 99", curve.told(64.0))
        self.assertFalse(curve.grab().isNull())
        QTest.keyClick(curve, Qt.Key.Key_Delete)
        self.assertEqual(self.pad("pad1").response, ())
        self.map.pad.presets.textActivated.emit("for a light hand")
        self.assertEqual(len(self.pad("pad1").response), 3)
        at = curve.place(self.pad("pad1").response[1].struck, self.pad("pad1").response[1].plays)
        QTest.mouseDClick(curve, LEFT, NONE, at.toPoint())
        self.assertEqual(len(self.pad("pad1").response), 2)
        self.settle()

    def test_the_kits_key_is_chosen(self) -> None:
        self.show(TOWLINE, "Trigger")
        self.map.pad.gauge_fields("scale").choice("scale").textActivated.emit("dorian")
        self.assertEqual(self.session.kit.key.scale, "dorian")
        self.settle()


class Alternates(MappedTest):
    def test_stepped_through_while_the_groove_plays(self) -> None:
        self.session.player.open()
        engine = self.engine
        self.session.selection.select_pad("pad2")
        self.settle()
        self.session.grooving.toggle()
        self.until(lambda: self.session.player.playing)
        before = self.pad("pad2")
        self.press("next_alternate")
        after = self.pad("pad2")
        self.assertEqual(after.alternates[after.alternate].name, "Plank, wet felt")
        self.assertEqual((after.notes, after.bus, after.level_db),
                         (before.notes, before.bus, before.level_db))  # fmt: skip
        self.until(lambda: self.session.renders.can_play(after))
        self.assertTrue(self.session.player.playing)
        self.assertEqual(engine.poisoned, 0)
        self.press("previous_alternate")
        self.press("previous_alternate")
        self.assertEqual(self.pad("pad2").alternate, 2)
        self.session.player.silence()
        self.settle()

    def test_chosen_added_named_and_taken_out(self) -> None:
        self.show("pad2", "Alternates")
        lines = self.map.pad.alternates
        item = lines.list.item(2)
        assert item is not None
        QTest.mouseClick(
            lines.list.viewport(), LEFT, NONE, lines.list.visualItemRect(item).center()
        )
        self.assertEqual(self.pad("pad2").alternate, 2)
        self.assertTrue((lines.list.item(2) or item).text().startswith("●"))
        lines.fill()
        names = [a.text() for a in lines.menu.actions()]
        self.assertIn("Another pad's sound", names)
        next(a for a in lines.menu.actions() if a.text().startswith("This sound")).trigger()
        self.assertEqual(len(self.pad("pad2").alternates), 4)
        with patch.object(QInputDialog, "getText", return_value=("Deck", True)):
            QTest.mouseClick(lines.rename_button, LEFT)
        self.assertEqual(self.pad("pad2").alternates[3].name, "Deck")
        lines.list.setFocus()
        QTest.keyClick(lines.list, Qt.Key.Key_Delete)
        self.assertEqual(len(self.pad("pad2").alternates), 3)
        self.settle()

    def test_files_dropped_there_are_alternates(self) -> None:
        self.show("pad1", "Alternates")
        lines = self.map.pad.alternates
        self.assertTrue(lines._says.isVisible())
        files = [write(self.folder / f"thud {n}.wav", noise(0.1, n)) for n in range(2)]
        dropped(lines.list, *files)
        self.until(lambda: len(self.pad("pad1").alternates) == 3)
        pad = self.pad("pad1")
        self.assertEqual([a.name for a in pad.alternates], ["Keel", "thud 0", "thud 1"])
        self.assertEqual(pad.alternate, 2)
        self.assertFalse(lines._says.isVisible())
        self.settle()

    def test_the_source_is_swapped_and_everything_else_kept(self) -> None:
        self.show(TOWLINE, "Alternates")
        before = self.pad(TOWLINE)
        swap = self.map.pad.alternates.swap
        content = self.session.kit.contents[0]
        swap.to("a chain", Sample(content=content.hash, end_ms=content.length_ms))
        after = self.pad(TOWLINE)
        self.assertIsInstance(after.sound.layers[0].source, Sample)
        self.assertEqual(after.sound.layers[0].envelope, before.sound.layers[0].envelope)
        self.assertEqual((after.notes, after.tracking), (before.notes, before.tracking))
        self.session.selection.select_pad("pad1")
        swap.to("a chain", Sample(content=content.hash, end_ms=content.length_ms))
        self.assertIn("Choose the layer", self.told[-1])
        self.settle()
