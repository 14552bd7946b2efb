"""Work away from the window's thread: workers, their results, and what is rendered when."""

import threading
import time
import unittest

import numpy as np
from PyQt6.QtWidgets import QApplication

from puddle.kit import edits
from puddle.kit.model.document import Kit, Layer, Pad, Reach, Sound
from puddle.kit.playing.voice_levels import HEARD_LUFS, lift_db
from puddle.render.samples import NoSamples
from puddle.units import gain_from_db
from puddle.voices import Hat, Kick
from puddle.window.app import make_app
from puddle.window.session.background import Background
from puddle.window.session.looks import Looks
from puddle.window.session.renders import Renders
from tests.support.tasks import direct, request
from tests.support.windows import DEADLINE_S


class Held(unittest.TestCase):
    def test_what_is_asked_before_the_first_paint_waits_for_it(self) -> None:
        workers, got = direct(1), []
        workers.hold()
        request(workers, "a", lambda: 1, got.append)
        request(workers, "a", lambda: 2, got.append)
        request(workers, "b", lambda: 3, got.append)
        time.sleep(0.05)
        self.assertEqual(got, [])
        workers.go()
        self.assertTrue(workers.wait(5.0))
        self.assertEqual(sorted(got), [2, 3])
        workers.close()

    def test_a_closed_one_takes_nothing_more(self) -> None:
        workers, got = direct(1), []
        workers.close()
        request(workers, "a", lambda: 1, got.append)
        self.assertTrue(workers.wait(1.0))
        self.assertEqual(got, [])

    def test_one_place_can_be_waited_for(self) -> None:
        workers, gate = direct(2), threading.Event()
        request(workers, "slow", lambda: gate.wait(5.0), lambda _: None)
        request(workers, "quick", lambda: 1, lambda _: None)
        self.assertTrue(workers.wait_for("quick", 5.0))
        self.assertFalse(workers.wait_for("slow", 0.02))
        gate.set()
        self.assertTrue(workers.wait_for("slow", 5.0))
        workers.close()


class OnTheWindowsThread(unittest.TestCase):
    def setUp(self) -> None:
        self.app = make_app()
        self.background = Background()
        self.addCleanup(self.background.close)

    def until(self, done: object) -> None:
        end = time.monotonic() + DEADLINE_S
        while not done():  # type: ignore[operator]
            self.assertLess(time.monotonic(), end)
            QApplication.processEvents()
            time.sleep(0.002)

    def test_results_come_back_to_it(self) -> None:
        where: list[str] = []
        here = threading.current_thread().name
        self.background.start(
            lambda: threading.current_thread().name,
            lambda worker: where.extend((worker, threading.current_thread().name)),
            key="a",
        )
        self.until(lambda: where)
        self.assertNotEqual(where[0], here)
        self.assertEqual(where[1], here)

    def test_what_fails_is_told_in_a_sentence(self) -> None:
        told: list[str] = []
        self.background.told.connect(told.append)
        with self.assertLogs("puddle.tasks", "ERROR"):
            self.background.start(lambda: 1 // 0, lambda _: self.fail("it has no result"), key="a")
            self.until(lambda: told)
        self.assertIn("Your kit is unharmed", told[0])

    def test_spare_work_does_not_stand_before_the_others(self) -> None:
        gate, got = threading.Event(), []
        self.background.start(lambda: gate.wait(5.0), key="long", priority="low")
        self.background.start(lambda: "now", got.append, key="a")
        self.until(lambda: got)
        gate.set()


class Rendered(OnTheWindowsThread):
    """Takes by pad, with neither engine nor window."""

    def setUp(self) -> None:
        super().setUp()
        self.renders = Renders(self.background, NoSamples(), 48000.0)
        self.addCleanup(self.renders.close)
        self.came = 0
        self.renders.takes_came.connect(self._count)
        reach = (Reach(field="decay_ms", amount=50.0),)
        kick = Layer(id="layer1", name="k", source=Kick(), reaches=reach)
        hat = Layer(id="layer1", name="h", source=Hat())
        self.kit = Kit(
            name="",
            pads=(
                Pad(id="p1", name="Keel", place=0, sound=Sound(layers=(kick,))),
                Pad(id="p2", name="Drizzle", place=1, sound=Sound(layers=(hat,))),
            ),
        )

    def _count(self) -> None:
        self.came += 1

    def test_the_full_strength_first_and_the_others_when_the_hand_rests(self) -> None:
        self.renders.follow(self.kit, "p2")
        self.until(lambda: self.renders.ready(self.kit))
        self.until(lambda: len(self.renders.sets["p1"].ready) == 16)
        self.assertEqual(set(self.renders.sets["p2"].ready), {(0, 0, 0)})
        own = self.renders.takes.sound(self.kit.pads[0].sound).audio
        np.testing.assert_array_equal(self.renders.audio["p1"], own)
        self.assertGreater(self.came, 0)

    def test_what_did_not_change_is_not_asked_for_again(self) -> None:
        self.renders.follow(self.kit, "p1")
        self.until(lambda: self.renders.ready(self.kit))
        hat = self.renders.audio["p2"]
        kit = edits.set_source(self.kit, "p1", "layer1", decay_ms=90.0)
        before = self.renders.audio["p1"]
        self.renders.follow(kit, "p1")
        self.until(lambda: self.renders.audio["p1"] is not before)
        self.assertIs(self.renders.audio["p2"], hat)

    def test_a_pad_that_went_takes_its_takes_along(self) -> None:
        self.renders.follow(self.kit, "p1")
        self.until(lambda: self.renders.ready(self.kit))
        self.renders.follow(edits.remove_pad(self.kit, "p1"), "p2")
        self.assertEqual(set(self.renders.audio), {"p2"})
        self.assertEqual(set(self.renders.sets), {"p2"})

    def test_what_comes_late_for_another_rate_is_dropped(self) -> None:
        self.renders.follow(self.kit, "p1")
        self.renders.restart(96000.0)
        self.background.tasks.wait(5.0)
        QApplication.processEvents()
        self.assertEqual(self.renders.audio, {})

    def test_the_view_and_pitches_of_the_pad_that_is_shown(self) -> None:
        self.looks = looks = Looks(self.background, self.renders)  # outlives what workers do
        self.addCleanup(looks.close)
        looks.show(self.kit.pads[0])
        self.assertIsNone(looks.view, "nobody looks yet")
        looks.want_view(True)
        self.until(lambda: looks.view is not None and looks.pitches is not None)
        assert looks.view is not None and looks.pitches is not None
        self.assertIs(looks.view.sound, self.kit.pads[0].sound)
        pitch = looks.pitches.layers["layer1"]
        assert pitch.hz is not None
        self.assertAlmostEqual(1200 * np.log2(pitch.hz / Kick().end_hz), 0.0, delta=5.0)
        looks.show(None)
        self.assertIsNone(looks.view)

    def test_an_audition_is_the_source_alone(self) -> None:
        heard: list[np.ndarray] = []
        self.renders.auditioned.connect(heard.append)
        self.renders.audition(Hat())
        self.until(lambda: heard)
        sound = self.kit.pads[1].sound
        lift = np.float32(gain_from_db(lift_db(Hat(), HEARD_LUFS)))
        np.testing.assert_array_equal(heard[0], self.renders.takes.sound(sound).audio * lift)
        self.assertEqual(self.renders.audio, {})
