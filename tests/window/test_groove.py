"""Groove by hand: drops added, painted, moved, copied; values drawn; patterns; recording."""

from itertools import pairwise
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu

from puddle.kit.edits import set_kit
from puddle.kit.edits.hits import Spot
from puddle.kit.model.address import Address
from puddle.kit.model.document import Play
from puddle.kit.presets.grooves import STARTS, pads_by_slot, started
from tests.support.groove_page import GrooveTest
from tests.support.sounds import small_kit
from tests.support.windows import LEFT, NONE, drag, put

SHIFT, CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


class Hits(GrooveTest):
    def test_without_pads_it_says_what_is_drawn_where(self) -> None:
        self.session.file.new()
        self.settle()
        self.shell.do("groove")
        self.settle()
        self.assertEqual(self.page.values.title.text(), "No lane")
        self.assertIn("once there is a pad", self.page.values.bars.says)

    def test_a_click_adds_and_a_click_takes_out(self) -> None:
        self.click("pad1", 4)
        self.assertEqual(self.places(), [4])
        self.assertEqual(len(self.session.kit.patterns), 1, "a first pattern is made")
        self.click("pad1", 4)
        self.assertEqual(self.places(), [])
        self.session.undo()
        self.assertEqual(self.places(), [4])

    def test_a_drag_across_paints_as_one_step(self) -> None:
        drag(self.grid, self.cell("pad2", 2), self.cell("pad2", 7))
        self.assertEqual(self.places("pad2"), [2, 3, 4, 5, 6, 7])
        self.assertEqual(self.session.pad_id, "pad2")
        self.session.undo()
        self.assertEqual(self.places("pad2"), [])

    def test_a_drag_up_is_louder_and_the_wheel_too(self) -> None:
        self.click("pad1", 4)
        at = self.cell("pad1", 4)
        drag(self.grid, at, at - QPoint(0, 15))
        self.assertEqual(self.hits()[0].velocity, 120)
        turn = QWheelEvent(
            QPointF(at), QPointF(self.grid.mapToGlobal(at)), QPoint(), QPoint(0, -240),
            Qt.MouseButton.NoButton, NONE, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(self.grid, turn)
        self.assertEqual(self.hits()[0].velocity, 112)
        self.session.undo()
        self.session.undo()
        self.assertEqual(self.hits()[0].velocity, 100)

    def test_a_drag_aside_moves_and_with_control_copies(self) -> None:
        self.click("pad1", 4)
        drag(self.grid, self.cell("pad1", 4), self.cell("pad1", 9))
        self.assertEqual(self.places(), [9])
        drag(self.grid, self.cell("pad1", 9), self.cell("pad2", 12), modifiers=CONTROL)
        self.assertEqual((self.places(), self.places("pad2")), ([9], [12]))
        self.session.undo()
        self.assertEqual((self.places(), self.places("pad2")), ([9], []))

    def test_a_rectangle_selects_and_arrows_move_it(self) -> None:
        for step in (0, 4, 8):
            self.click("pad1", step)
        self.click("pad2", 4)
        start = self.cell("pad1", 3) - QPoint(6, 11)
        drag(self.grid, start, self.cell("pad2", 9) + QPoint(6, 8), modifiers=SHIFT)
        self.assertEqual(self.grid.selected, {Spot("pad1", 4), Spot("pad1", 8), Spot("pad2", 4)})
        self.grid.setFocus()
        QTest.keyClick(self.grid, Qt.Key.Key_Right)
        self.assertEqual((self.places(), self.places("pad2")), ([0, 5, 9], [5]))
        QTest.keyClick(self.grid, Qt.Key.Key_Delete)
        self.assertEqual((self.places(), self.places("pad2")), ([0], []))

    def test_copied_and_pasted_into_another_pattern(self) -> None:
        self.click("pad1", 2)
        self.click("pad2", 3)
        self.grid.setFocus()
        QTest.keyClick(self.grid, Qt.Key.Key_A, CONTROL)
        QTest.keyClick(self.grid, Qt.Key.Key_C, CONTROL)
        self.page.patterns.add()
        self.assertEqual(self.places(), [])
        self.grid.cell = Spot("pad1", 8)
        QTest.keyClick(self.grid, Qt.Key.Key_V, CONTROL)
        self.assertEqual((self.places(), self.places("pad2")), ([8], [9]))
        QTest.keyClick(self.grid, Qt.Key.Key_D, CONTROL)
        self.assertEqual((self.places(), self.places("pad2")), ([8, 10], [9, 11]))

    def test_keys_alone(self) -> None:
        self.grid.setFocus()
        for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_Return):
            QTest.keyClick(self.grid, key)
        self.assertEqual(self.places("pad2"), [2])
        QTest.keyClick(self.grid, Qt.Key.Key_PageUp)
        self.assertEqual(self.hits("pad2")[0].velocity, 108)
        QTest.keyClick(self.grid, Qt.Key.Key_Return)
        self.assertEqual(self.places("pad2"), [])

    def test_a_hits_menu(self) -> None:
        self.click("pad1", 4)
        self.grid.menu_wanted.emit(Spot("pad1", 4), QPoint(0, 0))
        menu = self.page.menus.menu

        def choose(title: str, entry: str) -> None:
            inner = next(a.menu() for a in menu.actions() if a.text() == title)
            assert isinstance(inner, QMenu)
            next(a for a in inner.actions() if a.text() == entry).trigger()

        choose("Roll", "3")
        choose("Chance", "50\N{THIN SPACE}%")
        next(a for a in menu.actions() if a.text() == "Add a flam").trigger()
        menu.close()
        hit = self.hits()[0]
        self.assertEqual((hit.roll, hit.chance, len(hit.flams)), (3, 50.0, 1))

    def test_a_lanes_switches_and_its_place(self) -> None:
        self.click("pad1", 0)
        room = self.grid.row_rect(self.row("pad1"))
        QTest.mouseClick(self.grid, LEFT, NONE, self.grid.mute_rect(room).center().toPoint())
        lane = self.pattern().lane("pad1")
        self.assertTrue(lane is not None and lane.mute)
        self.assertTrue(self.grid.view.rows[self.row("pad1")].silent)
        first = self.grid.row_rect(0).center().toPoint()
        last = self.grid.row_rect(2).center().toPoint()
        drag(self.grid, QPoint(40, first.y()), QPoint(40, last.y()))
        self.assertEqual(self.row("pad1"), 2)

    def test_64_steps_are_paged_and_can_be_reached(self) -> None:
        self.click("pad1", 0)
        self.page.properties.pattern.fields._gauges["length"].moved.emit(64.0)
        self.session.settle()
        self.assertEqual(self.places(), [0, 16, 32, 48], "a longer pattern repeats what it had")
        wide = self.grid.view.step * self.grid.per_beat
        self.assertGreaterEqual(wide, 20.0)
        self.assertLess(self.grid.shown_beats, 16.0)
        self.grid.reveal(15.0)
        self.click("pad1", 62)
        self.assertEqual(self.places()[-1], 62)


