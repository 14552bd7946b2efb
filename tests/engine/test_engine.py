"""The engine: exact to the frame, equal to the bit, live, offline and on a card."""

import unittest

import numpy as np

from puddle.engine import layout
from puddle.engine.engine import Engine
from puddle.engine.layout import VOICES
from puddle.kit.model.document import Bus
from tests.support.engines import RATE, kit_of, played, take_of
from tests.support.sounds import pattern


class Strikes(unittest.TestCase):
    def test_on_the_very_frame(self) -> None:
        for block in (1, 37, 64, 1000):
            engine = Engine(RATE)
            engine.set_kit(kit_of({}), {"p0": take_of(0.5, 10)}, None)
            for frame in (0, 31, 32, 333, 1000):
                engine.strike(0, 127, frame=frame)
            out = played(engine, 1500, block)[:, 0]
            wanted = np.zeros(1500)
            for frame in (0, 31, 32, 333, 1000):
                wanted[frame : frame + 10] += 0.5
            self.assertTrue(np.array_equal(out, wanted.astype(np.float32)), block)

    def test_velocity_is_the_square_of_the_strength(self) -> None:
        engine = Engine(RATE)
        kit = kit_of({}, {"velocity_amount": 0.0})
        engine.set_kit(kit, {"p0": take_of(1.0, 1), "p1": take_of(1.0, 1)}, None)
        engine.strike(0, 64, frame=0)
        engine.strike(1, 64, frame=10)
        out = played(engine, 64)
        self.assertAlmostEqual(float(out[0, 0]), (64 / 127) ** 2, places=6)
        self.assertEqual(float(out[10, 0]), 1.0)

    def test_level_and_pan(self) -> None:
        engine = Engine(RATE)
        engine.set_kit(kit_of({"level_db": -6.0, "pan": 100.0}), {"p0": take_of(1.0, 4)}, None)
        engine.strike(0, 127)
        out = played(engine, 64)
        self.assertLess(abs(float(out[0, 0])), 1e-7)
        self.assertAlmostEqual(float(out[0, 1]), 10 ** (-6 / 20), places=6)

    def test_tune_plays_faster(self) -> None:
        t = np.arange(4800)
        sine = np.sin(2 * np.pi * 200 * t / RATE)
        take = np.stack([sine, sine], 1).astype(np.float32)
        engine = Engine(RATE)
        engine.set_kit(kit_of({"tune_st": 12.0}), {"p0": take}, None)
        engine.strike(0, 127)
        out = played(engine, 2400)[10:2300, 0]
        wanted = np.sin(2 * np.pi * 400 * np.arange(10, 2300) / RATE)
        self.assertLess(float(np.abs(out - wanted).max()), 1e-4)

    def test_choking_can_go_one_way_only(self) -> None:
        """A pedal cuts the open hat off; the open hat leaves the pedal alone."""
        engine = Engine(RATE)
        kit = kit_of({"chokes": 2}, {"choke_group": 2})
        engine.set_kit(kit, {"p0": take_of(0.25, 48000), "p1": take_of(0.5, 48000)}, None)
        engine.strike(1, 127)
        played(engine, 3200)
        engine.strike(0, 127)
        found = played(engine, 3200)
        np.testing.assert_allclose(found[600:], 0.25, atol=1e-6)  # the open one is gone
        engine.strike(1, 127)
        found = played(engine, 3200)
        np.testing.assert_allclose(found[600:], 0.75, atol=1e-6)  # the pedal still sounds
        engine.strike(1, 127)  # one group: it cuts itself off
        np.testing.assert_allclose(played(engine, 3200)[600:], 0.75, atol=1e-6)

    def test_choke_starts_on_its_frame(self) -> None:
        for block in (1, 37, 64, 500):
            engine = Engine(RATE)
            group = {"choke_group": 3}
            takes = {"p0": take_of(0.5, 4000), "p1": take_of(0.0, 10)}
            engine.set_kit(kit_of(group, group), takes, None)
            engine.strike(0, 127, frame=0)
            engine.strike(1, 127, frame=777)
            out = played(engine, 2000, block)[:, 0]
            self.assertTrue((out[:777] == 0.5).all(), block)
            self.assertLess(float(out[778]), 0.5)
            self.assertEqual(float(np.abs(out[777 + 241 :]).max()), 0.0)
            steps = np.abs(np.diff(out[770:1100]))
            self.assertLess(float(steps.max()), 0.01)  # a fade, no click

    def test_gates_ring_while_they_are_held(self) -> None:
        engine = Engine(RATE)
        kit = kit_of({"trigger": "gate", "release_ms": 10.0}, {})
        engine.set_kit(kit, {"p0": take_of(0.5, 40000), "p1": take_of(0.25, 40000)}, None)
        engine.strike(0, 127, frame=0)
        engine.release(0, frame=1000)
        engine.strike(1, 127, frame=5000)
        engine.release(1, frame=5100)  # a one-shot plays whole
        out = played(engine, 6000)[:, 0]
        self.assertTrue((out[:1000] == 0.5).all())
        self.assertAlmostEqual(float(out[1000 + 240]), 0.25, delta=0.01)
        self.assertEqual(float(np.abs(out[1000 + 481 : 5000]).max()), 0.0)
        self.assertTrue((out[5200:] == 0.25).all())

    def test_muted_and_solo_pads(self) -> None:
        takes = {"p0": take_of(0.5, 4), "p1": take_of(0.25, 4)}
        for first, heard in (({"mute": True}, 0.25), ({"solo": True}, 0.5)):
            engine = Engine(RATE)
            engine.set_kit(kit_of(first, {}), takes, None)
            engine.strike(0, 127)
            engine.strike(1, 127)
            self.assertEqual(float(played(engine, 32)[0, 0]), heard)

    def test_tables_wait_for_a_full_ring(self) -> None:
        """Commands that nothing drains fill the ring; what was edited meanwhile still arrives."""
        engine = Engine(RATE)
        engine.set_kit(kit_of({}), {"p0": take_of(0.25, 100)}, None)
        while engine.strike(0, 127):
            pass
        for level in (-20.0, -6.0):
            kit = kit_of({"bus": "b"}, buses=(Bus(id="b", name="B", level_db=level),))
            engine.set_kit(kit, {"p0": take_of(0.5, 100)}, None)
        played(engine, 9600)
        engine.strike(0, 127)
        self.assertAlmostEqual(
            float(played(engine, 64)[:, 0].max()), 0.5 * 10 ** (-6 / 20), places=5
        )

    def test_too_many_voices_do_not_click(self) -> None:
        engine = Engine(RATE)
        engine.set_kit(kit_of({}), {"p0": take_of(0.001, 200000)}, None)
        for n in range(VOICES + 20):
            engine.strike(0, 127, frame=10 + n * 200)
        out = played(engine, 200 * (VOICES + 40))[:, 0]
        self.assertLess(float(np.abs(np.diff(out)).max()), 0.0011)
        self.assertLessEqual(float(out.max()), 0.001 * (VOICES + 2))

    def test_more_pads_are_only_known_with_their_table(self) -> None:
        """The count travels with the table: the engine never reads past the one it has."""
        engine = Engine(RATE)
        engine.set_kit(kit_of({}), {"p0": take_of(0.5, 10)}, None)
        played(engine, 32)
        many = kit_of(*({} for _ in range(40)))
        engine.set_kit(many, {"p39": take_of(0.25, 10)}, None)
        self.assertEqual(int(engine.sender.tables[layout.PADS]["count"]), 1)
        engine.strike(39, 127)
        self.assertEqual(float(played(engine, 32).max()), 0.25)
        self.assertEqual(int(engine.sender.tables[layout.PADS]["count"]), 40)

    def test_pads_taken_away_while_they_ring(self) -> None:
        engine = Engine(RATE)
        gate = {"trigger": "gate"}
        engine.set_kit(kit_of(*(gate for _ in range(8))), {"p7": take_of(0.5, 9000)}, None)
        engine.strike(7, 127)
        played(engine, 320)
        engine.set_kit(kit_of(), {}, None)
        engine.stop()
        engine.release(7)
        out = played(engine, 9600)
        self.assertFalse(np.diff(out[:, 0]).max() > 0.0, "it is let go at once, within its release")
        self.assertFalse(out[9000:].any())

    def test_takes_live_until_they_have_rung_out(self) -> None:
        engine = Engine(RATE)
        engine.set_kit(kit_of({}), {"p0": take_of(0.5, 20000)}, None)
        engine.strike(0, 127)
        first = played(engine, 320)
        for n in range(50):
            engine.set_kit(kit_of({}), {"p0": take_of(0.01 * n, 100)}, None)
            played(engine, 64)
        rest = played(engine, 10000)
        self.assertTrue((first == 0.5).all())
        self.assertTrue((rest == 0.5).all())
        played(engine, 10000)
        engine.set_kit(kit_of({}), {}, None)
        played(engine, 64)
        engine.set_kit(kit_of({}), {}, None)
        self.assertEqual(engine.sender.retired_takes, [])
        self.assertLess(len(engine.sender.kept), 6)


