"""Several pads at once: selected with Ctrl and Shift, and edited together."""

import unittest

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox

from puddle.kit import edits
from puddle.kit.edits import several
from puddle.kit.model.document import Kit, Sound
from puddle.kit.model.roles import ROLES
from puddle.units import with_unit
from puddle.window.editors.pad_lines import PadLines
from puddle.window.session.measuring import full_loudness
from tests.support.engines import all_struck
from tests.support.windows import LEFT, NONE, DemoTest, put

CONTROL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
TOMS = ("pad6", "pad7", "pad8")


def levels(kit: Kit) -> list[float]:
    return [pad.level_db for pad in kit.pads]


class Edits(unittest.TestCase):
    def setUp(self) -> None:
        self.kit = Kit(name="")
        for n in range(3):
            self.kit, pad = edits.add_pad(self.kit, f"{n}", "tom", Sound())
            self.kit = edits.set_pad(self.kit, pad.id, level_db=-3.0 * n, pan=10.0 * n)

    def test_levels_keep_their_balance_and_the_rest_is_alike(self) -> None:
        ids = [pad.id for pad in self.kit.pads]
        made = several.set_pads(self.kit, ids, level_db=-10.0, pan=-40.0, choke_group=3)
        self.assertEqual([p.level_db for p in made.pads], [-10.0, -13.0, -16.0])
        self.assertEqual({p.pan for p in made.pads}, {-40.0})
        self.assertEqual({p.choke_group for p in made.pads}, {3})

    def test_a_pad_that_has_gone_is_passed_over(self) -> None:
        made = several.set_pads(self.kit, ["pad1", "gone", "pad3"], choke_group=2)
        self.assertEqual([p.choke_group for p in made.pads], [2, 0, 2])


class Selecting(DemoTest):
    def click(self, place: int, keys: Qt.KeyboardModifier = NONE) -> None:
        drop = self.shell.shore.drops[place]
        QTest.mouseClick(drop, LEFT, keys, drop.center().toPoint())
        QApplication.processEvents()

    def test_with_control_and_shift(self) -> None:
        self.click(5)
        self.click(7, SHIFT)
        self.assertEqual(self.session.selection.pads, TOMS)
        self.click(9, CONTROL)
        self.assertEqual(self.session.selection.pads, (*TOMS, "pad10"))
        self.click(6, CONTROL)
        self.assertEqual(self.session.selection.pads, ("pad6", "pad8", "pad10"))
        said = self.shell.shore.drops[7].accessibleDescription()
        self.assertIn("selected too", said)
        self.click(5, CONTROL)  # the one that is shown: the next is shown instead
        self.assertEqual(self.session.selection.pads, ("pad8", "pad10"))
        self.click(0)
        self.assertEqual(self.session.selection.pads, ("pad1",))
        self.assertNotIn("selected", self.shell.shore.drops[7].accessibleDescription())

    def test_each_is_brought_to_its_own_roles_level(self) -> None:
        before = levels(self.session.kit)
        self.click(5)
        self.click(7, SHIFT)
        self.click(0, CONTROL)
        page = self.shell.pages.page("shape")
        page.properties.choose_tab("Pad")
        self.settle()
        page.properties.findChild(PadLines).raise_button.click()
        self.settle()
        kit, takes = self.session.kit, self.session.renders.takes
        for key in (*TOMS, "pad1"):
            pad = edits.pad_of(kit, key)
            loud = full_loudness(takes, pad.sound)
            assert loud is not None
            wanted = ROLES[pad.role].loudness_lufs
            self.assertAlmostEqual(loud + pad.level_db, wanted, delta=0.01)
        self.assertEqual(self.session.history.undo_name, "4 pads: level as their roles'")
        self.shell.do("undo")
        self.assertEqual(levels(self.session.kit), before)

    def test_the_peak_that_is_shown_knows_level_and_pan(self) -> None:
        view = self.session.looks.view
        assert view is not None
        lanes, kit = self.shell.pages.page("shape").lanes, self.session.kit
        self.assertEqual(lanes.peak.text(), f"peak {with_unit(view.peak_db, 'dBFS', 1)}")
        put(self.session, "pan", edits.set_pad(kit, "pad1", level_db=-6.0, pan=-100.0))
        left = with_unit(view.side_peaks_db[0] - 6.0, "dBFS", 1)
        self.assertEqual(lanes.peak.text().split(", ")[1], f"out {left}")
        put(self.session, "loud", edits.set_pad(kit, "pad1", level_db=12.0))
        self.assertIn("over", lanes.peak.text())
        self.assertIn("clipped", lanes.peak.toolTip())

    def test_choosing_strikes_nothing(self) -> None:
        self.session.player.open()
        self.until(lambda: self.engine.clock > 4800)
        before = all_struck(self.engine)
        self.click(3, CONTROL)
        self.click(6, SHIFT)
        QTest.qWait(50)
        self.assertEqual(all_struck(self.engine), before)

    def test_level_bus_choke_and_response_of_three_toms(self) -> None:
        """On Shape and on Map; each one step, named for all of them, and undone as one."""
        self.click(5)
        self.click(7, SHIFT)
        levels = [edits.pad_of(self.session.kit, k).level_db for k in TOMS]
        self.page.properties.choose_tab("Pad")
        gauge = self.page.properties.gauge("level_db")
        assert gauge is not None
        for value in (levels[0] - 1.0, levels[0] - 4.0):  # a drag
            gauge.moved.emit(value)
        gauge.settled.emit()
        now = [edits.pad_of(self.session.kit, k).level_db for k in TOMS]
        for old, new in zip(levels, now, strict=True):
            self.assertAlmostEqual(new, old - 4.0, places=9)
        self.assertIn("Barrel lo and 2 more: level", self.session.history.undo_name or "")
        self.shell.do("undo")
        self.assertEqual([edits.pad_of(self.session.kit, k).level_db for k in TOMS], levels)
        self.click(5)
        self.click(7, SHIFT)
        box = next(
            b for b in self.page.properties.findChildren(QComboBox) if b.accessibleName() == "Role"
        )
        box.textActivated.emit("percussion")
        self.assertEqual({edits.pad_of(self.session.kit, k).role for k in TOMS}, {"percussion"})
        self.shell.do("map")
        panel = self.shell.pages.page("map").pad
        panel.choose_tab("Trigger")
        group = panel.gauge("choke_group")
        assert group is not None
        group.moved.emit(9.0)
        group.settled.emit()
        self.assertEqual({edits.pad_of(self.session.kit, k).choke_group for k in TOMS}, {9})
        panel.choose_tab("Velocity")
        assert panel.presets is not None
        name = panel.presets.itemText(1)
        panel.presets.textActivated.emit(name)
        responses = {edits.pad_of(self.session.kit, k).response for k in TOMS}
        self.assertEqual(len(responses), 1)
        self.assertNotEqual(responses, {()})
        darker = panel.gauge("darker")
        assert darker is not None
        darker.moved.emit(40.0)
        darker.settled.emit()
        self.assertEqual({edits.pad_of(self.session.kit, k).sound.darker for k in TOMS}, {40.0})
        self.assertEqual(edits.pad_of(self.session.kit, "pad9").sound.darker, 0.0)
