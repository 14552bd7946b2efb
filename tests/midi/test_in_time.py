"""The groove goes with a clock from outside, and what leaves is on time."""

import unittest

import numpy as np

from puddle.engine import layout
from puddle.engine.engine import Engine
from puddle.kit.edits.hits import put
from puddle.kit.model.document import Hit, Pattern
from puddle.midi.clock import TICKS, ClockFollower
from puddle.midi.engine_time import Card, EngineTime, Runs
from puddle.midi.following import Follower
from puddle.midi.incoming_clock import IncomingClock
from puddle.midi.outgoing import Note, Output
from tests.support.engines import RATE, kit_of, take_of

CLOCK, START, CONTINUE, STOP, POSITION = 0xF8, 0xFA, 0xFB, 0xFC, 0xF2
BLOCK = 128


class OfTicks(unittest.TestCase):
    def errors(self, bpm: float, jitter_s: float, beats: int, seed: int) -> np.ndarray:
        """(how far the tempo is off in bpm, the beat in ms), tick by tick."""
        rng, made, per = np.random.default_rng(seed), ClockFollower(97.0), 60.0 / bpm / TICKS
        found = []
        for n in range(beats * TICKS):
            made.tick(5.0 + n * per + rng.uniform(-jitter_s, jitter_s))
            away = made.beat_at(5.0 + n * per) - n / TICKS
            found.append((made.bpm - bpm, away * 60000.0 / bpm))
        return np.abs(np.array(found))

    def test_locked_in_two_beats_from_60_to_200_with_3_ms_of_jitter(self) -> None:
        for seed, bpm in enumerate((60.0, 87.3, 120.0, 174.0, 200.0)):
            for trial in range(10):
                off = self.errors(bpm, 0.003, 16, 100 * seed + trial)
                # A line through 48 ticks of 1.7 ms (rms): its slope errs by 0.2 % at 200 bpm.
                self.assertLess(off[2 * TICKS :, 0].max() / bpm, 0.006, bpm)
                self.assertLess(off[2 * TICKS :, 1].max(), 2.5, bpm)
                self.assertLess(off[12 * TICKS :, 0].max() / bpm, 0.0006, bpm)
                self.assertLess(off[12 * TICKS :, 1].max(), 1.5, bpm)

    def test_without_jitter_it_is_exact_at_once(self) -> None:
        off = self.errors(133.0, 0.0, 4, 0)
        self.assertLess(off[8:].max(), 1e-6)

    def test_another_tempo_is_followed_within_a_beat(self) -> None:
        rng, made, at = np.random.default_rng(3), ClockFollower(), 0.0
        for n in range(32 * TICKS):
            at += 60.0 / (120.0 if n < 16 * TICKS else 140.0) / TICKS
            made.tick(at + rng.uniform(-0.003, 0.003))
            if n == 17 * TICKS:
                self.assertLess(abs(made.bpm - 140.0), 3.0)
        self.assertLess(abs(made.bpm - 140.0), 0.1)

    def test_a_clock_that_stood_still_begins_anew(self) -> None:
        made = ClockFollower()
        for start, bpm in ((0.0, 100.0), (60.0, 150.0)):
            for n in range(3 * TICKS):
                made.tick(start + n * 60.0 / bpm / TICKS)
            self.assertAlmostEqual(made.bpm, bpm, places=6)


def straight() -> Pattern:
    """Four on the floor."""
    return put(Pattern(id="p", name="p", length=16), "p0", tuple(Hit(at=4.0 * n) for n in range(4)))


class Bench:
    """An engine on a card whose time is made up, and a clock with jitter."""

    def __init__(self, bpm: float, jitter_s: float = 0.003, seed: int = 1) -> None:
        self.engine = Engine(RATE)
        kit = kit_of({}, tempo_bpm=111.0, patterns=(straight(),))
        self.engine.set_kit(kit, {"p0": take_of(0.5, 400)}, straight())
        self.rings = self.engine.sender.rings
        self.time = EngineTime(self.rings.shown, lambda: self.now)
        self.time.card = Card(BLOCK, self.engine.delay_frames - self.engine.latency_frames)
        self.follower = Follower(lambda kind, x: self.rings.push(1, kind, 0, 0, x))
        self.clock, self.bpm = IncomingClock(111.0), bpm
        self.rng, self.jitter_s = np.random.default_rng(seed), jitter_s
        self.now, self.out = 0.0, np.zeros((BLOCK, 2), np.float32)
        self.next_tick, self.ticks, self.origin = 0.0, 0, 0.0
        self.off_ms: list[float] = []
        self.bpms: list[float] = []

    def run(self, seconds: float, *, measured: bool = True) -> None:
        """Blocks on time, ticks as they jitter, a look every 10 ms."""
        end = self.now + seconds
        while self.now < end:
            self.now += BLOCK / RATE
            self.engine.deliver(self.out)
            self.time.see()
            while self.next_tick <= self.now:
                late = self.rng.uniform(-self.jitter_s, self.jitter_s)
                self.clock.take(bytes([CLOCK]), self.next_tick + late)
                self.ticks += 1
                self.next_tick += 60.0 / self.bpm / TICKS
            runs = self.time.see()
            self.follower.follow(self.clock.beat(self.now), runs)
            if measured and runs.playing:
                true = (self.now - self.origin) * self.bpm / 60.0
                self.off_ms.append((runs.beat - true) * 60000.0 / self.bpm)
                self.bpms.append(runs.bpm)

    def start(self, message: int = START, beat: float = 0.0) -> None:
        """The next tick is that of a beat."""
        self.clock.take(bytes([message]), self.now)
        self.origin = self.next_tick - beat * 60.0 / self.bpm


