"""What happens between two tasks: a result on its way, a key that runs, a reader that leaves."""

from __future__ import annotations

import threading
import time
import unittest
from collections.abc import Callable
from typing import Any
from unittest import mock

import numpy as np

from puddle.engine.devices import PortAudioDevice
from puddle.errors import DeviceError, FileError
from puddle.midi.ports import Opened, Receive
from puddle.midi.reader import Reader
from puddle.render.cache import RenderCache
from puddle.render.takeset import TakeSet
from puddle.tasks import (
    Cancelled,
    Task,
    Tasks,
    cancellable,
    check_cancelled,
    in_parallel,
    post,
    report,
)
from tests.support.tasks import direct
from tests.support.waiting import until
from tests.support.windows import WindowTest


class Steps:
    """A receiving thread that a test runs step by step."""

    def __init__(self) -> None:
        self.waiting: list[Callable[[], None]] = []
        self.failed: list[Exception] = []
        self.tasks = Tasks(self.waiting.append, lambda task, error: self.failed.append(error), 2)

    def run(self) -> None:
        """Hands over what waits."""
        while self.waiting:
            self.waiting.pop(0)()


class HandedOver(unittest.TestCase):
    def setUp(self) -> None:
        self.steps = Steps()
        self.tasks = self.steps.tasks
        self.addCleanup(self.tasks.close, 5.0)
        self.got: list[Any] = []

    def start(self, work: Callable[[], Any], **how: Any) -> Task[Any]:
        return self.tasks.start(Task(work, self.got.append, **how))

    def test_a_result_on_its_way_is_dropped_when_a_newer_task_was_started(self) -> None:
        older = self.start(lambda: "old", key="a")
        self.assertTrue(older.wait(5.0))
        until(lambda: bool(self.steps.waiting), 5.0)  # its result has left
        self.start(lambda: "new", key="a")
        self.tasks.wait(5.0)
        self.steps.run()
        self.assertEqual(self.got, ["new"])

    def test_a_failure_on_its_way_is_dropped_too(self) -> None:
        def fails() -> None:
            raise FileError("old")

        self.start(fails, key="a").wait(5.0)
        until(lambda: bool(self.steps.waiting), 5.0)
        self.start(lambda: "new", key="a")
        self.tasks.wait(5.0)
        self.steps.run()
        self.assertEqual((self.got, self.steps.failed), (["new"], []))

    def test_a_part_on_its_way_is_dropped_too(self) -> None:
        self.start(lambda: post(self.got.append, "part"), key="a").wait(5.0)
        until(lambda: bool(self.steps.waiting), 5.0)
        self.start(lambda: "new", key="a")
        self.tasks.wait(5.0)
        self.steps.run()
        self.assertEqual(self.got, ["new"])

    def test_two_of_one_key_never_run_at_once(self) -> None:
        inside, most, lock = 0, 0, threading.Lock()

        def work() -> None:
            nonlocal inside, most
            with lock:
                inside += 1
                most = max(most, inside)
            time.sleep(0.002)
            with lock:
                inside -= 1

        for n in range(60):
            self.start(work, key="a", priority=("now", "low", "long")[n % 3])
            time.sleep(0.0005)
        self.tasks.wait(10.0)
        self.steps.run()
        self.assertEqual((most, len(self.got)), (1, 1))

    def test_the_older_one_ends_at_its_next_check(self) -> None:
        began, ended = threading.Event(), []

        def long() -> None:
            began.set()
            try:
                while True:
                    check_cancelled()
                    time.sleep(0.001)
            finally:
                ended.append(True)

        self.start(long, key="a", ended=lambda: ended.append("told"))
        self.assertTrue(began.wait(5.0))
        self.start(lambda: "new", key="a")
        self.assertTrue(self.tasks.wait(5.0))
        self.steps.run()
        self.assertEqual((self.got, ended), (["new"], [True, "told"]))

    def test_a_key_whose_task_waits_is_replaced_and_every_end_is_told(self) -> None:
        ended: list[int] = []
        self.tasks.hold()
        for n in range(5):
            self.start(lambda n=n: n, key="a", ended=lambda n=n: ended.append(n))
        self.tasks.go()
        self.tasks.wait(5.0)
        self.steps.run()
        self.assertEqual((self.got, sorted(ended)), ([4], [0, 1, 2, 3, 4]))

    def test_what_was_borrowed_is_given_back_once_however_a_task_ends(self) -> None:
        """Done, failed, cancelled, replaced while it waited, closed before and after it began."""
        back, gate, began = list[str](), threading.Event(), threading.Event()

        def fails() -> None:
            raise FileError("x")

        def runs() -> None:
            began.set()
            gate.wait(5.0)

        self.start(lambda: 1, release=lambda: back.append("done"))
        self.start(fails, release=lambda: back.append("failed"))
        self.tasks.wait(5.0)
        self.tasks.hold()
        self.start(lambda: 1, key="a", release=lambda: back.append("replaced"))
        self.start(lambda: 1, key="a", release=lambda: back.append("waited"))
        self.start(runs, priority="long", release=lambda: back.append("ran"))
        self.assertTrue(began.wait(5.0))
        self.tasks.close(0.0)
        self.assertEqual(sorted(back), ["done", "failed", "replaced", "waited"])
        self.start(lambda: 1, release=lambda: back.append("closed"))
        gate.set()
        until(lambda: "ran" in back, 5.0)
        self.assertEqual(sorted(back), ["closed", "done", "failed", "ran", "replaced", "waited"])

    def test_progress_is_shown_at_once_and_then_once_more_with_the_newest(self) -> None:
        shown: list[float] = []

        def work() -> None:
            for share in (0.1, 0.2, 0.3, 0.9):
                report(share)

        self.start(work, progress=shown.append)
        self.tasks.wait(5.0)
        self.steps.run()
        self.assertEqual(shown, [0.9])

    def test_what_fails_is_told_as_the_sentence_that_it_is(self) -> None:
        def fails() -> None:
            raise FileError("x.wav is no sound file.")

        self.start(fails)
        self.tasks.wait(5.0)
        self.steps.run()
        self.assertEqual([str(error) for error in self.steps.failed], ["x.wav is no sound file."])

    def test_parts_in_parallel_end_with_their_task(self) -> None:
        begun: list[int] = []

        def part(n: int) -> None:
            begun.append(n)
            while True:
                check_cancelled()
                time.sleep(0.001)

        task = self.start(lambda: list(in_parallel(part, range(50), 2, "puddle-part")))
        until(lambda: bool(begun), 5.0)
        task.cancel()
        self.assertTrue(task.wait(5.0))
        self.assertLessEqual(len(begun), 3)


