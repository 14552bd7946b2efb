"""The metronome against arithmetic: when it clicks, what is an accent, what it leaves out."""

import unittest

import numpy as np

from puddle.engine.engine import Engine
from puddle.engine.metronome import click_tables
from puddle.kit.model.document import Pattern
from tests.support.engines import RATE, kit_of, played

BPM = 150.0
PER_BEAT = round(60.0 / BPM * RATE)


class Metronome(unittest.TestCase):
    def engine(self) -> Engine:
        engine = Engine(RATE)
        engine.set_kit(kit_of({}, tempo_bpm=BPM), {}, Pattern(id="a", name="A"))
        return engine

    def clicks(self, out: np.ndarray) -> list[tuple[int, bool]]:
        """The frames on which clicks begin, and whether each is an accent."""
        accent, plain = click_tables(RATE)
        left, found, n = out[:, 0].copy(), [], 0
        while n < len(left):
            if left[n] == 0.0:
                n += 1
                continue
            start = n - int(np.flatnonzero(accent)[0])
            part = left[start : start + 200]
            is_accent = bool(np.allclose(part, accent[: len(part)], atol=1e-6))
            if not is_accent:
                np.testing.assert_allclose(part, plain[: len(part)], atol=1e-6)
            found.append((start, is_accent))
            n = start + len(accent)
        return found

    def test_on_every_beat_and_the_first_of_a_bar_higher(self) -> None:
        engine = self.engine()
        engine.set_metronome("on", 1.0, "3/4", 0.0)
        engine.play()
        found = self.clicks(played(engine, 7 * PER_BEAT, 64))
        self.assertEqual(found, [(n * PER_BEAT, n % 3 == 0) for n in range(7)])

    def test_in_eighths_where_the_meter_has_them(self) -> None:
        engine = self.engine()
        engine.set_metronome("on", 1.0, "6/8", 0.0)
        engine.play()
        found = self.clicks(played(engine, 4 * PER_BEAT, 37))
        self.assertEqual(found, [(n * PER_BEAT // 2, n % 6 == 0) for n in range(8)])

    def test_a_count_in_ends_with_the_first_beat(self) -> None:
        engine = self.engine()
        engine.set_metronome("count-in", 0.5, "4/4", 0.0)
        engine.play(-4.0)
        self.assertEqual(engine.beat, -4.0)
        out = played(engine, 8 * PER_BEAT, 64)
        self.assertEqual([at for at, _ in self.clicks(2.0 * out)], [n * PER_BEAT for n in range(4)])
        self.assertAlmostEqual(engine.beat, 4.0, delta=0.01)

    def test_it_is_never_in_what_is_written(self) -> None:
        engine = self.engine()
        engine.set_metronome("on", 1.0, "4/4", 0.0)
        engine.play()
        master, _ = engine.advance_tapped(9600)
        self.assertEqual(float(np.abs(master).max()), 0.0)

    def test_what_is_heard_with_a_frame(self) -> None:
        engine = self.engine()
        engine.play(-2.0)
        played(engine, 3 * PER_BEAT, 64)
        frame = engine.clock - 480.0
        beats = -2.0 + (frame - engine.delay_frames) / PER_BEAT
        self.assertAlmostEqual(engine.heard_beat(frame), beats)


if __name__ == "__main__":
    unittest.main()
