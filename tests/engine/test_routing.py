"""Buses into buses, sends and returns: levels by arithmetic, alignment by nulls, no clicks."""

import math
import unittest
from typing import Any

import msgspec
import numpy as np

from puddle.engine.engine import Engine
from puddle.engine.names import MASTER, send_node, way_node
from puddle.kit.model.document import Bus, Kit, SendTo, Stage
from puddle.stages import Compressor, Equalizer, Limiter
from tests.support.engines import RATE, kit_of, played, take_of

changed = msgspec.structs.replace

LATE = (Stage(id="l", process=Limiter(ceiling_db=0.0)),)


def heard(kit: Kit, takes: dict[str, np.ndarray], frames: int = 4800) -> np.ndarray:
    """The first pad struck, and what is heard."""
    engine = Engine(RATE)
    engine.set_kit(kit, takes, None)
    engine.strike(0, 127)
    return played(engine, frames)


def gain(db: float) -> float:
    return float(10.0 ** (db / 20.0))


ONE = {"p0": take_of(0.1, 48000)}


class Levels(unittest.TestCase):
    def level(self, kit: Kit) -> float:
        return float(heard(kit, ONE)[4000, 0])

    def test_through_two_buses_the_levels_add(self) -> None:
        buses = (Bus(id="a", name="A", level_db=-3.0, into="b"), Bus(id="b", name="B", level_db=-4))
        self.assertAlmostEqual(self.level(kit_of({"bus": "a"}, buses=buses)), 0.1 * gain(-7), 6)

    def test_a_bus_may_stand_after_the_one_that_it_flows_into(self) -> None:
        buses = (Bus(id="b", name="B", level_db=-4), Bus(id="a", name="A", level_db=-3.0, into="b"))
        self.assertAlmostEqual(self.level(kit_of({"bus": "a"}, buses=buses)), 0.1 * gain(-7), 6)

    def test_sends_after_and_before_the_level(self) -> None:
        for before in (False, True):
            for pad_db, send_db in ((-6.0, -12.0), (3.0, 0.0)):
                send = SendTo(bus="r", level_db=send_db, before=before)
                kit = kit_of({"sends": (send,), "level_db": pad_db}, buses=(Bus(id="r", name="R"),))
                sent = gain(send_db) * (1.0 if before else gain(pad_db))
                self.assertAlmostEqual(self.level(kit), 0.1 * (gain(pad_db) + sent), 6)
                bus = Bus(id="a", name="A", level_db=pad_db, sends=(send,))
                kit = kit_of({"bus": "a"}, buses=(bus, Bus(id="r", name="R")))
                self.assertAlmostEqual(self.level(kit), 0.1 * (gain(pad_db) + sent), 6)

    def test_polarity_width_balance_and_mute(self) -> None:
        def of(**values: Any) -> np.ndarray:
            bus = Bus(id="a", name="A", **values)
            sides = {"p0": np.tile(np.array([[0.2, 0.1]], np.float32), (48000, 1))}
            return heard(kit_of({"bus": "a"}, buses=(bus,)), sides)[4000]

        np.testing.assert_allclose(of(flip=True), [-0.2, -0.1], atol=1e-6)
        np.testing.assert_allclose(of(width=0.0), [0.15, 0.15], atol=1e-6)
        np.testing.assert_allclose(of(pan=50.0), [0.1, 0.1], atol=1e-6)
        np.testing.assert_allclose(of(mute=True), [0.0, 0.0])
        # Of a constant all lies under any frequency.
        np.testing.assert_allclose(of(mono_hz=200.0), [0.15, 0.15], atol=1e-4)


class Meters(unittest.TestCase):
    def test_what_is_shown_is_what_is_heard(self) -> None:
        send = SendTo(bus="r", level_db=-10.0)
        buses = (Bus(id="a", name="A", level_db=-3.0, sends=(send,)), Bus(id="r", name="R"))
        engine = Engine(RATE)
        kit = kit_of({"bus": "a", "level_db": -6.0}, buses=buses)
        engine.set_kit(kit, ONE, None)
        engine.meter_pads(True)
        engine.look_at(0, MASTER)
        engine.look_at(1, way_node("a", ""))
        engine.strike(0, 127)
        out = played(engine, 6400)
        bus = 0.1 * gain(-9.0)
        self.assertAlmostEqual(engine.pad_levels()["p0"], 0.1 * gain(-6.0), 6)
        levels = engine.levels()
        self.assertAlmostEqual(levels[way_node("a", "")][0], bus, 6)
        self.assertAlmostEqual(levels[send_node("a", "r")][1], bus * gain(-10.0), 6)
        self.assertAlmostEqual(levels[way_node("r", "")][0], bus * gain(-10.0), 6)
        np.testing.assert_array_equal(engine.heard(0, 6400)[0], out)
        np.testing.assert_allclose(engine.heard(1, 3200)[0], bus, atol=1e-7)
        self.assertEqual(engine.pad_levels()["p0"], 0.0, "since they were read")