class Caches(unittest.TestCase):
    def test_who_waits_for_another_s_render_can_leave(self) -> None:
        cache: RenderCache[int] = RenderCache(100, lambda _: 1)
        gate, wanted = threading.Event(), threading.Event()
        wanted.set()
        maker = threading.Thread(target=lambda: cache.get("a", lambda: int(gate.wait(20.0))))
        maker.start()
        self.addCleanup(maker.join)
        self.addCleanup(gate.set)
        left: list[bool] = []

        def wait() -> None:
            try:
                with cancellable(wanted.is_set):
                    cache.get("a", lambda: 1)
            except Cancelled:
                left.append(True)

        waiter = threading.Thread(target=wait)
        time.sleep(0.02)
        waiter.start()
        wanted.clear()
        waiter.join(2.0)
        self.assertEqual(left, [True])


class Frozen(unittest.TestCase):
    def test_a_set_of_takes_never_changes_under_who_reads_it(self) -> None:
        take = np.zeros((4, 2), np.float32)
        before = TakeSet(lows=(1, 64))
        after = before.with_take((0, 0, 0), take)
        self.assertEqual((len(before.ready), len(after.ready)), (0, 1))
        self.assertIs(after.with_take((0, 0, 0), take), after)
        with self.assertRaises(AttributeError):
            before.ready = {}  # type: ignore[misc]


