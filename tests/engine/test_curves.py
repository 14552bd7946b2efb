"""Curves of patterns: what runs live is moved while they play, live and bounced alike."""

import itertools
import unittest

import numpy as np

from puddle.engine import layout, moving
from puddle.engine.engine import Engine
from puddle.kit.edits.curves import may_move, with_points
from puddle.kit.model.address import Address
from puddle.kit.model.document import Bus, Hit, Kit, Lane, Master, Pattern, Play, SendTo, Stage
from puddle.kit.model.pattern import CurvePoint
from puddle.kit.playing.groove import Groove, groove_of, in_order
from puddle.stages import Branch, Equalizer, Filter, Gain, Limiter, Reverb
from tests.support.engines import RATE, kit_of, played, take_of

GAIN = Address(of="process", field="level_db", bus="b", stage="g")
LEVEL = Address(of="bus", field="level_db", bus="b")
CUTOFF = Address(of="process", field="cutoff_hz", bus="b", stage="f")
BPM, BEAT = 120.0, 24000
HELD = Pattern(
    id="p", name="p", length=16, lanes=(Lane(pad="p0", hits=(Hit(at=0, velocity=127),)),)
)
EIGHT = (CurvePoint(at=0.0, value=0.0), CurvePoint(at=4.0, value=-48.0))


def kit_with(*stages: Stage, **values: object) -> Kit:
    bus = Bus(id="b", name="b", stages=stages)
    kept = {"patterns": (HELD,), "tempo_bpm": BPM, "buses": (bus,), **values}
    return kit_of({"bus": "b"}, **kept)


def curved(kit: Kit, address: Address, *points: CurvePoint, pattern: str = "p") -> Kit:
    return with_points(kit, pattern, address, points)


def engine_of(kit: Kit, groove: Groove | None = None, seconds: float = 60.0) -> Engine:
    engine = Engine(RATE)
    takes = {pad.id: take_of(0.5, round(seconds * RATE)) for pad in kit.pads}
    engine.set_kit(kit, takes, groove or groove_of(kit.patterns[0]))
    engine.play()
    return engine


def levels_db(audio: np.ndarray) -> np.ndarray:
    """Of what is played of a constant, beside what was put in."""
    with np.errstate(divide="ignore"):
        return 20.0 * np.log10(np.abs(audio[:, 0]) / 0.5)


