"""From a time to a frame: strikes that carry a stamp are played one block after it."""

from __future__ import annotations

import time
import unittest

import numpy as np

from puddle.engine import layout
from puddle.engine.devices import SimulatedDevice
from puddle.engine.engine import Engine
from puddle.kernels.quantum import QUANTUM
from tests.support.engines import RATE, kit_of, take_of

BLOCK = 256


class Stamped(unittest.TestCase):
    def setUp(self) -> None:
        self.engine = Engine(RATE)
        self.engine.set_kit(kit_of({}), {"p0": take_of(0.5, 8)}, None)

    def strike(self, stamp: float) -> int:
        """The frame on which a strike with a stamp sounds; -1 for none within four blocks.

        The card has asked for blocks on time; what it asks for now is late, but not by much.
        """
        record = self.engine._record[0]
        self.engine.advance(np.zeros((QUANTUM, 2), np.float32))
        first = self.engine.clock
        begins = 1000.0 - first / RATE  # the next block is due at 1000 s
        record["block"], record["window_since"] = BLOCK, 1000.0
        record["window_least"], record["window_before"] = begins, begins + 0.002
        self.engine.sender.rings.push(1, layout.STRIKE, 0, -1, 127.0, stamp)
        out = np.zeros((4 * BLOCK, 2), np.float32)
        self.engine.advance(out)
        heard = np.flatnonzero(out[:, 0])
        return int(heard[0]) if heard.size else -1

    def test_a_block_after_its_time_to_the_frame(self) -> None:
        for away_ms in (-5.0, -2.5, -1.0, -0.1, 0.0, 1.3, 5.0):
            wanted = round(away_ms * RATE / 1000.0) + BLOCK
            self.assertEqual(self.strike(1000.0 + away_ms / 1000.0), wanted, away_ms)

    def test_what_comes_too_late_is_struck_at_once(self) -> None:
        self.assertEqual(self.strike(1000.0 - 0.02), 0)

    def test_as_soon_as_possible(self) -> None:
        self.engine.play_stamped_at_once(True)
        self.assertEqual(self.strike(1000.0), 0)

    def test_a_stamp_of_another_clock_is_passed_over(self) -> None:
        for stamp in (5.0, 1e9, 0.0):
            self.assertEqual(self.strike(stamp), 0)

    def test_the_simulated_card_s_blocks_tell_when_they_are_due(self) -> None:
        """Beside an interpreter that never rests: the estimate stays within 0.3 ms."""
        device = SimulatedDevice(self.engine, BLOCK)
        found, end = list[float](), time.monotonic() + 1.5
        try:
            while time.monotonic() < end:
                sum(n * n for n in range(2000))
                record = self.engine._record[0]
                found.append(min(float(record["window_least"]), float(record["window_before"])))
        finally:
            device.close()
        away_ms = 1000.0 * (np.array(found[len(found) // 2 :]) - device.began_s)
        self.assertEqual(device.late_blocks, 0)
        self.assertLess(float(np.quantile(np.abs(away_ms), 0.9)), 0.3)


if __name__ == "__main__":
    unittest.main()
