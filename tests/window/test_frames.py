"""The window's frames: sixty a second while something moves, and all of it in one of them."""

import time
import unittest
from unittest import mock

from PyQt6.QtCore import QObject, QRect
from PyQt6.QtGui import QImage, QPaintEvent

from puddle.window.app import make_app
from puddle.window.pages.controllers.pad_rings import PadRings
from puddle.window.session.frames import FRAME_MS, IDLE_MS, Frames
from tests.support.windows import DemoTest


class Clock(unittest.TestCase):
    def setUp(self) -> None:
        self.app = make_app()
        self.owner = QObject()
        self.frames = Frames(self.owner)
        self.passed: list[float] = []
        self.frames.passed.connect(lambda: self.passed.append(time.monotonic()))

    def let(self, count: int) -> None:
        self.passed.clear()
        end = time.monotonic() + 5.0
        while len(self.passed) < count and time.monotonic() < end:
            self.app.processEvents()
            time.sleep(0.001)
        self.assertGreaterEqual(len(self.passed), count)

    def test_as_soon_as_the_most_hurried_wants_and_slow_when_nobody_does(self) -> None:
        self.let(1)
        self.assertEqual(self.frames.interval_ms, IDLE_MS)
        wanted: list[int] = [50]
        self.frames.passed.connect(lambda: [self.frames.want(ms) for ms in wanted])
        self.let(1)
        self.assertEqual(self.frames.interval_ms, 50)
        wanted[:] = [50, FRAME_MS]
        self.let(2)
        self.assertEqual(self.frames.interval_ms, FRAME_MS)
        wanted.clear()
        self.let(1)
        self.assertEqual(self.frames.interval_ms, IDLE_MS)

    def test_what_begins_to_move_does_not_wait_for_a_slow_frame(self) -> None:
        self.let(1)
        self.frames.wake()
        self.assertEqual(self.frames.interval_ms, FRAME_MS)
        self.let(1)
        self.assertEqual(self.frames.interval_ms, IDLE_MS)


class Moving(DemoTest):
    def test_fast_while_it_plays_and_slow_again(self) -> None:
        frames = self.session.frames
        self.session.player.open()
        self.until(lambda: self.session.player.engine is not None)
        self.until(lambda: frames.interval_ms == IDLE_MS)
        self.shell.do("play")
        self.until(lambda: frames.interval_ms == FRAME_MS)
        self.shell.do("play")
        self.until(lambda: frames.interval_ms == IDLE_MS)

    def test_mix_looks_in_them_and_a_struck_pad_rings(self) -> None:
        self.session.player.open()
        self.until(lambda: self.session.player.engine is not None)
        self.shell.do("mix")
        frames = self.session.frames
        self.until(lambda: frames.interval_ms == 50)
        self.session.playing.strike("pad1", 100)
        self.until(lambda: self.shell.shore.drops[0].has_rings)
        self.until(lambda: not self.shell.shore.drops[0].has_rings)

    def test_a_ring_on_controllers_paints_its_room_and_nothing_else(self) -> None:
        self.shell.do("controllers")
        rings = self.shell.pages.page("controllers").rings
        self.settle()

        def seen() -> QImage:
            return rings.grab().toImage()

        still, painted = seen(), list[QRect]()
        room, paint = rings._ring_room(0), PadRings.paintEvent

        def noted(self: PadRings, event: QPaintEvent) -> None:
            painted.append(QRect(event.rect()))
            paint(self, event)

        self.until(lambda: self.session.frames.interval_ms == IDLE_MS)
        with mock.patch.object(PadRings, "paintEvent", noted):
            rings.ring(0)
            self.assertEqual(self.session.frames.interval_ms, FRAME_MS)
            self.until(lambda: len(painted) > 5)
            self.assertNotEqual(seen().copy(room), still.copy(room), "a ring is there")
            painted.clear()
            self.until(lambda: self.session.frames.interval_ms == IDLE_MS)
        self.assertGreater(len(painted), 2)
        self.assertTrue(all(room.contains(part) for part in painted), painted)
        self.assertEqual(seen(), still, "and is gone")


if __name__ == "__main__":
    unittest.main()
