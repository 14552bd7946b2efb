"""The window as a whole: striking, playing, commands, themes, preferences."""

import unittest
from unittest.mock import patch

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QPushButton,
)

from puddle.kit import edits
from puddle.kit.model.document import Pad
from puddle.window import theme
from puddle.window.shell.menus.table import COMMANDS, MENUS
from puddle.window.shell.preferences import Preferences
from puddle.window.shell.shortcuts import Shortcuts
from puddle.window.widgets.gauge import Gauge
from tests.support.engines import hardness, struck
from tests.support.windows import LEFT, NONE, WindowTest, put, turn_wheel


class Striking(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.player.open()
        self.until(lambda: self.engine.clock > 4800)

    def struck(self, pad: int) -> int:
        return struck(self.engine, f"pad{pad + 1}")

    def test_keys_and_the_mouse_strike_pads(self) -> None:
        page = self.shell.pages.page("shape")
        QTest.keyClick(page, Qt.Key.Key_W)
        self.until(lambda: self.struck(1) == 1)
        self.assertEqual(self.session.pad_id, "pad2")
        QTest.keyClick(page, Qt.Key.Key_K)
        self.until(lambda: self.struck(15) == 1)
        drop = self.shell.shore.drops[0]
        QTest.mouseClick(drop, LEFT, NONE, drop.center().toPoint())
        self.until(lambda: self.struck(0) == 1)
        self.assertGreater(hardness(self.engine, "pad1"), 120.0)
        rim = drop.center().toPoint() + QPoint(round(drop._radius()) - 1, 0)
        QTest.mouseClick(drop, LEFT, NONE, rim)
        self.until(lambda: self.struck(0) == 2)
        self.assertLess(hardness(self.engine, "pad1"), 40.0)

    def test_brackets_set_the_strength_and_shift_is_an_accent(self) -> None:
        page = self.shell.pages.page("shape")
        for _ in range(3):
            QTest.keyClick(page, Qt.Key.Key_BracketLeft)
        QTest.keyClick(page, Qt.Key.Key_Q)
        self.until(lambda: self.struck(0) == 1)
        self.assertEqual(hardness(self.engine, "pad1"), 76.0)
        QTest.keyClick(page, Qt.Key.Key_Q, Qt.KeyboardModifier.ShiftModifier)
        self.until(lambda: self.struck(0) == 2)
        self.assertEqual(hardness(self.engine, "pad1"), 127.0)

    def test_typing_strikes_nothing(self) -> None:
        self.session.selection.select_layer(None)
        self.shell.pages.page("shape").properties.choose_tab("Pad")
        field = next(
            f
            for f in self.shell.pages.page("shape").properties.findChildren(QLineEdit)
            if f.accessibleName() == "Plays on notes"
        )
        field.setFocus()
        QTest.keyClicks(field, "qwe")
        QTest.qWait(50)
        self.assertEqual([self.struck(n) for n in range(3)], [0, 0, 0])

    def test_a_refused_note_goes_back_to_what_plays(self) -> None:
        self.session.selection.select_layer(None)
        self.shell.pages.page("shape").properties.choose_tab("Pad")
        self.shell.pages.show_page("shape")
        before, told = self.session.pad, []
        self.session.told.connect(told.append)
        field = self.named(QLineEdit, "Plays on notes")
        shown = field.text()
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, "H9")
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.assertEqual(field.text(), shown)
        self.assertEqual(self.session.pad, before)
        self.assertIn("“H9” is no note", told[-1])

    def test_the_groove_plays_and_stops(self) -> None:
        QTest.mouseClick(self.shell.shore.transport.play, LEFT)
        self.until(lambda: self.struck(0) > 0 and self.struck(3) > 1)
        self.shell.shore.tick()
        self.assertIn("pattern A", self.shell.shore.transport.position.text())
        self.assertTrue(self.shell.shore.transport.play.playing)
        self.until(lambda: max(self.engine.master_peaks()) > 0.01)
        QTest.keyClick(self.shell, Qt.Key.Key_Space)
        self.until(lambda: not self.engine.playing)

    def test_played_without_a_pattern_it_says_what_to_do(self) -> None:
        told: list[str] = []
        self.session.told.connect(told.append)
        put(self.session, "none", edits.set_kit(self.session.kit, patterns=()))
        QTest.keyClick(self.shell, Qt.Key.Key_Space)
        self.assertIn("no pattern yet", told[-1])
        self.shell.shore.tick()
        self.assertEqual(self.shell.shore.transport.position.text(), "no pattern yet")
        QTest.keyClick(self.shell, Qt.Key.Key_Space)
        self.assertEqual(len(told), 1, "it stops without a word")

    def test_repeat_strikes_on_the_beat(self) -> None:
        self.shell.do("repeat")
        self.until(lambda: self.struck(0) >= 2, 5.0)
        self.shell.do("repeat")

    def test_mute_and_solo_by_modified_clicks(self) -> None:
        drop = self.shell.shore.drops[2]
        center = drop.center().toPoint()
        alt, shift = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ShiftModifier
        QTest.mouseClick(drop, LEFT, alt, center)
        self.assertTrue(self.session.kit.pads[2].mute)
        QTest.mouseClick(drop, LEFT, alt | shift, center)
        self.assertTrue(self.session.kit.pads[2].solo)
        self.assertEqual(self.session.history.undo_name, "Tarp: solo")

    def test_banks_and_layouts(self) -> None:
        shore = self.shell.shore
        shore.banks.show_bank(1)
        self.assertIn("Rib", shore.drops[0].accessibleName())
        shore.banks.show_bank(2)
        self.assertEqual(shore.banks.dots.banks, 3)
        self.assertIn("empty", shore.drops[0].accessibleName())
        shore.banks.show_bank(0)
        for rows in (2, 4, 1):
            shore.show_next_layout()
            self.assertEqual(shore.rows, rows)

    def test_banks_by_menu_and_wheel(self) -> None:
        shore = self.shell.shore
        entries = shore.banks.menu().actions()
        self.assertEqual(len(entries), 2 + 1)
        self.assertIn("Keel", entries[0].text())
        entries[1].trigger()
        self.assertEqual(shore.banks.bank, 1)
        turn_wheel(shore.banks.dots, 120)
        self.assertEqual(shore.banks.bank, 0)
        turn_wheel(shore.banks.dots, 120)
        self.assertEqual(shore.banks.bank, 0)
        shore.banks.show_bank(25)
        self.assertFalse(shore.banks.dots.can_grow)
        self.assertFalse(shore.banks.menu().actions()[-1].isEnabled())
        QTest.mouseClick(
            shore.banks.dots, LEFT, NONE, QPoint(27 * 2 + 12, 13)
        )  # where the plus was
        self.assertEqual(shore.banks.bank, 25)

    def test_a_new_kit_begins_in_bank_1_and_the_selected_pads_bank_is_shown(self) -> None:
        shore = self.shell.shore
        shore.banks.show_bank(4)
        self.session.file.new()
        self.assertEqual((shore.banks.bank, shore.banks.dots.banks), (0, 1))
        self.session.file.open_demo()
        self.session.selection.select_pad(self.session.kit.pads[20].id)
        self.assertEqual(shore.banks.bank, 1)
        shore.banks.show_bank(0)
        put(self.session, "tempo", edits.set_kit(self.session.kit, tempo_bpm=99.0))
        self.assertEqual(shore.banks.bank, 0, "an edit leaves the bank that was chosen")

    def test_the_selected_pads_name_is_whole(self) -> None:
        shore, name = self.shell.shore, "Plank with a longer name"
        self.assertTrue(shore.whole_name.isHidden())
        kit = edits.set_pad(self.session.kit, "pad2", name=name)
        put(self.session, "n", edits.set_pad(kit, "pad16", name=name + " too"))
        for pad, told in (("pad2", name), ("pad16", name + " too")):
            self.session.selection.select_pad(pad)
            QApplication.processEvents()
            self.assertFalse(shore.whole_name.isHidden())
            self.assertEqual(shore.whole_name.text(), told)
            self.assertTrue(shore.rect().contains(shore.whole_name.geometry()))
        self.session.selection.select_pad("pad1")
        self.assertTrue(shore.whole_name.isHidden())

    def test_a_scale_on_the_pads_moves_nothing(self) -> None:
        QApplication.processEvents()
        before = [(d.x(), d.y()) for d in self.shell.shore.drops], self.shell.shore.height()
        self.shell.do("scale_layout")
        QApplication.processEvents()
        after = [(d.x(), d.y()) for d in self.shell.shore.drops], self.shell.shore.height()
        self.assertEqual(after, before)

    def test_another_rate_renders_anew(self) -> None:
        self.session.settings.rate_hz = 44100
        self.session.player.open()
        self.until(lambda: self.engine.rate_hz == 44100.0)
        self.settle()
        self.assertTrue(self.session.renders.ready(self.session.kit))


