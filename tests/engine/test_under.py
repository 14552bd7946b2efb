"""What runs under the groove: where it begins, where it comes again, how it ends."""

import unittest

import numpy as np

from puddle.engine.engine import Engine
from puddle.kit.model.document import Pattern
from puddle.render.backing import Track
from tests.support.engines import RATE, kit_of, played

BPM = 120.0
BEAT = round(60.0 / BPM * RATE)


def ramp(frames: int) -> np.ndarray:
    """Every frame is another number, so that its place can be read off."""
    one = np.arange(1, frames + 1, dtype=np.float32) / (2 * frames)
    return np.ascontiguousarray(np.stack([one, -one], axis=1))


class UnderTheGroove(unittest.TestCase):
    def engine(self, *takes: Track) -> Engine:
        engine = Engine(RATE)
        engine.set_kit(kit_of({}, tempo_bpm=BPM), {}, Pattern(id="a", name="A"))
        engine.set_under(takes)
        return engine

    def test_it_begins_with_its_beat_to_the_frame(self) -> None:
        take = ramp(9000)
        engine = self.engine(Track(take, 1.0, 0.0, 0.5))
        engine.play()
        out = played(engine, 2 * BEAT, 37)
        self.assertEqual(float(np.abs(out[:BEAT]).max()), 0.0)
        np.testing.assert_allclose(out[BEAT : BEAT + 9000], 0.5 * take, atol=1e-7)
        self.assertEqual(float(np.abs(out[BEAT + 9000 :]).max()), 0.0, "once, where it has no loop")

    def test_a_loop_comes_again_without_drift(self) -> None:
        """Of a length between two frames: the hundredth round begins within half a frame."""
        length = 1000.37
        take = ramp(1000)
        engine = self.engine(Track(take, 0.0, length, 1.0))
        engine.play()
        out = played(engine, 102_000, 64)
        begins = np.flatnonzero(np.abs(out[:, 0] - take[0, 0]) < 1e-9)
        np.testing.assert_allclose(begins, np.arange(len(begins)) * length, atol=0.51)
        self.assertGreater(len(begins), 100)

    def test_one_that_has_begun_before_is_in_its_middle(self) -> None:
        take = ramp(4 * BEAT)
        engine = self.engine(Track(take, -1.0, 0.0, 1.0))
        engine.play()
        out = played(engine, 640, 64)
        np.testing.assert_allclose(out, take[BEAT : BEAT + 640], atol=1e-7)

    def test_it_fades_where_the_groove_stops(self) -> None:
        flat = np.full((10 * BEAT, 2), 0.5, np.float32)
        engine = self.engine(Track(flat, 0.0, 0.0, 1.0))
        engine.play()
        played(engine, 4800, 64)
        engine.stop()
        out = played(engine, 4800, 64)[:, 0]
        self.assertLess(float(np.abs(np.diff(out)).max()), 0.5 / 0.010 / RATE * 1.5)
        self.assertEqual(float(np.abs(out[1000:]).max()), 0.0)

    def test_it_is_never_in_what_is_written(self) -> None:
        engine = self.engine(Track(ramp(48000), 0.0, 0.0, 1.0))
        engine.play()
        master, _ = engine.advance_tapped(9600)
        self.assertEqual(float(np.abs(master).max()), 0.0)


if __name__ == "__main__":
    unittest.main()
