"""Another process strikes pads through rings that it maps."""

import gc
import os
import subprocess
import sys
import tempfile
import threading
import unittest
import weakref

import numpy as np

from puddle.engine import layout
from puddle.engine.engine import Engine
from puddle.engine.shared import SharedRings, Shown
from tests.support.engines import RATE, hardness, kit_of, played, struck, take_of

_STRIKES = """
import sys
from puddle.engine import layout
from puddle.engine.shared import SharedRings
rings = SharedRings(int(sys.argv[1]))
for velocity in (127.0, 64.0):
    print(rings.push(1, layout.STRIKE, 0, -1, velocity))
print("numba" in sys.modules)
"""


class Shared(unittest.TestCase):
    def test_what_is_read_of_the_groove_has_the_names_under_which_it_is_written(self) -> None:
        self.assertEqual(Shown._fields, layout.SHOWN.names)

    def test_another_process_strikes_a_pad(self) -> None:
        engine = Engine(RATE)
        engine.set_kit(kit_of({}), {"p0": take_of(0.5, 10)}, None)
        handle = engine.sender.rings.handle
        done = subprocess.run(
            [sys.executable, "-c", _STRIKES, str(handle)], pass_fds=(handle,),
            capture_output=True, text=True, timeout=60, check=True,
        )  # fmt: skip
        self.assertEqual(done.stdout.split(), ["True", "True", "False"])
        engine.strike(0, 127)  # by the window's ring, beside them
        out = played(engine, 64)[:, 0]
        self.assertAlmostEqual(float(out[0]), 0.5 * (2.0 + (64 / 127) ** 2), places=6)
        self.assertEqual((struck(engine), engine.sounding), (3, 0))
        self.assertGreater(hardness(engine), 0.0)

    def test_a_full_ring_refuses_and_the_other_does_not(self) -> None:
        rings = SharedRings()
        mapped = SharedRings(rings.handle)
        for _ in range(layout.RING_SIZE):
            self.assertTrue(mapped.push(1, layout.STRIKE))
        self.assertFalse(rings.push(1, layout.STRIKE))
        self.assertTrue(rings.push(0, layout.STRIKE))
        self.assertEqual(rings.headers["written"].tolist(), [1, layout.RING_SIZE])

    def test_several_threads_share_a_ring_and_nothing_is_lost(self) -> None:
        """Strokes, and the tempo of a clock that is followed, leave by one ring."""
        engine = Engine(RATE)
        engine.set_kit(kit_of({}), {"p0": take_of(0.001, 10)}, None)
        rings = SharedRings(engine.sender.rings.handle)
        before = sys.getswitchinterval()
        self.addCleanup(sys.setswitchinterval, before)
        sys.setswitchinterval(1e-6)

        def strike() -> None:
            for _ in range(500):
                rings.push(1, layout.STRIKE, 0, -1, 100.0)

        threads = [threading.Thread(target=strike) for _ in range(4)]
        for thread in threads:
            thread.start()
        while any(thread.is_alive() for thread in threads):
            played(engine, 64)
        played(engine, 64)
        self.assertEqual(struck(engine), 2000)

    def test_what_are_no_rings_is_refused(self) -> None:
        with tempfile.TemporaryFile() as other, self.assertRaises(OSError):
            SharedRings(other.fileno())
        with self.assertRaises(OSError):
            SharedRings(10_000)

    def test_they_go_with_their_last_user(self) -> None:
        rings = SharedRings()
        handle, gone = rings.handle, weakref.ref(rings)
        kept = rings.headers  # an array that lives longer keeps the memory, not the file
        del rings
        gc.collect()
        self.assertIsNone(gone())
        with self.assertRaises(OSError):
            os.fstat(handle)
        self.assertTrue(np.array_equal(kept["written"], np.zeros(layout.RINGS)))