class Solo(unittest.TestCase):
    """Two pads on two buses, both sent to a room, and a bass that is keyed by the kick."""

    def setUp(self) -> None:
        sends = (SendTo(bus="room", level_db=0.0),)
        self.buses = (
            Bus(id="a", name="A"), Bus(id="b", name="B"), Bus(id="room", name="Room"),
        )  # fmt: skip
        self.pads: list[dict[str, Any]] = [
            {"bus": "a", "sends": sends}, {"bus": "b", "sends": sends},
        ]  # fmt: skip
        self.takes = {"p0": take_of(0.1, 48000), "p1": take_of(0.01, 48000)}

    def level(self, **solo: Any) -> float:
        """Both struck."""
        engine = Engine(RATE)
        pads = [dict(pad, solo=n in solo.get("pads", ())) for n, pad in enumerate(self.pads)]
        buses = tuple(changed(b, solo=b.id in solo.get("buses", ())) for b in self.buses)
        engine.set_kit(kit_of(*pads, buses=buses), self.takes, None)
        engine.strike(0, 127)
        engine.strike(1, 127)
        return float(played(engine, 4800)[4000, 0])

    def test_what_is_sent_is_kept(self) -> None:
        self.assertAlmostEqual(self.level(), 0.22, 6)
        self.assertAlmostEqual(self.level(pads=(0,)), 0.2, 6)
        self.assertAlmostEqual(self.level(buses=("b",)), 0.02, 6)

    def test_a_room_alone_is_only_what_is_sent(self) -> None:
        self.assertAlmostEqual(self.level(buses=("room",)), 0.11, 6)

    def test_what_keys_a_solo_bus_is_kept_without_being_heard(self) -> None:
        duck = Compressor(threshold_db=-40, ratio=20, attack_ms=0.1, release_ms=50, knee_db=0)
        bass = Bus(id="a", name="A", stages=(Stage(id="c", process=duck, key="p1"),), solo=True)
        engine = Engine(RATE)
        pads = [{"bus": "a"}, {"bus": "b"}]
        takes = {"p0": take_of(0.1, 48000), "p1": take_of(0.5, 48000)}
        engine.set_kit(kit_of(*pads, buses=(bass, self.buses[1])), takes, None)
        engine.strike(0, 127)
        alone = float(played(engine, 4800)[4000, 0])
        engine.strike(1, 127)
        ducked = float(played(engine, 4800)[4000, 0])
        self.assertAlmostEqual(alone, 0.1, 4)
        self.assertLess(ducked, 0.09)


class Aligned(unittest.TestCase):
    def test_paths_of_different_latency_cancel(self) -> None:
        """The same sound upside down through a late bus, by a send or two buses: nothing."""
        rng = np.random.default_rng(1)
        noise = (0.1 * rng.standard_normal((9600, 2))).astype(np.float32)
        zero = SendTo(bus="r", level_db=0.0)
        late = Bus(id="r", name="R", stages=LATE, flip=True)
        deep = Bus(id="r", name="R", stages=LATE, into="s", flip=True)
        plain = Bus(id="a", name="A", sends=(zero,))
        own = Bus(id="a", name="A", stages=LATE, sends=(zero,))
        last = Bus(id="s", name="S", stages=LATE)
        by_bus, by_send = {"bus": "a"}, {"sends": (zero,)}
        for pad, buses in (
            (by_send, (late,)),
            (by_bus, (plain, late)),
            (by_bus, (plain, deep, last)),
            (by_bus, (own, changed(late, stages=()))),
        ):
            out = heard(kit_of(pad, buses=buses), {"p0": noise}, 14400)
            self.assertLess(20 * math.log10(float(np.abs(out).max()) + 1e-12), -110.0)

    def test_a_second_pad_meets_the_first_whatever_its_way(self) -> None:
        click = np.zeros((480, 2), np.float32)
        click[0] = 0.25
        engine = Engine(RATE)
        buses = (Bus(id="a", name="A", into="b"), Bus(id="b", name="B", stages=LATE))
        engine.set_kit(kit_of({"bus": "a"}, {}, buses=buses), {"p0": click, "p1": click}, None)
        engine.strike(0, 127)
        engine.strike(1, 127)
        out = played(engine, 4800)[:, 0]
        self.assertAlmostEqual(float(out.max()), 0.5, 5)


