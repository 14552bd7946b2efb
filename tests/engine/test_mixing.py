"""Buses of the engine: aligned, gliding, crossing over, and never poisoned."""

import time
import unittest

import numpy as np

from puddle.engine.engine import Engine
from puddle.engine.layout import GRAPH
from puddle.kit import edits
from puddle.kit.model.document import Bus, Kit, Master, Stage
from puddle.parameter import changed
from puddle.stages import Equalizer, Limiter
from tests.support.engines import CHAIN, RATE, kit_of, played, take_of
from tests.support.sounds import noise, pattern


class Mixing(unittest.TestCase):
    def kit(self) -> tuple[Kit, dict[str, np.ndarray]]:
        buses = (Bus(id="b", name="B", stages=CHAIN, level_db=-2.0),)
        master = Master(stages=(Stage(id="l", process=Limiter(ceiling_db=-3)),), level_db=1.0)
        kit = kit_of(
            {"bus": "b"}, {}, {"choke_group": 1, "tune_st": 3.0}, buses=buses, master=master
        )
        return kit, {f"p{n}": noise(0.4, n) for n in range(3)}

    def test_any_block_size_gives_the_same_samples(self) -> None:
        kit, takes = self.kit()
        groove = pattern(("p0", (0, 5)), ("p1", (3, 9)), ("p2", tuple(range(0, 16, 2))), swing=58.0)
        first = None
        for block in (1, 37, 64, 128, 256, 1024):
            engine = Engine(RATE)
            engine.set_kit(kit, takes, groove)
            engine.play()
            out = played(engine, 60000, block)
            first = out if first is None else first
            self.assertTrue(np.array_equal(out, first), block)
        self.assertGreater(float(np.abs(first).max()) if first is not None else 0.0, 0.1)

    def test_buses_are_aligned(self) -> None:
        """A bus with a limiter is late; the others wait for it."""
        late = (Stage(id="l", process=Limiter(ceiling_db=0)),)
        kit = kit_of({"bus": "b"}, {}, buses=(Bus(id="b", name="B", stages=late),))
        engine = Engine(RATE)
        engine.set_kit(kit, {"p0": take_of(0.25, 1), "p1": take_of(0.25, 1)}, None)
        engine.strike(0, 127)
        engine.strike(1, 127)
        out = played(engine, 640)[:, 0]
        self.assertEqual(np.flatnonzero(out > 0.01).tolist(), [engine.latency_frames])
        self.assertEqual(float(out.max()), 0.5)

    def test_after_silence_all_is_as_it_was(self) -> None:
        """Sleeping buses wake with the state of a new engine: same strike, same samples."""
        kit, takes = self.kit()
        engine = Engine(RATE)
        engine.set_kit(kit, takes, None)
        engine.strike(0, 127)
        first = played(engine, 32000)
        played(engine, 96000)
        engine.strike(0, 127)
        self.assertTrue(np.array_equal(played(engine, 32000), first))

    def test_bus_gauges_glide(self) -> None:
        kit = kit_of({"bus": "b"}, buses=(Bus(id="b", name="B"),))
        takes = {"p0": take_of(0.5, 96000)}
        engine = Engine(RATE)
        engine.set_kit(kit, takes, None)
        engine.strike(0, 127)
        played(engine, 3200)
        engine.set_kit(edits.set_bus(kit, "b", level_db=-40.0), takes, None)
        out = played(engine, 32000)[:, 0]
        self.assertLess(float(np.abs(np.diff(out)).max()), 0.002)
        self.assertAlmostEqual(float(out[-1]), 0.005, places=5)

    def test_equalizer_gauges_glide_and_arrive(self) -> None:
        stage = Stage(id="e", process=Equalizer(low_shelf_db=0.0, low_shelf_hz=2000))
        kit = kit_of({}, master=Master(stages=(stage,)))
        takes = {"p0": take_of(0.1, 96000)}
        engine = Engine(RATE)
        engine.set_kit(kit, takes, None)
        engine.strike(0, 127)
        played(engine, 3200)
        loud = changed(stage, process=Equalizer(low_shelf_db=12.0, low_shelf_hz=2000))
        engine.set_kit(changed(kit, master=Master(stages=(loud,))), takes, None)
        out = played(engine, 20000)[:, 0]
        self.assertLess(float(np.abs(np.diff(out)).max()), 0.02)
        self.assertAlmostEqual(float(out[-1]), 0.1 * 10 ** (12 / 20), places=4)

    def test_stages_come_and_go_without_a_click(self) -> None:
        """A sine rings on through stages put in, turned, bypassed and taken out.

        The largest second difference of a sine is its level times the square of its step; a jump
        of a tenth of its level would be five times as much.
        """
        loud = Stage(id="e", process=Equalizer(bell1_db=9.0, bell1_hz=300.0))
        late = Stage(id="l", process=Limiter(ceiling_db=0.0))
        low = Stage(id="h", process=Equalizer(low_cut_on=True, low_cut_hz=120.0))
        rows = [
            (),
            (loud,),
            (loud, late),
            (late, loud),
            (changed(late, on=False), loud),
            (low,),
            (),
        ]
        tone = 0.2 * np.sin(2 * np.pi * 300.0 * np.arange(96000) / RATE).astype(np.float32)
        takes = {"p0": np.stack([tone, tone], axis=1), "p1": take_of(0.0, 1)}
        for where in ("bus", "master", "beside"):
            kit = kit_of(
                {"bus": "b"}, {"bus": "c"}, buses=(Bus(id="b", name="B"), Bus(id="c", name="C"))
            )
            engine = Engine(RATE)
            engine.set_kit(kit, takes, None)
            engine.strike(0, 127)
            out = [played(engine, 3200)]
            for row in rows:
                if where == "master":
                    kit = changed(kit, master=Master(stages=row))
                else:
                    changing = "b" if where == "bus" else "c"
                    kit = changed(
                        kit,
                        buses=tuple(
                            changed(bus, stages=row) if bus.id == changing else bus
                            for bus in kit.buses
                        ),
                    )
                engine.set_kit(kit, takes, None)
                out.append(played(engine, 4800))
            heard = np.concatenate(out)[:, 0].astype(np.float64)
            gain = 10 ** (9 / 20) if where != "beside" else 1.0
            still = 0.2 * gain * (2 * np.pi * 300.0 / RATE) ** 2
            self.assertLess(float(np.abs(np.diff(heard, 2)).max()), 1.6 * still, where)
            engine.set_kit(changed(kit, tempo_bpm=99.0), takes, None)
            self.assertEqual(len([k for k in engine.sender.kept if k.which == GRAPH]), 1)
            self.assertLess(
                float(np.abs(heard[-2000:] - tone[len(heard) - 2000 : len(heard)]).max()), 1e-6
            )

    def test_stages_changed_while_others_cross(self) -> None:
        """Edits faster than the crossing end where the last one says, and free their tables."""
        kit = kit_of({"bus": "b"}, buses=(Bus(id="b", name="B"),))
        takes = {"p0": take_of(0.25, 96000)}
        engine = Engine(RATE)
        engine.set_kit(kit, takes, None)
        engine.strike(0, 127)
        rng = np.random.default_rng(1)
        for n in range(40):
            row = (Stage(id="e", process=Equalizer(low_shelf_db=float(n % 7))),) * (n % 3 > 0)
            row += (Stage(id="l", process=Limiter(ceiling_db=0.0)),) * (n % 2)
            kit = changed(kit, buses=(Bus(id="b", name="B", stages=row),))
            engine.set_kit(kit, takes, None)
            played(engine, int(rng.integers(1, 900)))
        kit = changed(kit, buses=(Bus(id="b", name="B"),))
        engine.set_kit(kit, takes, None)
        out = played(engine, 9600)[:, 0]
        self.assertEqual(float(out[-1]), 0.25)
        self.assertEqual(engine.poisoned, 0)
        engine.set_kit(changed(kit, tempo_bpm=99.0), takes, None)
        self.assertEqual(len([k for k in engine.sender.kept if k.which == GRAPH]), 1)

    def test_voices_stay_on_their_bus_when_others_go(self) -> None:
        buses = (Bus(id="a", name="A"), Bus(id="b", name="B", level_db=-20.0))
        kit = kit_of({"bus": "b"}, buses=buses)
        takes = {"p0": take_of(0.5, 96000)}
        engine = Engine(RATE)
        engine.set_kit(kit, takes, None)
        engine.strike(0, 127)
        played(engine, 3200)
        engine.set_kit(changed(kit, buses=buses[1:]), takes, None)
        out = played(engine, 3200)[:, 0]
        self.assertLess(float(np.abs(out - 0.05).max()), 1e-6)

    def test_what_is_not_a_number_never_gets_out(self) -> None:
        kit, takes = self.kit()
        bad = noise(0.1)
        bad[100:200] = np.nan
        bad[300] = np.inf
        engine = Engine(RATE)
        engine.set_kit(kit, {**takes, "p0": bad, "p1": bad}, None)
        for pad in (0, 1):
            engine.strike(pad, 127)
        out = played(engine, 9600)
        self.assertTrue(np.isfinite(out).all())
        self.assertGreater(engine.poisoned, 0)
        engine.strike(2, 127)
        healed = played(engine, 4800)
        self.assertTrue(np.isfinite(healed).all())
        self.assertGreater(float(np.abs(healed).max()), 0.05)

    def test_denormal_takes_cost_no_more(self) -> None:
        quiet = np.full((48000, 2), 1e-39, np.float32)
        loud = np.full((48000, 2), 1e-3, np.float32)
        seconds = []
        for take in (loud, quiet):
            engine = Engine(RATE)
            engine.set_kit(kit_of({}), {"p0": take}, None)
            for _ in range(100):
                engine.strike(0, 127)
            played(engine, 640)
            start = time.perf_counter()
            played(engine, 32000, 320)
            seconds.append(time.perf_counter() - start)
        self.assertLess(seconds[1], 3.0 * seconds[0] + 0.02)
