"""Repeat: on exact frames, by tempo or interval, at one strength or from soft to hard."""

import unittest

import numpy as np
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from puddle.engine.engine import Engine
from puddle.window.app import make_app
from puddle.window.session.repeater import Plan, Repeater
from tests.support.engines import RATE, kit_of, take_of
from tests.support.windows import LEFT, WindowTest, put


class OnFrames(unittest.TestCase):
    def setUp(self) -> None:
        make_app()
        self.engine = Engine(RATE)
        self.engine.set_kit(kit_of({}), {"p0": take_of(1.0, 1)}, None)
        self.repeater = Repeater(lambda: self.engine, lambda: 0)
        self.addCleanup(self.repeater.set_on, False)

    def heard(self, blocks: int) -> tuple[list[int], list[float]]:
        """Where it was struck, and how loud, in blocks of 10 ms with the timer's turn between."""
        out = np.zeros((480 * blocks, 2), np.float32)
        for n in range(blocks):
            self.repeater._timer.timeout.emit()
            part = np.zeros((480, 2), np.float32)
            self.engine.advance(part)
            out[480 * n : 480 * (n + 1)] = part
        found = np.flatnonzero(out[:, 0])
        return found.tolist(), out[found, 0].tolist()

    def test_by_tempo_and_by_interval(self) -> None:
        for plan, bpm, apart in (
            (Plan(beats=1.0), 120.0, 24000),
            (Plan(beats=0.5), 90.0, 16000),
            (Plan(beats=0.0, ms=250.0), 120.0, 12000),
        ):
            self.setUp()
            self.repeater.plan, self.repeater.bpm = plan, bpm
            self.repeater.set_on(True)
            frames, _ = self.heard(200)
            self.assertGreater(len(frames), 3)
            self.assertEqual(set(np.diff(frames).tolist()), {apart}, plan)

    def test_at_one_strength_or_from_soft_to_hard(self) -> None:
        self.repeater.plan = Plan(beats=0.0, ms=100.0)
        self.repeater.strength = 127.0
        self.repeater.set_on(True)
        self.assertEqual({round(level, 4) for level in self.heard(80)[1]}, {1.0})
        self.repeater.plan = Plan(beats=0.0, ms=100.0, cycling=True)
        self.repeater.set_on(False)
        self.repeater.set_on(True)
        levels = self.heard(130)[1][-9:]
        falls = np.flatnonzero(np.diff(levels) < 0.0)
        self.assertTrue(1 <= falls.size <= 2, levels)
        self.assertAlmostEqual(levels[falls[0]], 1.0, delta=1e-4)
        self.assertAlmostEqual(levels[falls[0] + 1], (20 / 127) ** 2, delta=1e-4)

    def test_a_shorter_interval_is_heard_at_once(self) -> None:
        self.repeater.plan = Plan(beats=0.0, ms=2000.0)
        self.repeater.set_on(True)
        self.heard(20)
        self.repeater.plan = Plan(beats=0.0, ms=50.0)
        self.assertGreater(len(self.heard(40)[0]), 3)


class InTheWindow(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()

    def test_the_menu_beside_the_button_says_how(self) -> None:
        shore, repeater = self.shell.shore, self.session.player.repeater
        menu = shore.transport.repeat_menu
        menu.aboutToShow.emit()
        offered = {action.text(): action for action in menu.actions()}
        self.assertTrue(offered["Every beat"].isChecked())
        offered["Every 250\u2009ms"].trigger()
        offered["From soft to hard"].trigger()
        self.assertEqual(repeater.plan, Plan(beats=0.0, ms=250.0, cycling=True))
        self.assertEqual(self.session.settings.repeat_ms, 250.0)
        self.assertIn("Every 250\u2009ms, from soft to hard", shore.transport.repeat.toolTip())
        menu.choose(ms=333.0)
        menu.aboutToShow.emit()
        checked = [a.text() for a in menu.actions() if a.isChecked()]
        self.assertEqual(checked, ["From soft to hard"])

    def test_every_edit_is_in_the_next_strike(self) -> None:
        """While it repeats, a change of the pad is heard without another click."""
        buttons = {b.accessibleName(): b for b in self.shell.findChildren(QPushButton)}
        self.shell.shore.transport.repeat_menu.choose(beats=0.0, ms=100.0)
        self.session.player.open()
        self.until(lambda: self.engine.clock > 4800)
        QTest.mouseClick(buttons["Repeat the selected pad"], LEFT)
        self.until(lambda: self.session.player.strikes()[0][0] >= 3)
        first = self.session.renders.audio["pad1"]
        strength = self.session.player.strikes()[1][0]
        self.assertEqual(strength, self.shell.shore.velocity)
        from puddle.kit import edits

        kit = self.session.kit
        put(self.session, "x", edits.set_layer(kit, "pad1", "layer1", level_db=-20.0))
        self.until(lambda: self.session.renders.audio["pad1"] is not first)
        count = self.session.player.strikes()[0][0]
        self.until(lambda: self.session.player.strikes()[0][0] > count)
        QTest.mouseClick(buttons["Repeat the selected pad"], LEFT)
        self.assertFalse(self.session.player.repeater.on)
