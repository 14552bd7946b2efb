"""The thread that keeps time: it rests while it has nothing to do, and nothing ends it."""

import logging
import time
import unittest

from puddle.engine.engine import Engine
from puddle.engine.shared import Shown
from puddle.midi.engine_time import Card
from puddle.midi.keeping_time import KeepingTime
from tests.support.engines import RATE
from tests.support.waiting import until


class Out:
    """A port for sending that fails at first, if so wanted."""

    ahead_s = 0.0

    def __init__(self, fails: int = 0) -> None:
        self.fails = fails
        self.sent: list[bytes] = []
        self.closed = 0

    def names(self) -> list[str]:
        return ["Lights"]

    def open(self, name: str) -> "Out":
        return self

    def send(self, message: bytes) -> None:
        if self.fails:
            self.fails -= 1
            raise RuntimeError("the cable is out")
        self.sent.append(message)

    def close(self) -> None:
        self.closed += 1


class Rests(unittest.TestCase):
    def keep(self, out: Out) -> KeepingTime:
        """With an engine that stands still; looks are counted."""
        self.engine, self.looks = Engine(RATE), 0

        def shown() -> Shown:
            self.looks += 1
            return self.engine.sender.rings.shown()

        kept = KeepingTime(shown, lambda kind, value: True, [out], lambda told: None)
        self.addCleanup(kept.close)
        return kept

    def test_it_hardly_looks_while_nothing_leaves_and_again_once_nothing_does(self) -> None:
        out = Out()
        kept = self.keep(out)
        kept.follow("", False, 120.0, Card(128))
        for _ in range(2):
            time.sleep(0.3)
            before = self.looks
            time.sleep(1.0)
            self.assertLess(self.looks - before, 25)
            kept.send("Lights", True, ())
            count = len(out.sent)
            until(lambda c=count: len(out.sent) > c + 5)
            kept.unsend("Lights")
        self.assertEqual(out.closed, 2)

    def test_what_leaves_wakes_it_at_once(self) -> None:
        out = Out()
        kept = self.keep(out)
        late = []
        for _ in range(10):
            time.sleep(0.12)
            begun, count = time.monotonic(), len(out.sent)
            kept.send("Lights", True, ())
            until(lambda c=count: len(out.sent) > c)
            late.append(time.monotonic() - begun)
            kept.unsend("Lights")
        self.assertLess(sorted(late)[5], 0.05)  # resting, it would take its tenth of a second

    def test_an_error_does_not_end_it(self) -> None:
        out = Out(fails=1)
        kept = self.keep(out)
        with self.assertLogs("puddle.midi.keeping_time", logging.ERROR):
            kept.send("Lights", True, ())
            until(lambda: len(out.sent) > 5)


if __name__ == "__main__":
    unittest.main()
