"""When patterns sound: one schedule, read by engine, bounce and MIDI file alike."""

import io
import unittest

import mido
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.engine.engine import Engine
from puddle.engine.offline import bounce
from puddle.formats.midi import TICKS_PER_BEAT, midi_bytes
from puddle.kit.model.document import Hit, Kit, Lane, Pattern
from puddle.kit.playing.schedule import strokes_of, strokes_until
from puddle.render.takeset import TakeSet
from tests.support.engines import RATE, kit_of, played, take_of

ODD = Pattern(
    id="a",
    name="A",
    length=15,
    swing=66.0,
    lanes=(Lane(pad="p0", hits=(Hit(step=0), Hit(step=1), Hit(step=14))),),
)


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
        st.integers(1, 24), st.integers(1, 12), st.floats(50, 75), st.lists(st.integers(0, 30)),
        st.integers(1, 40),
    )  # fmt: skip
    def test_turns_count_up_and_nothing_is_lost(
        self, length: int, per_beat: int, swing: float, steps: list[int], beats: int
    ) -> None:
        lanes = (Lane(pad="a", hits=tuple(Hit(step=s) for s in steps)),)
        made = Pattern(
            id="a", name="", length=length, steps_per_beat=per_beat, swing=swing, lanes=lanes
        )
        found = strokes_until(made, float(beats))
        self.assertEqual([s.turn for s in found], list(range(len(found))))
        self.assertTrue(all(0.0 <= s.beat < beats for s in found))
        kept = sum(1 for s in steps if s < length)
        self.assertEqual(len(strokes_of(made)), kept)
        self.assertGreaterEqual(len(found), kept * int(beats * per_beat / length) - kept)


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
        notes = mido.MidiFile(file=io.BytesIO(midi_bytes(kit, ODD, self.BARS)))
        at, ticks = 0, []
        for message in notes.tracks[0]:
            at += message.time
            if message.type == "note_on":
                ticks.append(at)
        frames = [round(tick / TICKS_PER_BEAT * RATE / 2) for tick in ticks]
        self.assertEqual(len(live), 11)
        np.testing.assert_allclose(live, frames, atol=RATE / 2 / TICKS_PER_BEAT)

    @settings(deadline=None, max_examples=20)
    @given(
        st.integers(1, 20), st.sampled_from((1, 3, 4, 7)), st.floats(50, 75), st.floats(60, 240),
        st.lists(st.tuples(st.integers(0, 19), st.floats(0.1, 30.0)), min_size=1, max_size=6),
    )  # fmt: skip
    def test_to_the_bit(
        self, length: int, per_beat: int, swing: float, bpm: float, hits: list[tuple[int, float]]
    ) -> None:
        """A gated pad of three turns: what is held over the loop's end is let go alike, too."""
        lanes = (Lane(pad="p0", hits=tuple(Hit(step=s, steps=long) for s, long in hits)),)
        groove = Pattern(
            id="a", name="", length=length, steps_per_beat=per_beat, swing=swing, lanes=lanes
        )
        kit = kit_of({"trigger": "gate", "release_ms": 5.0}, tempo_bpm=bpm)
        takes = {"p0": turned((0.2, 0.3, 0.4), 9000)}
        once, again = Engine(RATE), Engine(RATE)
        once.set_kit(kit, takes, groove)
        again.set_kit(kit, takes, groove, beats=64.0)
        for engine in (once, again):
            engine.play()
        frames = round(8 * 60 / bpm * RATE)
        np.testing.assert_array_equal(played(once, frames, 480), played(again, frames, 480))


class Turns(unittest.TestCase):
    def levels(self, engine: Engine, frames: int) -> list[float]:
        out = played(engine, frames, 64)[:, 0]
        return [round(float(v), 3) for v in out[out > 0]]

    def test_a_strike_by_hand_leaves_the_grooves_turns_alone(self) -> None:
        groove = Pattern(
            id="a", name="", length=4, lanes=(Lane(pad="p0", hits=(Hit(step=0, velocity=127),)),)
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