class NoClicks(unittest.TestCase):
    def test_a_sine_through_fifty_random_routings(self) -> None:
        """No step beyond the sine's own slope, at the loudest that it was."""
        rng = np.random.default_rng(7)
        hz, amplitude = 220.0, 0.1
        t = np.arange(10 * 48000) / RATE
        sine = np.repeat((amplitude * np.sin(2 * np.pi * hz * t))[:, None], 2, 1).astype(np.float32)
        names = ("a", "b", "c", "d")
        engine = Engine(RATE)

        def made() -> Kit:
            buses = []
            for n, name in enumerate(names):
                later = ("", *names[n + 1 :])
                sends = tuple(
                    SendTo(bus=other, level_db=float(rng.choice([-20.0, -6.0])))
                    for other in names[n + 1 :]
                    if rng.random() < 0.4
                )
                into = str(rng.choice(later))
                level = float(rng.choice([-12.0, -6.0, -3.0]))
                buses.append(Bus(id=name, name=name, into=into, sends=sends, level_db=level))
            return kit_of({"bus": "a"}, buses=tuple(buses))

        takes = {"p0": sine}
        engine.set_kit(made(), takes, None)
        engine.strike(0, 127)
        parts = [played(engine, 4800)]
        for _ in range(50):
            engine.set_kit(made(), takes, None)
            parts.append(played(engine, int(rng.integers(900, 6000))))
        out = np.concatenate(parts)[:, 0].astype(float)
        loudest = np.abs(out).max()
        slope = 2 * np.pi * hz / RATE * loudest
        # A level on its way adds to the slope: two one-poles of 5 ms, at most 0.37 / 5 ms of it.
        self.assertLess(np.abs(np.diff(out)).max(), slope + 0.4 * loudest / (0.005 * RATE))
        # Clicks are heard over 2 kHz: nothing of the kind is there.
        from scipy.signal import butter, sosfilt

        high = sosfilt(butter(8, 4000.0, "high", fs=RATE, output="sos"), out)[2000:]
        self.assertLess(20 * np.log10(np.abs(high).max() / loudest), -70.0)

    def test_ways_that_are_gone_are_forgotten(self) -> None:
        engine = Engine(RATE)
        one = kit_of({"bus": "a"}, buses=(Bus(id="a", name="A", into="b"), Bus(id="b", name="B")))
        other = changed(one, buses=(Bus(id="a", name="A"), Bus(id="b", name="B")))
        engine.set_kit(one, ONE, None)
        engine.strike(0, 127)
        played(engine, 480)
        engine.set_kit(other, ONE, None)
        assert engine._graph is not None
        self.assertIn(way_node("a", "b"), engine._graph.places)
        engine._graph.went[way_node("a", "b")] -= 1.0
        engine.set_kit(changed(other, master=changed(one.master, level_db=-1.0)), ONE, None)
        self.assertNotIn(way_node("a", "b"), engine._graph.places)

    def test_a_loop_that_came_in_by_a_damaged_kit_is_passed_over(self) -> None:
        buses = (Bus(id="a", name="A", into="b"), Bus(id="b", name="B", into="a"))
        out = heard(kit_of({"bus": "a"}, buses=buses), ONE)
        self.assertTrue(np.isfinite(out).all())
        self.assertLess(float(np.abs(out).max()), 1.0)

    def test_an_equalizer_on_a_return_hears_only_what_is_sent(self) -> None:
        cut = (Stage(id="e", process=Equalizer(low_cut_on=True, low_cut_hz=500.0)),)
        kit = kit_of(
            {"sends": (SendTo(bus="r", level_db=0.0),)}, buses=(Bus(id="r", name="R", stages=cut),)
        )
        # A constant does not pass a low cut: only the pad itself is left.
        self.assertAlmostEqual(float(heard(kit, ONE, 14400)[14000, 0]), 0.1, 4)


if __name__ == "__main__":
    unittest.main()