class Follows(unittest.TestCase):
    def test_in_two_beats_and_no_drift_and_no_stroke_is_lost(self) -> None:
        for bpm in (60.0, 120.0, 200.0):
            bench = Bench(bpm)
            bench.run(2.0)
            bench.start()
            bench.run(60.0)
            off = np.abs(bench.off_ms)
            after = round(2 * 60.0 / bpm * RATE / BLOCK)
            self.assertLess(off[after:].max(), 3.0, bpm)
            self.assertLess(abs(np.mean(bench.off_ms[-4000:])), 0.8, "no drift")
            self.assertLess(abs(np.mean(bench.bpms[-4000:]) / bpm - 1.0), 0.0005)
            struck = int(bench.engine._struck[0])
            beats = bench.time.see().beat
            self.assertLessEqual(abs(struck - beats), 1.5, "each beat once")

    def test_unknown_tempo_at_the_start_is_made_up_for(self) -> None:
        """Ticks that begin with the start: the kit's tempo is all that is known."""
        bench = Bench(150.0)
        bench.start()
        bench.run(10.0)
        off = np.abs(bench.off_ms)
        self.assertLess(off[round(4 * 0.4 * RATE / BLOCK) :].max(), 4.0)

    def test_stop_continue_and_position(self) -> None:
        bench = Bench(120.0)
        bench.run(2.0)
        bench.start()
        bench.run(2.0)
        bench.clock.take(bytes([STOP]), bench.now)
        bench.run(0.5)
        self.assertFalse(bench.engine.playing)
        bench.clock.take(bytes([POSITION, 16, 0]), bench.now)
        bench.off_ms.clear()
        bench.start(CONTINUE, 4.0)
        bench.run(4.0)
        self.assertTrue(bench.engine.playing)
        self.assertLess(np.abs(bench.off_ms[800:]).max(), 3.0)

    def test_stopped_by_hand_it_stays_so_until_the_outside_starts_again(self) -> None:
        bench = Bench(120.0)
        bench.run(2.0)
        bench.start()
        bench.run(1.0)
        bench.engine.stop()
        bench.run(1.0)
        self.assertFalse(bench.engine.playing)
        bench.clock.take(bytes([STOP]), bench.now)
        bench.run(0.1)
        bench.start()
        bench.run(0.5)
        self.assertTrue(bench.engine.playing)

    def test_a_jump_far_away_is_set_at_once(self) -> None:
        bench = Bench(120.0)
        bench.run(2.0)
        bench.start()
        bench.run(2.0)
        bench.clock.take(bytes([POSITION, 64, 0]), bench.now)
        bench.run(0.5, measured=False)
        self.assertGreater(bench.time.see().beat, 15.0)