class CommandsAndThemes(WindowTest):
    def test_every_command_has_its_menu_and_its_method(self) -> None:
        for command in COMMANDS:
            action = self.shell.commands.by_id[command.id]
            self.assertIn(command.menu, MENUS)
            self.assertTrue(callable(command.run))
            self.assertTrue(command.says.endswith("."), command.id)
            if command.keys:
                self.assertEqual(action.shortcut().toString(), command.keys, command.id)
        keys = [c.keys for c in COMMANDS if c.keys]
        self.assertEqual(len(keys), len(set(keys)))
        bare = [k for k in keys if len(k) == 1 and k.isalpha()]
        self.assertEqual(bare, [], "bare letters strike pads")

    def test_undo_says_what_it_would_undo(self) -> None:
        self.demo()
        put(self.session, "Tempo 90.0 bpm", edits.set_kit(self.session.kit, tempo_bpm=90.0))
        self.assertEqual(self.shell.top.undo.toolTip(), "Undo: Tempo 90.0 bpm")
        self.shell.do("undo")
        self.assertEqual(self.shell.top.redo.toolTip(), "Redo: Tempo 90.0 bpm")
        self.assertFalse(self.shell.top.undo.isEnabled())

    def test_every_control_has_a_name(self) -> None:
        self.demo()
        for tab in ("Stages", "Pad", "Bus", "Master"):
            self.shell.pages.page("shape").properties.choose_tab(tab)
            for kind in (QPushButton, Gauge, QComboBox):
                for control in self.shell.findChildren(kind):
                    if control.isVisible():
                        named = control.accessibleName() or getattr(control, "text", str)()
                        self.assertTrue(named, control)

    def test_both_themes_keep_their_contrast(self) -> None:
        def light(color: str) -> float:
            parts = [int(color[n : n + 2], 16) / 255 for n in (1, 3, 5)]
            linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
            return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

        def contrast(a: str, b: str) -> float:
            first, second = sorted((light(a), light(b)), reverse=True)
            return (first + 0.05) / (second + 0.05)

        for colors in (theme.DAY, theme.NIGHT):
            for ink in (colors.ink, colors.soft, colors.coral):
                for ground in (colors.paper, colors.panel):
                    self.assertGreaterEqual(contrast(ink, ground), 4.5, (ink, ground))
            self.assertGreaterEqual(contrast(colors.panel, colors.water), 4.5)
            self.assertGreaterEqual(contrast(colors.ink, colors.inset), 4.5)

    def test_themes_change_at_once(self) -> None:
        self.demo()
        day = self.shell.grab().toImage().pixelColor(5, 300).name()
        self.shell.do("night")
        QApplication.processEvents()
        night = self.shell.grab().toImage().pixelColor(5, 300).name()
        self.assertEqual((day, night), ("#f3efe7", "#16232b"))
        self.shell.do("day")

    def test_preferences(self) -> None:
        self.shell.do("preferences")
        box = self.shell.context.of(Preferences)
        box.rate.setCurrentIndex(box.rate.findData(44100))
        box.block.setCurrentIndex(box.block.findData(512))
        box.accept()
        self.assertEqual(self.engine.rate_hz, 44100.0)
        self.assertEqual(self.session.player.device.block if self.session.player.device else 0, 512)

    def test_shortcuts_are_listed(self) -> None:
        self.shell.do("shortcuts")
        self.assertTrue(self.shell.context.of(Shortcuts).isVisible())
        self.shell.context.of(Shortcuts).reject()