class Patterns(unittest.TestCase):
    def onsets(self, engine: Engine, frames: int, block: int) -> list[int]:
        out = played(engine, frames, block)[:, 0]
        return np.flatnonzero(out > 0).tolist()

    def test_every_hit_on_its_frame_for_hours(self) -> None:
        """A loop whose steps fall between frames never drifts."""
        for block in (37, 256):
            engine = Engine(RATE)
            kit = kit_of({}, tempo_bpm=103.7)
            groove = pattern(("p0", (0, 3, 8)), length=12)
            engine.set_kit(kit, {"p0": take_of(1.0, 1)}, groove)
            engine.play()
            heard = self.onsets(engine, 400000, block)
            wanted = []
            for turn in range(20):
                for step in (0, 3, 8):
                    beat = turn * 3.0 + step / 4
                    frame = int(np.floor(beat * 60 * RATE / 103.7 + 0.5))
                    if frame < 400000:
                        wanted.append(frame)
            self.assertEqual(heard, sorted(wanted))

    def test_swing_moves_every_second_step(self) -> None:
        engine = Engine(RATE)
        groove = pattern(("p0", (0, 1, 2, 3)), swing=66.0)
        engine.set_kit(kit_of({}, tempo_bpm=120.0), {"p0": take_of(1.0, 1)}, groove)
        engine.play()
        self.assertEqual(self.onsets(engine, 24000, 64), [0, 7920, 12000, 19920])

    def test_a_pattern_changed_while_it_runs_goes_on_from_there(self) -> None:
        engine = Engine(RATE)
        kit = kit_of({}, tempo_bpm=120.0)
        takes = {"p0": take_of(1.0, 1)}
        engine.set_kit(kit, takes, pattern(("p0", (0, 4, 8, 12))))
        engine.play()
        self.assertEqual(self.onsets(engine, 30016, 64), [0, 24000])
        engine.set_kit(kit, takes, pattern(("p0", (2, 6, 10))))
        found = [n + 30016 for n in self.onsets(engine, 66000, 64)]
        self.assertEqual(found, [36000, 60000])

    def test_tempo_changes_keep_the_place(self) -> None:
        engine = Engine(RATE)
        takes = {"p0": take_of(1.0, 1)}
        groove = pattern(("p0", tuple(range(16))))
        engine.set_kit(kit_of({}, tempo_bpm=120.0), takes, groove)
        engine.play()
        self.assertEqual(self.onsets(engine, 12032, 64), [0, 6000, 12000])
        engine.set_kit(kit_of({}, tempo_bpm=60.0), takes, groove)
        # 32 frames of a step of 6,000 are gone; the rest takes twice as long.
        self.assertEqual(self.onsets(engine, 13000, 64)[0], 2 * 5968)

    def test_stopping_and_starting_again(self) -> None:
        engine = Engine(RATE)
        groove = pattern(("p0", (0,)))
        engine.set_kit(kit_of({}), {"p0": take_of(1.0, 1)}, groove)
        engine.play()
        self.assertEqual(self.onsets(engine, 320, 32), [0])
        engine.stop()
        self.assertEqual(self.onsets(engine, 100000, 500), [])
        engine.play()
        # The start falls on the next quantum of 32 frames.
        self.assertLess(self.onsets(engine, 320, 32)[0], 32)

    def test_what_was_asked_is_told_before_the_card_comes_for_it(self) -> None:
        """Else who asks within a block believes that it was not asked for."""
        engine = Engine(RATE)
        engine.set_kit(kit_of({}), {"p0": take_of(1.0, 1)}, pattern(("p0", (0,))))
        self.assertFalse(engine.playing)
        engine.play(-4.0)
        self.assertEqual((engine.playing, engine.beat), (True, -4.0))
        self.assertEqual(engine.heard_beat(999.0), -4.0)
        engine.stop()
        self.assertFalse(engine.playing)
        played(engine, 64)
        self.assertFalse(engine.playing)
        engine.play()
        played(engine, 6400)
        self.assertAlmostEqual(engine.beat, 6400 / RATE * 2.0, delta=0.003)
        engine.silence()
        self.assertFalse(engine.playing)

    def test_gated_pads_are_let_go_by_the_pattern(self) -> None:
        engine = Engine(RATE)
        kit = kit_of({"trigger": "gate", "release_ms": 1.0}, tempo_bpm=120.0)
        engine.set_kit(kit, {"p0": take_of(0.5, 48000)}, pattern(("p0", (0,))))
        engine.play()
        out = played(engine, 24000)[:, 0]
        self.assertEqual(float(out[5990]), 0.5)
        self.assertEqual(float(np.abs(out[6060:]).max()), 0.0)