class Leaves(unittest.TestCase):
    """An output whose time is made up: looked at every half millisecond."""

    def setUp(self) -> None:
        self.sent: list[tuple[float, bytes]] = []
        self.now = 10.0
        self.output = Output(lambda message: self.sent.append((self.now, message)))
        self.began, self.first, self.playing = 10.0, 0.0, False

    def start(self, beat: float) -> None:
        self.began, self.first, self.playing = self.now, beat, True

    def run_for(self, seconds: float) -> None:
        for _ in range(round(seconds / 0.0005)):
            self.now += 0.0005
            beat = self.first + (self.now - self.began) * 2.0
            self.output.send_due(Runs(self.playing, self.now, beat, 120.0))

    def of(self, *kinds: int) -> list[tuple[float, bytes]]:
        return [(at, m) for at, m in self.sent if m[0] in kinds]

    def test_the_clock_ticks_24_times_a_quarter_and_the_start_comes_before_its_tick(self) -> None:
        self.output.clock = True
        self.run_for(0.5)
        self.start(-0.1)
        self.run_for(2.0)
        ((started, _),) = self.of(START)
        ticks = [at for at, _ in self.of(CLOCK) if at > started]
        self.assertAlmostEqual(ticks[0], self.began + 0.05, delta=0.00051)
        self.assertTrue(0.0 < ticks[0] - started <= 0.0105)
        steps = np.diff(ticks)
        self.assertLess(np.abs(steps - 0.5 / TICKS).max(), 0.00051)
        self.playing = False
        self.run_for(0.3)
        self.assertEqual(len(self.of(STOP)), 1)
        rests = [at for at, _ in self.of(CLOCK) if at > self.of(STOP)[0][0]]
        self.assertAlmostEqual(len(rests), 0.3 * 48, delta=2)

    def test_a_start_that_is_seen_late_is_caught_up_with(self) -> None:
        """What counts ticks from the start is where the groove is after a few at once."""
        for beat, ticks in ((0.0, 1), (0.1, 3), (0.24, 6)):
            sent: list[int] = []
            output = Output(lambda message, sent=sent: sent.append(message[0]))  # type: ignore[misc]
            output.clock = True
            output.send_due(Runs(False, 0.0, 0.0, 120.0))
            sent.clear()
            output.send_due(Runs(True, 1.0, beat, 120.0))
            self.assertEqual(sent, [START, *[CLOCK] * ticks], beat)
        output = Output(lambda message: sent.append(message[0]))
        output.clock = True
        sent.clear()
        output.send_due(Runs(True, 1.0, 0.3, 120.0))
        self.assertNotIn(START, sent)

    def test_from_a_place_it_is_a_position_and_continue(self) -> None:
        self.output.clock = True
        self.start(3.1)
        self.run_for(1.0)
        (position,), (went_on,) = self.of(POSITION), self.of(CONTINUE)
        self.assertEqual(position[1], bytes([POSITION, 13, 0]))
        self.assertEqual(self.of(START), [])
        tick = next(at for at, _ in self.of(CLOCK) if at > went_on[0])
        self.assertAlmostEqual(3.1 + (tick - self.began) * 2.0, 13 / 4.0, delta=0.0011)

    def test_notes_leave_at_their_beats_and_end_and_none_twice(self) -> None:
        notes = [Note(n / 4.0, 36 + n, 100, 9, 0.1) for n in range(8)]
        self.output.play(notes)
        self.start(-0.05)
        self.run_for(0.3)
        self.output.play(notes)  # edited meanwhile
        self.run_for(1.2)
        ons, offs = self.of(0x99), self.of(0x89)
        self.assertEqual([m[1] for _, m in ons], [36 + n for n in range(8)])
        for n, (at, _) in enumerate(ons):
            self.assertAlmostEqual(at, self.began + 0.025 + n * 0.125, delta=0.00051)
            self.assertAlmostEqual(offs[n][0] - at, 0.05, delta=0.0011)

    def test_what_sounds_ends_with_the_groove(self) -> None:
        self.output.play([Note(0.0, 40, 90, 2, 50.0)])
        self.start(-0.01)
        self.run_for(0.1)
        self.assertEqual(self.of(0x82), [])
        self.playing = False
        self.run_for(0.01)
        self.assertEqual([m for _, m in self.of(0x82)], [bytes([0x82, 40, 0])])

    def test_it_sleeps_until_what_is_due(self) -> None:
        self.output.play([Note(1.0, 40, 90, 2, 0.1)])
        self.start(0.9995)
        self.run_for(0.0005 / 2)
        runs = Runs(True, self.now, 0.9996, 120.0)
        self.output.send_due(runs)
        self.assertAlmostEqual(self.output.due_s(runs), self.now + 0.0002, places=6)


class Pace(unittest.TestCase):
    def test_a_tempo_from_elsewhere_moves_no_beat_that_has_been(self) -> None:
        bench = Bench(120.0)
        bench.engine.play(0.0)
        out = np.zeros((BLOCK, 2), np.float32)
        bench.engine.deliver(out)
        for bpm in (90.0, 180.0, 30.0):
            before = float(bench.engine.beat)
            self.assertTrue(bench.rings.push(1, layout.PACE, 0, 0, bpm))
            bench.engine.deliver(out)
            gone = float(bench.engine.beat) - before
            self.assertAlmostEqual(gone, BLOCK / RATE * bpm / 60.0, places=9)


if __name__ == "__main__":
    unittest.main()
