"""When patterns sound: one schedule, read by engine, bounce and MIDI file alike."""

import io
import tempfile
import unittest
from pathlib import Path

import mido
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.engine.engine import Engine
from puddle.engine.offline import bounce, lane_stems, strike
from puddle.formats.midi import TICKS_PER_BEAT, midi_bytes
from puddle.formats.store import SampleStore
from puddle.kit.edits.own_values import varied_pads
from puddle.kit.model.address import Address
from puddle.kit.model.document import Flam, Hit, Kit, Lane, OwnValue, Pattern, Play
from puddle.kit.model.pattern import GRIDS, Grid
from puddle.kit.playing.groove import Groove, groove_of, in_order, turned_to
from puddle.kit.playing.schedule import pattern_beats, strokes_of, strokes_until
from puddle.render.take import Takes
from puddle.render.takeset import TakeSet
from tests.support.engines import RATE, kit_of, played, take_of
from tests.support.sounds import small_kit

ODD = Pattern(
    id="a",
    name="A",
    length=15,
    swing=66.0,
    lanes=(Lane(pad="p0", hits=(Hit(at=0), Hit(at=1), Hit(at=14))),),
)

GRID = st.sampled_from(list(GRIDS))


def turned(values: tuple[float, ...], frames: int = 1) -> TakeSet:
    """Takes that tell their turn by their level."""
    return TakeSet(
        (1,), len(values), ready={(0, n, 0): take_of(v, frames) for n, v in enumerate(values)}
    )


class Strokes(unittest.TestCase):
    def test_swing_belongs_to_the_step_in_every_pass(self) -> None:
        """15 steps at 66 %: the second step of the second pass falls at 3.75 + 0.33 beats."""
        beats = [stroke.beat for stroke in strokes_until(ODD, 8.0)]
        np.testing.assert_allclose(beats, [0, 0.33, 3.5, 3.75, 4.08, 7.25, 7.5, 7.83])

    @given(
        st.integers(1, 24), GRID, st.floats(50, 75), st.lists(st.integers(0, 30)),
        st.integers(1, 40),
    )  # fmt: skip
    def test_turns_count_up_and_nothing_is_lost(
        self, length: int, grid: Grid, swing: float, steps: list[int], beats: int
    ) -> None:
        lanes = (Lane(pad="a", hits=tuple(Hit(at=s) for s in steps)),)
        made = Pattern(id="a", name="", length=length, grid=grid, swing=swing, lanes=lanes)
        found = strokes_until(made, float(beats))
        self.assertEqual([s.turn for s in found], list(range(len(found))))
        self.assertTrue(all(0.0 <= s.beat < beats for s in found))
        kept = sum(1 for s in steps if s < length)
        self.assertEqual(len(strokes_of(made)), kept)
        self.assertGreaterEqual(len(found), kept * int(beats / pattern_beats(made)) - kept)


class OneTime(unittest.TestCase):
    """Live, bounced and written as MIDI a groove of odd length falls on the same frames."""

    BARS = 3

    def heard_live(self, kit: Kit) -> np.ndarray:
        engine = Engine(RATE)
        engine.set_kit(kit, {"p0": take_of(1.0, 1)}, ODD)
        engine.play()
        return played(engine, round(self.BARS * 4 * RATE / 2), 64)[:, 0]

    def test_live_bounce_and_midi_agree(self) -> None:
        kit = kit_of({"notes": (36,)}, tempo_bpm=120.0)
        live = np.flatnonzero(self.heard_live(kit) > 0).tolist()
        notes = mido.MidiFile(file=io.BytesIO(midi_bytes(kit, ODD, 4.0 * self.BARS)))
        at, ticks = 0, []
        for message in notes.tracks[1]:
            at += message.time
            if message.type == "note_on":
                ticks.append(at)
        frames = [round(tick / TICKS_PER_BEAT * RATE / 2) for tick in ticks]
        self.assertEqual(len(live), 11)
        np.testing.assert_allclose(live, frames, atol=RATE / 2 / TICKS_PER_BEAT)

    @settings(deadline=None, max_examples=20)
    @given(
        st.integers(1, 20), GRID, st.floats(50, 75), st.floats(60, 240),
        st.lists(st.tuples(st.integers(0, 19), st.floats(0.1, 30.0)), min_size=1, max_size=6),
    )  # fmt: skip
    def test_to_the_bit(
        self, length: int, grid: Grid, swing: float, bpm: float, hits: list[tuple[int, float]]
    ) -> None:
        """A gated pad of three turns: what is held over the loop's end is let go alike, too."""
        lanes = (Lane(pad="p0", hits=tuple(Hit(at=s, length=long) for s, long in hits)),)
        groove = Pattern(id="a", name="", length=length, grid=grid, swing=swing, lanes=lanes)
        kit = kit_of({"trigger": "gate", "release_ms": 5.0}, tempo_bpm=bpm)
        takes = {"p0": turned((0.2, 0.3, 0.4), 9000)}
        once, again = Engine(RATE), Engine(RATE)
        once.set_kit(kit, takes, groove)
        again.set_kit(kit, takes, groove, beats=64.0)
        for engine in (once, again):
            engine.play()
        frames = round(8 * 60 / bpm * RATE)
        np.testing.assert_array_equal(played(once, frames, 480), played(again, frames, 480))