class Moved(unittest.TestCase):
    gain = Stage(id="g", process=Gain())

    def test_a_gain_falls_along_its_line_in_db(self) -> None:
        kit = curved(kit_with(self.gain), GAIN, *EIGHT)
        found = levels_db(played(engine_of(kit), 4 * BEAT - 200))
        start = found[BEAT // 8]
        for beat in np.arange(0.25, 4.0, 0.25):
            at = round(beat * BEAT)
            wanted = -48.0 * beat / 4.0
            # Between two read values it is straight in gain, not in dB: 0.02 dB of half a dB. One
            # quantum of the grid is 0.016 dB.
            self.assertAlmostEqual(found[at] - start, wanted + 48.0 / 32.0, delta=0.08)

    def test_a_level_of_a_bus_and_of_the_master(self) -> None:
        master = Address(of="master", field="level_db")
        for address in (LEVEL, master):
            kit = curved(
                kit_with(), address, CurvePoint(at=0.0, value=0.0), CurvePoint(at=4.0, value=-48.0)
            )
            found = levels_db(played(engine_of(kit), 4 * BEAT - 200))
            for beat in (1.0, 2.0, 3.0):
                # It is followed by two poles of 5 ms: 10 ms are 0.24 dB behind, of 24 dB a second.
                wanted = -12.0 * (beat - 0.02)
                self.assertAlmostEqual(found[round(beat * BEAT)], wanted, delta=0.3)

    def test_at_the_end_of_the_way_it_sounds_as_if_it_had_always_stood_there(self) -> None:
        stage = Stage(id="f", process=Filter(cutoff_hz=8000.0))
        kit = kit_with(stage)
        way = curved(kit, CUTOFF, CurvePoint(at=0.0, value=8000.0), CurvePoint(at=1.0, value=300.0))
        noise = np.random.default_rng(1).uniform(-0.5, 0.5, (4 * BEAT, 2)).astype(np.float32)

        def heard(kit: Kit) -> np.ndarray:
            engine = Engine(RATE)
            engine.set_kit(kit, {"p0": noise}, groove_of(kit.patterns[0]))
            engine.play()
            return played(engine, 3 * BEAT)

        there = kit_with(Stage(id="f", process=Filter(cutoff_hz=300.0)))
        after = slice(2 * BEAT, 3 * BEAT)
        away = np.abs(heard(way)[after] - heard(there)[after]).max()
        self.assertLess(away, 1e-6)
        self.assertGreater(np.abs(heard(way)[after] - heard(kit)[after]).max(), 0.05)

    def test_when_it_stops_all_is_as_the_kit_has_it(self) -> None:
        for address in (GAIN, LEVEL):
            kit = curved(kit_with(self.gain), address, CurvePoint(at=0.0, value=-30.0))
            engine = engine_of(kit)
            self.assertAlmostEqual(levels_db(played(engine, BEAT))[-1], -30.0, delta=0.01)
            engine.stop()
            self.assertAlmostEqual(levels_db(played(engine, BEAT))[-1], 0.0, delta=0.01)

    def test_what_crosses_over_reads_nothing_of_a_pattern_that_has_gone(self) -> None:
        """The old way through a bus goes on for some ms, after its pattern's memory is freed."""
        curve = (CurvePoint(at=0.0, value=8000.0), CurvePoint(at=4.0, value=300.0))
        stage = Stage(id="f", process=Filter(cutoff_hz=8000.0))
        kit = curved(kit_with(stage), CUTOFF, *curve)
        engine = engine_of(kit)
        played(engine, BEAT // 32 * 32)
        moves = [k.memory[0][1] for k in engine.sender.kept if k.which == layout.PATTERN]
        other = kit_with(stage, Stage(id="l", process=Limiter()))  # crosses: it is later
        engine.set_kit(other, {"p0": take_of(0.5, 480_000)}, groove_of(HELD))
        played(engine, 32)  # the tables are taken, and the bus crosses over
        self.assertGreater(int(engine._record[0]["crossing"]), 0)
        for row in itertools.chain.from_iterable(moves):
            row.flags.writeable = True
            row[:] = np.nan  # as freed memory may be
        moving._row.cache_clear()
        out = played(engine, BEAT)
        self.assertTrue(np.isfinite(out).all())
        self.assertEqual(engine.poisoned, 0)

    def test_it_begins_anew_with_every_pass(self) -> None:
        kit = curved(kit_with(self.gain), GAIN, *EIGHT)
        found = levels_db(played(engine_of(kit), 8 * BEAT))
        np.testing.assert_allclose(
            found[5 * BEAT : 7 * BEAT : 1000], found[BEAT : 3 * BEAT : 1000], atol=6.1
        )  # a second voice is there: twice as loud
        self.assertAlmostEqual(found[5 * BEAT] - found[BEAT], 6.02, delta=0.02)

    def test_what_is_sent_swells_and_what_is_not_stays(self) -> None:
        """A pad, and a bus, sent to one that is played alone: its level is that of the send."""
        sends = (SendTo(bus="room", level_db=-24.0),)
        for address in (
            Address(of="send", pad="p0", to="room", field="level_db"),
            Address(of="send", bus="b", to="room", field="level_db"),
        ):
            room = Bus(id="room", name="room", solo=True)
            own = sends if address.bus else ()
            buses = (Bus(id="b", name="b", sends=own), room)
            pad = {"bus": "b", "sends": () if address.bus else sends}
            kit = kit_of(pad, patterns=(HELD,), tempo_bpm=BPM, buses=buses)
            points = (CurvePoint(at=0.0, value=-30.0), CurvePoint(at=4.0, value=0.0))
            engine = engine_of(curved(kit, address, *points))
            found = levels_db(played(engine, 4 * BEAT - 200))
            for beat in (1.0, 2.0, 3.0):
                wanted = -30.0 + 7.5 * (beat - 0.02)
                self.assertAlmostEqual(found[round(beat * BEAT)], wanted, delta=0.3)
            engine.stop()
            self.assertAlmostEqual(levels_db(played(engine, BEAT))[-1], -24.0, delta=0.05)

    def test_a_leap_is_one(self) -> None:
        points = [(0.0, 0.0), (2.0, 0.0), (2.0, -20.0), (3.0, -20.0)]
        kit = curved(kit_with(self.gain), GAIN, *(CurvePoint(at=a, value=v) for a, v in points))
        found = levels_db(played(engine_of(kit), 3 * BEAT))
        self.assertAlmostEqual(found[2 * BEAT - 64], 0.0, delta=0.01)
        self.assertAlmostEqual(found[2 * BEAT + 600], -20.0, delta=0.01)

    def test_inside_a_branch_and_of_a_pad(self) -> None:
        branch = Stage(id="x", process=Branch(level_db=0.0, through_db=-60.0, stages=(self.gain,)))
        inner = Address(of="process", field="level_db", bus="b", branches=("x",), stage="g")
        kit = curved(kit_with(branch), inner, CurvePoint(at=0.0, value=-18.0))
        self.assertAlmostEqual(levels_db(played(engine_of(kit), BEAT))[-1], -18.0, delta=0.1)
        own = kit_of({"stages": (self.gain,)}, patterns=(HELD,), tempo_bpm=BPM)
        live = Address(of="process", field="level_db", pad="p0", live=True, stage="g")
        kit = curved(own, live, CurvePoint(at=0.0, value=-18.0))
        self.assertAlmostEqual(levels_db(played(engine_of(kit), BEAT))[-1], -18.0, delta=0.01)

    def test_the_balance_of_a_bus_that_has_none(self) -> None:
        pan = Address(of="bus", field="pan", bus="b")
        kit = curved(kit_with(), pan, CurvePoint(at=0.0, value=-100.0))
        found = played(engine_of(kit), BEAT)
        self.assertAlmostEqual(float(found[-1, 0]), 0.5, delta=0.01)
        self.assertAlmostEqual(float(found[-1, 1]), 0.0, delta=0.01)


class AllAlike(unittest.TestCase):
    """To the bit: any block, the groove's spans, and what is sent again meanwhile."""

    def rich(self) -> Kit:
        stages = (
            Stage(id="g", process=Gain()),
            Stage(id="f", process=Filter(cutoff_hz=9000.0)),
            Stage(id="e", process=Equalizer()),
        )
        other = Pattern(id="q", name="q", length=7, lanes=(Lane(pad="p0", hits=(Hit(at=2),)),))
        kit = kit_with(
            *stages,
            tempo_bpm=240.0,
            patterns=(HELD, other),
            order=(Play(pattern="p", times=2), Play(pattern="q")),
        )
        bell = Address(of="process", field="bell1_db", bus="b", stage="e")
        kit = curved(kit, CUTOFF, CurvePoint(at=0.3, value=400.0), CurvePoint(at=3.1, value=9000.0))
        kit = curved(kit, bell, CurvePoint(at=1.0, value=-9.0), CurvePoint(at=2.0, value=9.0))
        kit = curved(
            kit, LEVEL, CurvePoint(at=0.0, value=-6.0), CurvePoint(at=1.5, value=0.0), pattern="q"
        )
        return curved(kit, GAIN, *EIGHT, pattern="q")

    def takes(self) -> dict[str, np.ndarray]:
        noise = np.random.default_rng(2).uniform(-0.4, 0.4, (3 * BEAT, 2))
        return {"p0": noise.astype(np.float32)}

    def heard(
        self, kit: Kit, groove: Groove, block: int, seconds: int, beats: float | None
    ) -> np.ndarray:
        engine = Engine(RATE)
        engine.set_kit(kit, self.takes(), groove, beats)
        engine.play()
        made = []
        for _ in range(seconds):
            made.append(played(engine, round(RATE), block))
            engine.extend()
        return np.concatenate(made)

    def test_looped_in_order_and_bounced(self) -> None:
        kit = self.rich()
        for groove in (groove_of(kit.patterns[0]), in_order(kit)):
            one = self.heard(kit, groove, 64, 50, None)
            np.testing.assert_array_equal(one, self.heard(kit, groove, 500, 50, None))
            bounced = self.heard(kit, groove, 32, 50, 210.0)
            np.testing.assert_array_equal(one, bounced)

    def test_slow_ones_over_spans_that_begin_in_the_middle_of_their_way(self) -> None:
        """From one read value to the next it takes longer than what a span repeats of the past."""
        slow = Pattern(id="s", name="s", length=128, grid="1/4", lanes=HELD.lanes)
        stage = Stage(id="g", process=Gain())
        kit = kit_with(stage, patterns=(slow, HELD), order=(Play(pattern="s"), Play(pattern="p")))
        points = (CurvePoint(at=1.0, value=-3.0), CurvePoint(at=127.0, value=3.0))
        kit = curved(kit, GAIN, *points, pattern="s")
        groove = in_order(kit)
        one = self.heard(kit, groove, 64, 150, None)
        np.testing.assert_array_equal(one, self.heard(kit, groove, 160, 150, 310.0))

    def test_another_hit_meanwhile_leaves_what_moves_alone(self) -> None:
        kit = self.rich()
        soft = Lane(pad="p0", hits=(Hit(at=0, velocity=127), Hit(at=15, velocity=1, chance=0.0)))
        edited = kit_with(
            *kit.buses[0].stages,
            patterns=(
                Pattern(id="p", name="p", length=16, lanes=(soft,), curves=kit.patterns[0].curves),
            ),
        )
        still, sent = (engine_of(kit, groove_of(kit.patterns[0])) for _ in range(2))
        for engine in (still, sent):
            engine.set_kit(kit, self.takes(), groove_of(kit.patterns[0]))
        made = []
        for n in range(40):
            if n % 7 == 3:
                pattern = edited.patterns[0] if n % 2 else kit.patterns[0]
                sent.set_kit(kit, self.takes(), groove_of(pattern))
            made.append((played(still, 2000), played(sent, 2000)))
        for one, other in made:
            np.testing.assert_allclose(one, other, atol=1e-6)


class Which(unittest.TestCase):
    def test_only_what_runs_live_and_goes_by_ramps(self) -> None:
        kit = kit_with(
            Stage(id="r", process=Reverb()), Stage(id="g", process=Gain()), master=Master()
        )
        process = {"of": "process", "bus": "b"}
        for address, wanted in (
            (GAIN, True),
            (LEVEL, True),
            (Address(stage="r", field="decay_ms", **process), True),
            (Address(stage="r", field="size", **process), False),  # another length of its lines
            (Address(stage="none", field="level_db", **process), False),
            (Address(of="stage", field="dry", bus="b", stage="g"), True),
            (Address(of="pad", field="level_db", pad="p0"), False),
            (Address(of="process", field="level_db", pad="p0", stage="g"), False),
            (Address(of="bus", field="mono_hz", bus="b"), False),
            (Address(of="send", field="level_db", bus="b", to="none"), False),
        ):
            with self.subTest(address):
                self.assertEqual(may_move(kit, address), wanted)
