"""Gauges of the kit moved from a controller: in their order, taught, taken over, recorded."""

import unittest

from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from puddle.home.controllers import known_maps
from puddle.kit import edits
from puddle.kit.edits import alternates
from puddle.kit.edits.own_values import opened_values
from puddle.kit.model.address import Address
from puddle.kit.model.document import Pad
from puddle.midi.ports import SIMULATED
from puddle.window.editors.assigner import Assigner
from puddle.window.pages.controllers.simulator import NOTES, Simulator
from puddle.window.session.recording import Recording
from tests.support.controllers_page import ControllersPageTest
from tests.support.windows import LEFT, NONE

CONTROL, PROGRAM, PRESSURE, WHEEL = 0xB0, 0xC0, 0xD0, 0xE0


class MovesTest(ControllersPageTest):
    """Controls, wheel, pressure, pedals and programs."""

    def value(self, n: int) -> float:
        return self.session.kit.gauges[n].value

    def test_untaught_gauges_move_the_kit_gauges_in_their_order_once_taken_over(self) -> None:
        names = [gauge.name for gauge in self.session.kit.gauges]
        before = self.value(0)
        self.assertEqual(self.send(CONTROL, 25, 20), f"{names[0]}, waits for 64")
        self.assertEqual(self.value(0), before)
        self.send(CONTROL, 25, 90)
        self.assertAlmostEqual(self.value(0), 100.0 * 90 / 127, places=0)
        self.send(CONTROL, 21, 127)
        self.send(CONTROL, 21, 32)
        self.assertAlmostEqual(self.value(1), 100.0 * 32 / 127, places=0)
        self.session.undo()
        self.assertAlmostEqual(self.value(1), 50.0)
        board = self.page.gauges.board
        wanted = ["control 25", "control 21"]
        self.until(lambda: [one.control for one in board._shown[:2]] == wanted)

    def test_one_drag_of_a_control_is_one_step(self) -> None:
        steps = self.session.history.undo_name
        for value in range(60, 90):
            self.send(CONTROL, 25, value)
        self.session.undo()
        self.assertEqual((self.value(0), self.session.history.undo_name), (50.0, steps))

    def test_any_gauge_is_taught_from_its_menu_and_it_is_in_the_file(self) -> None:
        pad = self.session.kit.pads[0]
        address = Address(of="pad", pad=pad.id, field="level_db")
        menu = QMenu()
        Assigner(self.session, self.shell).fill(menu, address)
        next(a for a in menu.actions() if a.text() == "Teach a controller").trigger()
        self.assertEqual(self.send(CONTROL, 40, 10), f"taught: {pad.name}: level")
        self.send(CONTROL, 40, 127)
        self.send(CONTROL, 40, 0)
        self.assertEqual(self.session.kit.pads[0].level_db, -60.0)
        self.until(lambda: any(m.gauges for m in known_maps().values()))
        self.session.edit("gone", lambda kit: edits.remove_pad(kit, pad.id))
        self.assertEqual(self.send(CONTROL, 40, 64), "moves nothing in this kit")

    def test_a_gauge_of_the_board_is_taught_by_a_click_and_forgets_again(self) -> None:
        board = self.page.gauges.board
        QTest.mouseClick(board, LEFT, NONE, board.cell(2).center().toPoint())
        name = self.session.kit.gauges[2].name
        self.assertEqual(self.send(CONTROL, 77, 3), f"taught: {name}")
        gauged = self.controlling.maps.of(SIMULATED).gauges[0]
        self.assertEqual((gauged.number, gauged.gauge), (77, 2))
        self.page.gauges._forget(gauged)
        self.assertEqual(self.controlling.maps.of(SIMULATED).gauges, ())

    def test_the_wheel_and_pressure_can_be_taught_too(self) -> None:
        for status, data, name in ((WHEEL, (0, 100), "pitch wheel"), (PRESSURE, (90,), "pressure")):
            self.controlling.ask_control(self.session.kit.gauges[1].id)
            self.assertIn("taught", self.send(status, *data))
            shown = self.controlling.moves.shown(SIMULATED)
            self.assertIn(name, [one.control for one in shown])
            self.page.gauges._forget(self.controlling.maps.of(SIMULATED).gauges[0])

    def test_an_encoder_is_told_from_its_steps(self) -> None:
        for _ in range(3):
            self.send(CONTROL, 30, 65)
        before = self.value(0)
        for _ in range(5):
            self.send(CONTROL, 30, 65)
        self.assertAlmostEqual(self.value(0) - before, 500.0 / 127, places=3)
        self.send(CONTROL, 30, 62)
        self.assertAlmostEqual(self.value(0) - before, 300.0 / 127, places=3)

    def test_many_moves_at_once_are_one_edit_and_steps_are_added_up(self) -> None:
        self.controlling.ask_control(self.session.kit.gauges[0].id)
        self.send(CONTROL, 30, 65)
        self.controlling.moves.set_sends(
            SIMULATED, self.controlling.maps.of(SIMULATED).gauges[0], "steps around 64"
        )
        before, edits_made = self.value(0), []
        self.session.kit_changed.connect(lambda: edits_made.append(1))
        for _ in range(20):
            self.controlling.play_simulated(bytes([CONTROL, 30, 65]))
        self.until(lambda: abs(self.value(0) - before - 2000.0 / 127) < 1e-6)
        self.assertLessEqual(len(edits_made), 20)

    def test_programs_choose_patterns_or_alternates(self) -> None:
        self.assertEqual(self.send(PROGRAM, 1), "chooses nothing")
        self.page._set("programs", "patterns")
        self.assertEqual(self.send(PROGRAM, 2), f"pattern {self.session.kit.patterns[2].name}")
        self.assertIs(self.session.pattern, self.session.kit.patterns[2])
        self.page._set("programs", "alternates")
        self.hold_hat()
        self.assertIn("Drizzle: ", self.send(PROGRAM, 0))
        self.assertEqual(self.hat().alternate, 0)

    def hat(self) -> Pad:
        return next(p for p in self.session.kit.pads if p.name == "Drizzle")

    def hold_hat(self) -> None:
        """Drizzle closed, with Downpour as its open alternate, by the pedal."""
        closed = self.hat()
        wide = next(p for p in self.session.kit.pads if p.name == "Downpour")
        self.session.selection.select_pad(closed.id)
        self.session.edit(
            "open", lambda kit: alternates.add_alternate(kit, closed.id, "Open", wide.sound)
        )
        self.session.edit("pedal", lambda kit: edits.set_pad(kit, closed.id, pedal="by alternates"))
        self.settle()

    def test_the_hat_pedal_opens_the_hat_and_is_recorded(self) -> None:
        self.hold_hat()
        zones = opened_values(self.hat())
        self.assertEqual(len(zones), 2)
        recording, place = self.shell.context.of(Recording), NOTES.index(42)
        # The process that reads controllers learns of the pad first, of its pedal a moment later.
        self.until(lambda: self.hit(place) == "Drizzle" and bool(recording._played[-1][0].values))
        recording._played.clear()
        self.hit(place)
        self.assertEqual(recording._played[-1][0].values, zones[1])
        self.assertEqual(self.send(CONTROL, 4, 127), "Drizzle, by foot")
        self.assertEqual(recording._played[-1][0].values, zones[0])
        self.hit(place)
        self.assertEqual(recording._played[-1][0].values, zones[0])
        recording.keep()
        pattern = self.session.pattern
        assert pattern is not None
        (lane,) = pattern.lanes
        self.assertEqual([hit.values for hit in lane.hits][-2:], [zones[0], zones[0]])
        self.assertEqual(lane.hits[0].values, zones[1])

    def test_a_kit_names_the_map_it_likes_and_a_key_takes_the_next(self) -> None:
        QTest.mouseClick(self.page.ports.liked, LEFT)
        self.assertEqual(self.session.kit.controller_map, "As the kit says")
        self.session.edit(
            "likes", lambda kit: edits.set_kit(kit, controller_map="Percussion names")
        )
        self.assertEqual(self.controlling.maps.of(SIMULATED).name, "Percussion names")
        self.hit(0)
        self.shell.do("next_map")
        self.assertEqual(self.controlling.maps.of(SIMULATED).name, "Rising from C2")
        self.controlling.maps.choose(SIMULATED, "")
        self.assertEqual(self.controlling.maps.of(SIMULATED).name, "Percussion names")
        for name in ("Rising from C2", "Percussion names", "As the kit says"):
            self.session.undo()
            self.assertEqual(self.controlling.maps.of(SIMULATED).name, name)

    def test_layouts_and_the_shore_takes_them(self) -> None:
        rings = self.page.rings
        square = rings.center(5)
        for layout, rows in (("2 by 8", 2), ("keys", 1), ("loose", 1), ("4 by 4", 4)):
            self.page.layout_box.textActivated.emit(layout)
            rooms = [rings.cell(n) for n in range(16)]
            self.assertTrue(all(r.width() > 8.0 for r in rooms), layout)
            inside = [rings.rect().toRectF().adjusted(-1, -1, 1, 1).contains(r) for r in rooms]
            self.assertTrue(all(inside), layout)
            self.shell.do("lay_shore")
            self.assertEqual(self.shell.shore.rows, rows)
        self.assertEqual(rings.center(5), square)

    def test_the_light_on_the_shore_flashes_and_opens_the_page(self) -> None:
        light = self.shell.shore.controllers
        self.shell.do("map")
        self.until(lambda: not light.lit)
        lit: list[bool] = []  # as it comes: it is dark again after a moment
        self.controlling.came.connect(lambda *_: lit.append(light.lit))
        self.hit(3)
        self.assertTrue(lit and all(lit))
        self.until(lambda: not light.lit)
        QTest.mouseClick(light, LEFT)
        self.assertEqual(self.shell.pages.current, "controllers")

    def test_gauges_and_keys_of_the_simulated_controller_send(self) -> None:
        (simulator,) = self.shell.findChildren(Simulator)
        simulator.gauges[0].moved.emit(64.0)
        self.until(lambda: bool(self.did))
        self.assertTrue(self.did[-1].startswith(self.session.kit.gauges[0].name))
        keys = simulator.keys
        count = len(self.did)
        QTest.mousePress(keys, LEFT, NONE, keys.key_room(24).center().toPoint())
        QTest.mouseRelease(keys, LEFT)
        self.until(lambda: len(self.did) > count)
        simulator.sustain.setChecked(True)
        self.until(lambda: self.did[-1] == "sustain")


if __name__ == "__main__":
    unittest.main()