class SlowPorts:
    """A port whose opening a test holds up."""

    def __init__(self) -> None:
        self.opening, self.go_on = threading.Event(), threading.Event()
        self.open_now = 0

    def names(self) -> list[str]:
        return ["Bench"]

    def open(self, name: str, receive: Receive) -> Opened:
        self.opening.set()
        self.go_on.wait(5.0)
        self.open_now += 1
        return self

    def close(self) -> None:
        self.open_now -= 1


class Leaving(unittest.TestCase):
    def test_a_port_that_is_left_while_it_is_opened_does_not_stay_open(self) -> None:
        from tests.midi.test_reading import wish

        ports = SlowPorts()
        reader = Reader(lambda: ports, lambda *_: True, lambda told: None)
        reads = threading.Thread(target=lambda: reader.read(wish()))
        reads.start()
        self.assertTrue(ports.opening.wait(5.0))
        leaves = threading.Thread(target=lambda: reader.leave("Bench"))
        leaves.start()
        time.sleep(0.02)
        ports.go_on.set()
        reads.join(5.0)
        leaves.join(5.0)
        self.assertEqual(ports.open_now, 0)


class Closed(WindowTest):
    def test_closing_while_a_kit_is_checked_leaves_no_journal_behind(self) -> None:
        """The folder would be offered for recovery though nothing was lost."""
        from puddle.window.session import checker
        from puddle.window.session.checker import Checker
        from tests.support.sounds import small_kit
        from tests.support.windows import put

        put(self.session, "x", small_kit())
        self.settle()
        journal, began = self.session.file.journal, threading.Event()
        assert journal is not None

        def check(*words: Any, **named: Any) -> list[Any]:
            began.set()
            while True:
                check_cancelled()
                time.sleep(0.001)

        with mock.patch.object(checker, "check", check):
            Checker(self.session).check()
            self.assertTrue(began.wait(5.0))
            self.session.file.saving.wait()
            self.session.history.mark_saved(self.session.kit)
            self.shell.close()
            until(lambda: not journal.folder.exists(), 5.0)


class Cards(WindowTest):
    def test_what_fails_while_a_card_is_opened_is_told_and_logged(self) -> None:
        told: list[str] = []
        self.session.told.connect(told.append)
        broken = mock.patch("puddle.engine.devices.open_device", side_effect=ValueError("no clock"))
        with broken, self.assertLogs("puddle.window.session.player", "ERROR"):
            self.session.player.open()
            self.until(lambda: bool(told))
        self.assertIn("There is no sound: no clock.", told[0])
        self._failed.said.clear()
        self.session.player.open()  # and tried again
        self.until(lambda: self.session.player.engine is not None)

    def test_a_card_that_went_since_it_was_listed_is_a_card_that_cannot_be_opened(self) -> None:
        from puddle.engine import devices
        from puddle.engine.engine import Engine

        sounddevice = devices.portaudio()
        if sounddevice is None:
            self.skipTest("PortAudio is not installed")
        gone = sounddevice.PortAudioError("Error querying device 99")
        with (
            mock.patch.object(sounddevice, "query_devices", side_effect=gone),
            self.assertRaises(DeviceError),
        ):
            PortAudioDevice(Engine(48000.0), devices.DeviceInfo("Gone", 99), 256)


class Direct(unittest.TestCase):
    def test_callbacks_may_start_another_task_of_their_key(self) -> None:
        tasks, got = direct(2), list[int]()

        def again(n: int) -> None:
            got.append(n)
            if n < 3:
                tasks.start(Task(lambda: n + 1, again, key="a"))

        tasks.start(Task(lambda: 1, again, key="a"))
        until(lambda: got == [1, 2, 3], 5.0)
        tasks.close()


if __name__ == "__main__":
    unittest.main()