class EverythingAtOnce(unittest.TestCase):
    """Chance, scatter, swing, rolls, flams, shifts, own lengths: live and bounced alike."""

    RICH = Pattern(
        id="rich",
        name="Rich",
        length=12,
        swing=61.0,
        lanes=(
            Lane(
                pad="p0",
                scatter_ms=9.0,
                scatter_velocity=20.0,
                shift_ms=-7.0,
                hits=(
                    Hit(at=0, chance=60.0, flams=(Flam(before_ms=31.0),)),
                    Hit(at=3, roll=5, ramp=70.0, length=1.5),
                    Hit(at=10, chance=40.0, nudge_ms=40.0),
                ),
            ),
            Lane(
                pad="p1",
                length=7,
                grid="1/16 triplet",
                hits=(Hit(at=0, length=3.0), Hit(at=4, every=3, which=2), Hit(at=5, chance=25.0)),
            ),
        ),
    )
    OTHER = Pattern(
        id="other", name="Other", length=9, lanes=(Lane(pad="p1", hits=(Hit(at=1, chance=70.0),)),)
    )
    BPM, BEATS = 131.0, 150.0

    def engine(self, groove: Groove, beats: float | None = None) -> Engine:
        kit = kit_of({}, {"trigger": "gate", "release_ms": 4.0}, tempo_bpm=self.BPM)
        engine = Engine(RATE)
        takes = {"p0": turned((0.2, 0.3, 0.4), 900), "p1": turned((0.1, 0.5), 4000)}
        engine.set_kit(kit, takes, groove, beats)
        engine.play()
        return engine

    def heard(self, engine: Engine, frames: int, block: int) -> np.ndarray:
        """Played, and more of it asked for every now and then, as the window does."""
        made = []
        for _ in range(0, frames, 48000):
            made.append(played(engine, 48000, block))
            engine.extend()
        return np.concatenate(made)

    def test_to_the_bit_for_any_block_and_over_several_spans(self) -> None:
        order = Kit(
            name="",
            patterns=(self.RICH, self.OTHER),
            order=(Play(pattern="rich", times=3), Play(pattern="other", times=2)),
        )
        for groove in (groove_of(self.RICH), in_order(order)):
            frames = int((self.BEATS - 2.0) * 60.0 / self.BPM * RATE) // 48000 * 48000
            whole = self.heard(self.engine(groove, self.BEATS), frames, 480)
            self.assertGreater(int((np.abs(whole[:, 0]) > 0).sum()), frames // 50)
            for block in (64, 37):
                np.testing.assert_array_equal(self.heard(self.engine(groove), frames, block), whole)

    def test_begun_anew_while_it_plays_it_is_the_beginning(self) -> None:
        """Events of a long groove are sent from where it is: then from where it begins again."""
        engine, frames = self.engine(groove_of(self.RICH)), 48000
        first = self.heard(engine, 40 * frames, 480)[:frames]
        engine.play()
        again = np.abs(played(engine, frames, 480)[:, 0])
        self.assertGreater(float(again[2000:].max()), 0.0)
        silent = np.abs(first[:, 0]) == 0
        silent[:9600] = False
        self.assertEqual(float(again[silent].max()), 0.0)

    def test_what_changes_while_it_plays_is_heard_ahead_of_the_next_block(self) -> None:
        """Two beats on, another pattern comes at the next bar, and only there."""
        engine = self.engine(groove_of(self.RICH))
        frames = round(2.0 * 60.0 / self.BPM * RATE)
        before = played(engine, frames, 64)
        kit = engine._kit
        assert kit is not None
        groove = turned_to(groove_of(self.RICH), self.OTHER, engine.beat, "next bar")
        takes = {"p0": turned((0.2, 0.3, 0.4), 900), "p1": turned((0.1, 0.5), 4000)}
        engine.set_kit(kit, takes, groove)
        after = played(engine, 3 * frames, 64)
        whole = played(self.engine(groove), 4 * frames, 64)
        np.testing.assert_array_equal(np.concatenate([before, after])[:, 0] > 0, whole[:, 0] > 0)


class OwnValues(unittest.TestCase):
    def test_a_hit_with_own_values_plays_a_take_of_its_own(self) -> None:
        """Level is of the pad, decay of its voice: both are heard at the hit, nowhere else."""
        kit = small_kit()
        level = OwnValue(address=Address(of="pad", pad="pad1", field="level_db"), value=-12.0)
        pattern = Pattern(
            id="a",
            name="A",
            length=8,
            lanes=(Lane(pad="pad1", hits=(Hit(at=0), Hit(at=4, values=(level,)))),),
        )
        takes = Takes(SampleStore(Path(tempfile.mkdtemp())), RATE)
        made = bounce(kit, pattern, 1, takes).master
        beat = round(60.0 / kit.tempo_bpm * RATE)
        first, second = made[:beat], made[beat : 2 * beat]
        loud = strike(kit.pads[0], takes, 100.0)[: beat // 2]
        np.testing.assert_allclose(second[: beat // 2], loud * 10.0 ** (-12 / 20), atol=2e-4)
        self.assertGreater(np.abs(first).max(), 3.0 * np.abs(second).max())

    def test_its_voices_are_those_of_its_pad(self) -> None:
        """A mono pad is cut off by a strike with own values, and the other way round."""
        kit = kit_of({"limit": 1}, tempo_bpm=120.0)
        level = OwnValue(address=Address(of="pad", pad="p0", field="level_db"), value=-6.0)
        pattern = Pattern(
            id="a",
            name="A",
            length=4,
            lanes=(Lane(pad="p0", hits=(Hit(at=0), Hit(at=2, values=(level,)))),),
        )
        varied = varied_pads(kit, (pattern,))
        engine = Engine(RATE)
        takes = {pad_id: take_of(0.5, 96000) for pad_id in ("p0", varied[0].pad.id)}
        engine.set_kit(kit, takes, pattern, varied=varied)
        engine.play()
        for _ in range(40):
            played(engine, 6400, 64)
            self.assertLessEqual(engine.sounding, 2, "one rings, one may fade for 3 ms")


class Turns(unittest.TestCase):
    def levels(self, engine: Engine, frames: int) -> list[float]:
        out = played(engine, frames, 64)[:, 0]
        return [round(float(v), 3) for v in out[out > 0]]

    def test_a_strike_by_hand_leaves_the_grooves_turns_alone(self) -> None:
        groove = Pattern(
            id="a", name="", length=4, lanes=(Lane(pad="p0", hits=(Hit(at=0, velocity=127),)),)
        )
        kit, takes = kit_of({}, tempo_bpm=120.0), {"p0": turned((0.1, 0.2, 0.3))}
        engine = Engine(RATE)
        engine.set_kit(kit, takes, groove)
        engine.play()
        self.assertEqual(self.levels(engine, 24000 + 640), [0.1, 0.2])
        engine.strike(0, 127)
        engine.strike(0, 127, frame=engine.clock + 100)
        self.assertEqual(self.levels(engine, 23000), [0.1, 0.2], "the hand has turns of its own")
        self.assertEqual(self.levels(engine, 48000), [0.3, 0.1])

    def test_a_bounce_has_the_turns_of_the_first_passes(self) -> None:
        kit = kit_of({}, tempo_bpm=120.0)
        engine = Engine(RATE)
        engine.set_kit(kit, {"p0": turned((0.1, 0.2, 0.3, 0.4))}, ODD)
        engine.play()
        live = self.levels(engine, 192000)
        engine = Engine(RATE)
        engine.set_kit(kit, {"p0": turned((0.1, 0.2, 0.3, 0.4))}, ODD, beats=8.0)
        engine.play()
        self.assertEqual(self.levels(engine, 192000 + 48000), live)
        self.assertTrue(callable(bounce))


class Crossing(unittest.TestCase):
    def test_each_voice_goes_over_to_its_own_velocity_and_turn(self) -> None:
        """A soft strike rings while a hard one is struck: both go over, each to its like."""
        kit = kit_of({}, tempo_bpm=120.0)

        def takes(gain: float) -> dict[str, TakeSet]:
            ready = {(n, 0, 0): take_of(gain * v, 48000) for n, v in enumerate((0.1, 0.4))}
            return {"p0": TakeSet((1, 64), 1, ready=ready)}

        engine = Engine(RATE)
        engine.set_kit(kit, takes(1.0), None)
        engine.strike(0, 30)
        played(engine, 3200)
        engine.strike(0, 127)
        before = float(played(engine, 640)[-1, 0])
        engine.set_kit(kit, takes(0.5), None)
        engine.cross(0)
        after = float(played(engine, 4800)[-1, 0])
        self.assertAlmostEqual(after, before / 2, delta=1e-4)


class Stems(unittest.TestCase):
    def test_lanes_add_up_to_the_mix_of_a_kit_whose_stages_are_linear(self) -> None:
        kit = small_kit()
        lanes = tuple(
            Lane(pad=pad.id, hits=(Hit(at=n), Hit(at=n + 7, chance=50.0)))
            for n, pad in enumerate(kit.pads)
        )
        pattern = Pattern(id="a", name="A", lanes=lanes)
        takes = Takes(SampleStore(Path(tempfile.mkdtemp())), RATE)
        mix = bounce(kit, pattern, 2, takes).master
        stems = lane_stems(kit, pattern, 2, takes)
        self.assertEqual(set(stems), {pad.name for pad in kit.pads})
        total = np.sum(list(stems.values()), axis=0)
        frames = min(len(total), len(mix))
        rest = float(np.abs(total[:frames] - mix[:frames]).max())
        self.assertLess(rest, 10.0 ** (-90 / 20) * float(np.abs(mix).max()))