if __name__ == "__main__":
    unittest.main()


class PadMenus(WindowTest):
    """The context menu of a place on the shore speaks of that place."""

    def setUp(self) -> None:
        super().setUp()
        self.demo()
        self.session.selection.select_pad("pad1")

    def choose(self, place: int, name: str) -> None:
        """Opens a place's menu and takes an entry, as a click does."""
        menu = self.shell.pad_menu
        menu.open_at(place, QPoint(0, 0))
        assert menu.menu is not None
        actions = {a.text(): a for a in menu.menu.actions()}
        menu.menu.close()
        actions[name].trigger()

    def pad(self, pad_id: str) -> Pad:
        found = self.session.kit.pad(pad_id)
        assert found is not None
        return found

    def test_renaming_is_of_the_pad_under_the_pointer(self) -> None:
        with patch.object(QInputDialog, "getText", return_value=("Sail", True)):
            self.choose(2, "Rename …")
        self.assertEqual((self.pad("pad3").name, self.pad("pad1").name), ("Sail", "Keel"))

    def test_so_is_exporting(self) -> None:
        self.choose(2, "Export this sound …")
        asking = self.shell.exports.asking
        assert asking is not None
        self.assertEqual(asking.path.name, "Tarp.wav")
        asking.reject()

    def test_mute_solo_and_remove(self) -> None:
        before = self.session.kit
        self.choose(2, "Mute")
        self.assertTrue(self.pad("pad3").mute)
        self.choose(2, "Unmute")
        self.choose(3, "Solo")
        self.assertEqual((self.pad("pad3").mute, self.pad("pad4").solo), (False, True))
        self.choose(3, "Unsolo")
        self.choose(2, "Remove Tarp")
        self.assertIsNone(self.session.kit.pad("pad3"))
        for _ in range(5):
            self.session.undo()
        self.assertIs(self.session.kit, before)

    def test_an_empty_place_offers_what_it_could_hold(self) -> None:
        put(self.session, "x", edits.remove_pad(self.session.kit, "pad3"))
        with patch.object(QFileDialog, "exec", return_value=0) as asked:
            self.choose(2, "Sound files …")
        asked.assert_called_once()
        self.choose(2, "A voice …")
        chooser = self.shell.incoming.chooser
        assert chooser is not None
        chooser.accept()
        pad = self.session.pad
        self.assertEqual(pad and pad.place, 2)