class Values(GrooveTest):
    def setUp(self) -> None:
        super().setUp()
        drag(self.grid, self.cell("pad1", 0), self.cell("pad1", 7))
        self.bars = self.page.values.bars

    def at(self, n: int, share: float) -> QPoint:
        room = self.bars.rect_of(self.bars.bars[n])
        return QPointF(room.center().x(), room.bottom() - share * room.height()).toPoint()

    def test_drawn_across(self) -> None:
        drag(self.bars, self.at(0, 0.2), self.at(7, 0.9))
        velocities = [hit.velocity for hit in self.hits()]
        self.assertEqual(velocities, sorted(velocities))
        self.assertAlmostEqual(velocities[0], 26, delta=2)
        self.assertAlmostEqual(velocities[-1], 114, delta=2)
        self.session.undo()
        self.assertEqual({hit.velocity for hit in self.hits()}, {100})

    def test_a_ramp_with_shift(self) -> None:
        drag(self.bars, self.at(2, 0.1), self.at(5, 0.7), modifiers=SHIFT)
        velocities = [hit.velocity for hit in self.hits()]
        self.assertEqual(velocities[:2] + velocities[6:], [100] * 4)
        steps = {b - a for a, b in pairwise(velocities[2:6])}
        self.assertLessEqual(max(steps) - min(steps), 1)

    def test_an_own_value_is_rendered_and_heard_at_its_hit(self) -> None:
        layer = self.session.kit.pads[0].sound.layers[0]
        decay = Address(of="source", pad="pad1", layer=layer.id, field="decay_ms")
        self.page.values.choose(decay)
        drag(self.bars, self.at(3, 0.9), self.at(3, 0.9) + QPoint(1, 0))
        own = self.hits()[3].values
        self.assertEqual([one.address for one in own], [decay])
        self.settle()
        (varied,) = self.session.grooving.varied(self.session.heard)
        self.assertIn(varied.pad.id, self.session.renders.sets)
        self.assertTrue(self.grid.view.rows[self.row("pad1")].drops[3].own)
        self.grid.select(frozenset({Spot("pad1", 3)}))
        self.page.properties.hits._drop_own(decay, "Decay")
        self.assertEqual(self.hits()[3].values, ())

    def test_tools(self) -> None:
        drag(self.bars, self.at(0, 0.1), self.at(7, 0.8))
        before = [hit.velocity for hit in self.hits()]
        self.page.values.tool_wanted.emit("reverse")
        self.assertEqual([hit.velocity for hit in self.hits()], before[::-1])
        self.page.values.tool_wanted.emit("later")
        self.assertEqual([h.velocity for h in self.hits()], [before[0], *before[:0:-1]])
        self.page.values.tool_wanted.emit("scatter")
        self.assertNotEqual([h.velocity for h in self.hits()], [before[0], *before[:0:-1]])

    def test_lane_gauges_and_conversion(self) -> None:
        lines = self.page.properties.lane
        lines.fields._gauges["shift_ms"].moved.emit(12.0)
        self.session.settle()
        lane = self.pattern().lane("pad1")
        self.assertEqual(lane and lane.shift_ms, 12.0)
        self.assertIn("+12", self.grid.view.rows[self.row("pad1")].figures)
        lines.exact.click()
        lane = self.pattern().lane("pad1")
        self.assertTrue(lane is not None and lane.exact)
        self.assertEqual(self.places()[:3], [0.0, 0.25, 0.5])
        lines.exact.click()
        self.assertEqual(self.places()[:3], [0.0, 1.0, 2.0])


