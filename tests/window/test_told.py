"""What is told: what undo took back, notices over the page, questions with long names."""

from unittest import mock

import numpy as np
import pyloudnorm
from PyQt6.QtCore import QPoint, QRect
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog, QPushButton

from puddle.kit import edits
from puddle.kit.model.roles import ROLES
from puddle.kit.playing.velocity import hardest
from puddle.window.session.leveling import level_by_role
from puddle.window.widgets.asking import ask_other_name, short
from tests.support.sounds import small_kit
from tests.support.windows import LEFT, DemoTest, put


class Undone(DemoTest):
    def test_it_is_told_and_its_pad_is_shown(self) -> None:
        put(self.session, "Tarp: level", edits.set_pad(self.session.kit, "pad3", level_db=-9.0))
        self.session.selection.select_pad("pad1")
        QTest.mouseClick(self.shell.top.undo, LEFT)
        self.assertEqual(self.shell.notice.text(), "Undone: Tarp: level.")
        self.assertEqual(self.session.pad_id, "pad3")
        self.session.selection.select_pad("pad1")
        self.shell.do("redo")
        self.assertEqual(self.shell.notice.text(), "Done again: Tarp: level.")
        self.assertEqual(self.session.pad_id, "pad3")

    def test_a_name_from_saving_is_no_step(self) -> None:
        self.session.file.new(small_kit())
        self.session.rename("Untitled")
        put(self.session, "slow", edits.set_kit(self.session.kit, tempo_bpm=80.0))
        self.session.rename("gale")
        self.assertEqual(self.session.history.undo_name, "slow")
        self.session.undo()
        self.assertEqual((self.session.kit.name, self.session.kit.tempo_bpm), ("gale", 120.0))
        self.assertFalse(self.session.history.edited)
        self.session.redo()
        self.assertEqual((self.session.kit.name, self.session.kit.tempo_bpm), ("gale", 80.0))


class OverThePage(DemoTest):
    """What comes and goes by itself moves nothing."""

    def places(self) -> list[QPoint]:
        self.settle()
        watched = (self.page.lanes, self.page.properties, self.shell.shore.transport.play)
        return [w.mapToGlobal(QPoint(0, 0)) for w in watched]

    def test_notices_and_strips_lie_over_its_edge(self) -> None:
        self.shell.notice.hide()
        before = self.places()
        self.shell.tell("A sentence.")
        self.shell.stretching.show()
        self.assertEqual(self.places(), before)
        overlay = self.shell.overlay
        self.assertTrue(overlay.isVisible())
        inside = self.shell.centralWidget()
        assert inside is not None
        self.assertLess(overlay.geometry().right(), inside.width())
        QTest.mouseClick(self.shell.notice, LEFT)
        self.shell.stretching.hide()
        self.assertEqual(self.places(), before)
        self.assertFalse(overlay.isVisible())

    def test_a_line_covers_no_button_of_the_bar_above_nor_of_any_page(self) -> None:
        for name in ("gather", "shape", "map", "groove", "mix", "deliver"):
            self.shell.pages.show_page(name)
            self.shell.tell("A sentence that is of a usual length, as a page may tell it.")
            self.settle()
            overlay = self.shell.overlay
            covered = QRect(overlay.mapToGlobal(QPoint()), overlay.size())
            for button in self.shell.findChildren(QPushButton):
                place = QRect(button.mapToGlobal(QPoint()), button.size())
                if button.isVisible() and not overlay.isAncestorOf(button):
                    self.assertFalse(covered.intersects(place), (name, button.text()))

    def test_long_sentences_are_whole(self) -> None:
        self.shell.tell("word " * 100)
        self.settle()
        notice = self.shell.notice
        self.assertGreaterEqual(notice.height(), notice.heightForWidth(notice.width()))
        self.assertLessEqual(self.shell.overlay.width(), self.shell.width() - 24)
        self.shell.tell("Short.")
        self.settle()
        self.assertLess(self.shell.overlay.width(), 300)


class Leveled(DemoTest):
    def test_who_became_louder_and_softer_and_who_cannot(self) -> None:
        kit = edits.set_pad(self.session.kit, "pad1", level_db=-20.0)
        kit = edits.set_pad(kit, "pad2", level_db=11.0)
        put(self.session, "Other levels", kit)
        first, second = kit.pads[:2]
        level_by_role(self.session, [first, second])
        self.until(lambda: "Leveled" in self.shell.notice.text())
        told = self.shell.notice.text()
        self.assertRegex(told, rf"1 louder, {first.name} by \d+\.\d.dB; 1 softer, {second.name} by")
        meter = pyloudnorm.Meter(48000)
        for pad, before in zip(self.session.kit.pads[:2], (-20.0, 11.0), strict=True):
            self.assertIn(f"{pad.name} by {abs(pad.level_db - before):.1f}", told)
            audio = self.session.renders.takes.sound(hardest(pad.sound)).audio
            padded = np.zeros((max(19201, len(audio)), 2))  # a block of the meter's at least
            padded[: len(audio)] = audio
            loud = meter.integrated_loudness(padded) + pad.level_db
            self.assertAlmostEqual(loud, ROLES[pad.role].loudness_lufs, delta=0.1, msg=pad.name)
        level_by_role(self.session, list(self.session.kit.pads[:2]))
        self.until(lambda: "already" in self.shell.notice.text())
        self.assertEqual(self.shell.notice.text(), "All 2 pads are as loud as wanted already.")
        self.assertEqual(self.session.history.undo_name, "2 pads: level as their roles'")
        # A layer at the end of its range holds the others back.
        high = edits.set_layer(self.session.kit, "pad1", "layer3", on=False, level_db=12.0)
        put(self.session, "High", high)
        self.session.settings.role_lufs = {first.role: 0.0}
        self.addCleanup(setattr, self.session.settings, "role_lufs", {})
        level_by_role(self.session, [self.session.kit.pads[0]])
        self.until(lambda: "lacks" in self.shell.notice.text())
        self.assertRegex(self.shell.notice.text(), rf"^{first.name} lacks \d.* levels end at 12.dB")


class Asked(DemoTest):
    def test_a_long_name_is_short_in_a_question_and_its_ends_stay(self) -> None:
        name = "A very long name of a pad that was copied and copied again, number 12"
        self.assertEqual(short("Keel"), "Keel")
        self.assertLessEqual(len(short(name)), 40)
        self.assertTrue(short(name).startswith("A very long name"))
        self.assertTrue(short(name).endswith("number 12"))
        asked = []
        for given, taken in (("  Keel 2 ", "Keel 2"), ("Keel", None), ("   ", None)):
            with mock.patch.object(QInputDialog, "getText", return_value=(given, True)) as ask:
                self.assertEqual(ask_other_name(self.shell, "Keel"), taken)
                asked.append(ask.call_args.args[2])
        self.assertEqual(set(asked), {"Another name for Keel:"})
        with mock.patch.object(QInputDialog, "getText", return_value=("other", False)):
            self.assertIsNone(ask_other_name(self.shell, "Keel"))
