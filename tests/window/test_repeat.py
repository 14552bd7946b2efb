"""Repeat: on exact frames, by tempo or interval, at one strength or from soft to hard."""

import unittest

import numpy as np
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from puddle.engine.engine import Engine
from puddle.parameter import changed
from puddle.window.app import make_app
from puddle.window.session.repeater import Plan, Repeater
from tests.support.engines import RATE, hardness, kit_of, played, struck, take_of
from tests.support.sounds import pattern
from tests.support.windows import LEFT, WindowTest, put


class OnFrames(unittest.TestCase):
    def setUp(self) -> None:
        make_app()
        self.engine = Engine(RATE)
        self.kit = kit_of({}, {}, tempo_bpm=104.0)
        takes = {"p0": take_of(1.0, 1), "p1": take_of(0.5, 1)}
        self.engine.set_kit(self.kit, takes, pattern(("p1", (0,))))
        self.repeater = Repeater(lambda: self.engine, lambda: "p0")
        self.strokes: list[tuple[str, float, float | None, int]] = []
        self.repeater.struck.connect(lambda *one: self.strokes.append(one))

    def heard(self, frames: int, block: int = 480) -> tuple[list[int], list[float]]:
        """Where the repeated pad sounds, and how loud; the window looks now and then."""
        out = np.concatenate(
            [
                (played(self.engine, block, 96), self.repeater.look())[0]
                for _ in range(frames // block)
            ]
        )[:, 0]
        found = np.flatnonzero((out != 0.0) & (out != 0.5))
        return found.tolist(), out[found].tolist()

    def test_by_tempo_and_by_interval(self) -> None:
        for plan, bpm, apart in (
            (Plan(beats=1.0), 120.0, 24000),
            (Plan(beats=0.5), 90.0, 16000),
            (Plan(beats=1.0 / 12.0), 120.0, 2000),
            (Plan(beats=0.0, ms=250.0), 120.0, 12000),
        ):
            self.setUp()
            kit = changed(self.kit, tempo_bpm=bpm)
            self.engine.set_kit(kit, {"p0": take_of(1.0, 1)}, None)
            self.repeater.strength = 120.0
            self.repeater.plan = plan
            self.repeater.set_on(True)
            frames, _ = self.heard(96000)
            self.assertEqual(frames[0], 0, "at once")
            self.assertEqual(set(np.diff(frames).tolist()), {apart}, plan)

    def test_over_an_hour_it_does_not_drift(self) -> None:
        """The count of strokes after a minute is that of the tempo, which is no whole frame."""
        self.engine.set_kit(self.kit, {"p0": take_of(1.0, 1)}, None)
        self.repeater.strength, self.repeater.plan = 120.0, Plan(beats=1.0 / 6.0)
        self.repeater.set_on(True)
        frames, _ = self.heard(60 * 48000)
        exact = 48000.0 * 60.0 / 104.0 / 6.0 * np.arange(len(frames))
        self.assertLessEqual(float(np.abs(np.array(frames) - exact).max()), 0.5 + 1e-6)

    def test_on_the_groove_s_own_grid_while_it_plays(self) -> None:
        """Begun anywhere, it falls on the frames of the groove's steps, and tells their beats."""
        for beats in (0.5, 1.0 / 3.0, 0.25, 1.0 / 6.0, 0.125, 1.0 / 12.0):
            self.setUp()
            self.engine.play()
            played(self.engine, 7777 // 32 * 32)
            self.repeater.strength, self.repeater.plan = 120.0, Plan(beats=beats)
            self.repeater.set_on(True)
            first = self.engine.clock
            frames, _ = self.heard(96000)
            number = np.ceil((first - 0.5) * 104.0 / 60.0 / RATE / beats)
            grid = beats * np.arange(number, number + len(frames))
            exact = np.floor(grid * 60.0 * RATE / 104.0 + 0.5)
            np.testing.assert_array_equal(np.array(frames) + first, exact)
            self.assertEqual([one[3] for one in self.strokes], exact.astype(int).tolist())
            told = [one[2] for one in self.strokes]
            half_a_frame = 0.5 * 104.0 / 60.0 / RATE
            np.testing.assert_allclose(told, grid, atol=half_a_frame * 1.001)

    def test_a_held_pad_is_repeated_until_it_is_let_go(self) -> None:
        self.repeater.plan = Plan(beats=0.0, ms=100.0, held=True)
        self.repeater.set_on(True)
        self.assertEqual(self.heard(48000)[0], [])
        self.repeater.hold("p0", 90.0)
        frames, levels = self.heard(48000)
        self.assertEqual(set(np.diff(frames).tolist()), {4800})
        self.assertEqual(frames[0], 4800, "the hand's own stroke is the first")
        self.assertAlmostEqual(levels[0], (90 / 127) ** 2, places=6)
        self.repeater.let_go("p0")
        self.assertEqual(self.heard(48000)[0], [])

    def test_a_pad_that_has_gone_is_not_repeated_and_comes_back(self) -> None:
        takes = {"p0": take_of(1.0, 1), "p1": take_of(0.5, 1)}
        self.repeater.strength, self.repeater.plan = 120.0, Plan(beats=0.0, ms=100.0)
        self.repeater.set_on(True)
        self.assertTrue(self.heard(9600)[0])
        self.engine.set_kit(changed(self.kit, pads=self.kit.pads[1:]), takes, None)
        self.assertFalse(played(self.engine, 48000).any(), "never a neighbor")
        self.engine.set_kit(self.kit, takes, None)
        self.assertTrue(self.heard(9600)[0])

    def test_at_one_strength_or_from_soft_to_hard(self) -> None:
        self.repeater.plan = Plan(beats=0.0, ms=100.0)
        self.repeater.strength = 127.0
        self.repeater.set_on(True)
        self.assertEqual({round(level, 4) for level in self.heard(38400)[1]}, {1.0})
        self.repeater.set_on(False)
        self.repeater.plan = Plan(beats=0.0, ms=100.0, cycling=True)
        self.repeater.set_on(True)
        levels = self.heard(62400)[1][:7]
        wanted = [(v / 127) ** 2 for v in (20, 40, 60, 80, 100, 127, 20)]
        np.testing.assert_allclose(levels, wanted, atol=1e-6)

    def test_a_shorter_interval_is_heard_at_once(self) -> None:
        self.repeater.strength = 120.0
        self.repeater.plan = Plan(beats=0.0, ms=2000.0)
        self.repeater.set_on(True)
        self.heard(9600)
        self.repeater.plan = Plan(beats=0.0, ms=50.0)
        self.assertGreater(len(self.heard(19200)[0]), 7)


class InTheWindow(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.demo()

    def test_the_menu_beside_the_button_says_how(self) -> None:
        shore, repeater = self.shell.shore, self.session.player.repeater
        menu = shore.transport.repeat_menu
        menu.aboutToShow.emit()
        offered = {action.text(): action for action in menu.actions()}
        self.assertTrue(offered["1/4"].isChecked())
        offered["Every 250\u2009ms"].trigger()
        offered["From soft to hard"].trigger()
        self.assertEqual(repeater.plan, Plan(beats=0.0, ms=250.0, cycling=True))
        self.assertEqual(self.session.settings.repeat_ms, 250.0)
        self.assertIn("Every 250\u2009ms, from soft to hard", shore.transport.repeat.toolTip())
        menu.choose(ms=333.0)
        menu.aboutToShow.emit()
        checked = [a.text() for a in menu.actions() if a.isChecked()]
        self.assertEqual(checked, ["From soft to hard", "The selected pad"])

    def test_every_edit_is_in_the_next_strike(self) -> None:
        """While it repeats, a change of the pad is heard without another click."""
        buttons = {b.accessibleName(): b for b in self.shell.findChildren(QPushButton)}
        self.shell.shore.transport.repeat_menu.choose(beats=0.0, ms=100.0)
        self.session.player.open()
        self.until(lambda: self.engine.clock > 4800)
        QTest.mouseClick(buttons["Repeat the selected pad"], LEFT)
        self.until(lambda: struck(self.engine, "pad1") >= 3)
        first = self.session.renders.audio["pad1"]
        strength = hardness(self.engine, "pad1")
        self.assertEqual(strength, self.shell.shore.velocity)
        from puddle.kit import edits

        kit = self.session.kit
        put(self.session, "x", edits.set_layer(kit, "pad1", "layer1", level_db=-20.0))
        self.until(lambda: self.session.renders.audio["pad1"] is not first)
        count = struck(self.engine, "pad1")
        self.until(lambda: struck(self.engine, "pad1") > count)
        QTest.mouseClick(buttons["Repeat the selected pad"], LEFT)
        self.assertFalse(self.session.player.repeater.on)
