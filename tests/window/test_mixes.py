"""Mixes side by side, driven: kept, switched by a key, and equally loud for the ear."""

import unittest

from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from puddle.kit import edits
from puddle.kit.edits.mixes import choose_mix
from puddle.kit.edits.patterns import add_pattern
from puddle.views.mix_loudness import mix_loudness
from puddle.window.pages.mix.page import MixPage
from tests.support.sounds import pattern, small_kit
from tests.support.windows import LEFT, WindowTest, put


class MixesOnTheirPage(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.session.file.new()
        kit, _ = add_pattern(small_kit(), pattern(("pad1", (0, 8)), ("pad3", (4, 12))))
        put(self.session, "a kit", kit)
        self.settle()
        self.session.player.open()
        self.shell.do("mix")
        page = self.shell.pages.page("mix")
        assert isinstance(page, MixPage)
        self.page = page
        self.row = page.mixes

    def test_kept_switched_by_a_key_and_undone(self) -> None:
        self.assertEqual(self.row.pills, [])
        QTest.mouseClick(self.row.keep, LEFT)
        self.assertEqual([p.text() for p in self.row.pills], ["Mix 1", "Mix 2"])
        self.session.edit("Softer", lambda kit: edits.set_pad(kit, "pad1", level_db=-12.0))
        QTest.mouseClick(self.row.pills[0], LEFT)
        self.assertEqual(self.session.kit.pads[0].level_db, 0.0)
        self.assertTrue(self.row.pills[0].isChecked())
        self.shell.do("next_mix")
        self.assertEqual(self.session.kit.pads[0].level_db, -12.0)
        self.session.undo()
        self.assertEqual(self.session.kit.pads[0].level_db, 0.0)
        self.assertTrue(self.row.pills[0].isChecked())

    def test_the_louder_is_turned_down_for_the_ear_only(self) -> None:
        QTest.mouseClick(self.row.keep, LEFT)
        self.session.edit("Softer", lambda kit: edits.set_master(kit, level_db=-6.0))
        self.session.settle()
        QTest.mouseClick(self.row.pills[0], LEFT)
        QTest.mouseClick(self.row.matched, LEFT)
        mixes = self.page._mixes
        self.until(lambda: mixes.gain_db < 0.0)
        self.assertAlmostEqual(mixes.gain_db, -6.0, delta=0.11)
        self.assertAlmostEqual(float(self.engine.monitor[0]["own_gain"]), 10.0**-0.3, delta=0.01)
        self.shell.do("next_mix")
        self.assertEqual(mixes.gain_db, 0.0)
        kit, takes = self.session.paced, self.session.renders.takes
        shown = self.session.pattern
        assert shown is not None
        loud = [mix_loudness(choose_mix(kit, n), shown, takes) for n in (0, 1)]
        assert loud[0] is not None and loud[1] is not None
        self.assertAlmostEqual(loud[0] - loud[1], 6.0, delta=0.05)
        QTest.mouseClick(self.row.matched, LEFT)
        self.assertEqual(float(self.engine.monitor[0]["own_gain"]), 1.0)

    def test_renamed_and_removed_by_its_menu(self) -> None:
        QTest.mouseClick(self.row.keep, LEFT)
        menu = QMenu(self.row)
        self.row.fill_menu(menu, 1)
        remove = next(a for a in menu.actions() if a.text() == "Remove")
        remove.trigger()
        self.assertEqual(self.row.pills, [])
        self.session.undo()
        self.assertEqual(len(self.row.pills), 2)


if __name__ == "__main__":
    unittest.main()