class Feels(GrooveTest):
    def test_a_lanes_feel_is_kept_and_laid_over_another(self) -> None:
        for pad in ("pad1", "pad2"):
            drag(self.grid, self.cell(pad, 0), self.cell(pad, 7))
        self.session.selection.select_pad("pad1")
        self.page.work.draw("pad1", "nudge_ms", "nudge", {float(n): 2.0 * n for n in range(8)})
        self.session.settle()
        lines = self.page.properties.lane.feel
        with mock.patch.object(QInputDialog, "getText", return_value=("Tide", True)):
            lines.keep_lane()
        self.assertEqual([f.name for f in self.session.kit.feels], ["Tide"])
        self.session.selection.select_pad("pad2")
        lines.amount.set_value(100.0)
        lines.lay_over()
        nudges = [hit.nudge_ms for hit in self.hits("pad2")]
        np.testing.assert_allclose(nudges, [2.0 * n for n in range(8)], atol=0.01)
        lines.forget()
        self.assertEqual(self.session.kit.feels, ())


class Patterns(GrooveTest):
    def test_new_duplicate_rename_remove(self) -> None:
        self.click("pad1", 3)
        self.page.patterns.duplicate()
        self.assertEqual(self.places(), [3])
        self.assertEqual([p.name for p in self.session.kit.patterns], ["A", "B"])
        with mock.patch.object(QInputDialog, "getText", return_value=("Storm", True)):
            self.page.patterns.rename(self.pattern().id)
        self.assertEqual(self.pattern().name, "Storm")
        self.page.patterns.remove()
        self.assertEqual([p.name for p in self.session.kit.patterns], ["A"])
        self.assertEqual(self.pattern().name, "A")

    def test_undo_shows_the_pattern_that_it_belongs_to(self) -> None:
        self.click("pad1", 3)
        first = self.pattern().id
        self.page.patterns.duplicate()
        second = self.pattern().id
        self.click("pad1", 9)
        self.page.patterns.choose(first)
        self.session.undo()
        self.assertEqual((self.pattern().id, self.places()), (second, [3]))

    def test_a_against_b_by_one_key(self) -> None:
        self.click("pad1", 3)
        first = self.pattern().id
        self.page.patterns.duplicate()
        second = self.pattern().id
        self.shell.do("pattern_swap")
        self.assertEqual(self.pattern().id, first)
        self.shell.do("pattern_swap")
        self.assertEqual(self.pattern().id, second)

    def test_another_pattern_plays_from_the_next_bar(self) -> None:
        self.open_card()
        self.click("pad1", 0)
        first = self.pattern().id
        self.page.patterns.duplicate()
        second = self.pattern().id
        self.page.patterns.choose(first)
        self.shell.do("play")
        self.until(lambda: self.session.player.beat > 0.2)
        self.page.patterns.choose(second)
        self.assertTrue(self.session.grooving.waits())
        heard, _ = self.session.grooving.place()
        self.assertEqual(heard and heard.id, first)
        self.assertEqual([p.start for p in self.session.grooving.groove.parts], [0.0, 4.0])
        self.session.grooving.when = "at once"
        self.page.patterns.choose(first)
        self.page.patterns.choose(second)
        heard, _ = self.session.grooving.place()
        self.assertEqual(heard and heard.id, second)
        self.shell.do("play")

    def test_patterns_answer_to_keys(self) -> None:
        self.click("pad1", 3)
        self.page.patterns.duplicate()
        put(self.session, "keys", set_kit(self.session.kit, pattern_key=96))
        self.shell.do("map")
        page = self.shell.pages.page("map")
        page.keys.key_struck.emit(96, 90.0)
        self.assertEqual(self.pattern().name, "A")
        page.keys.key_struck.emit(97, 90.0)
        self.assertEqual(self.pattern().name, "B")
        page.keys.key_struck.emit(98, 90.0)
        self.assertEqual(self.pattern().name, "B")

    def test_starting_points_land_on_the_roles(self) -> None:
        kit = small_kit()
        for start in STARTS:
            made, missing = started(kit, start)
            known = {pad.role for pad in pads_by_slot(kit).values()}
            self.assertTrue(all(role not in known for role in missing))
            self.assertTrue(made.lanes or missing)
            self.assertEqual({len(line) for line in start.lines.values()}, {made.length})
        self.assertGreaterEqual(len(STARTS), 24)
        self.assertGreaterEqual(len({start.meter for start in STARTS}), 6)
        self.page.patterns.start_from(STARTS[0])
        self.assertEqual(self.pattern().name, STARTS[0].name)
        self.assertEqual(self.places(), [0, 8, 10])

    def test_a_variation_is_heard_and_kept_as_one_step(self) -> None:
        drag(self.grid, self.cell("pad1", 0), self.cell("pad1", 15))
        before = self.session.kit
        self.page.patterns.vary(frozenset())
        varying = self.page.patterns.varying
        assert varying is not None
        self.assertTrue(self.session.playing.trying)
        self.assertIs(self.session.kit, before, "nothing is edited yet")
        varying.amount.moved.emit(80.0)
        varying.another()
        shown = [d.velocity for d in self.grid.view.rows[self.row("pad1")].drops]
        varying.accept()
        self.settle()
        self.assertFalse(self.session.playing.trying)
        self.assertEqual([h.velocity for h in self.hits()], shown)
        self.session.undo()
        self.assertEqual(self.session.kit, before)

    def test_a_fill(self) -> None:
        self.click("pad2", 2)
        self.page.patterns.fill(1.0)
        filled = [at for at in self.places("pad2") if at >= 12]
        self.assertTrue(filled)
        self.assertIn(2, self.places("pad2"))

    def test_a_play_order(self) -> None:
        self.open_card()
        self.click("pad1", 0)
        first = self.pattern().id
        self.page.patterns.duplicate()
        second = self.pattern().id
        order = (Play(pattern=first, times=2), Play(pattern=second))
        put(self.session, "order", self.session.kit.__class__(
            **{f: getattr(self.session.kit, f) for f in self.session.kit.__struct_fields__}
            | {"order": order}
        ))  # fmt: skip
        self.session.grooving.set_order(True)
        self.shell.do("play")
        self.until(lambda: self.session.player.playing)
        starts = [part.start for part in self.session.grooving.groove.parts[:4]]
        self.assertEqual(starts, [0.0, 8.0, 12.0, 20.0])
        self.session.grooving.set_order(False)
        self.assertEqual([p.start for p in self.session.grooving.groove.parts], [0.0])
        self.session.grooving.set_order(True)
        starts = [part.start for part in self.session.grooving.groove.parts[:4]]
        self.assertEqual(starts, [0.0, 8.0, 12.0, 20.0], "while it plays too, from its start")
        self.shell.do("play")
