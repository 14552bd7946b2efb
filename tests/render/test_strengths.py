"""Layers split across strengths and turns: what a strike plays, in a document and live."""

import unittest
from itertools import pairwise

import msgspec
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.engine.engine import Engine
from puddle.engine.offline import strike
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.model.document import Kit, Layer, Pad, Sound
from puddle.kit.playing.velocity import (
    even_lows,
    hardest,
    layer_gain,
    lows_of,
    playing_turn,
    step_of,
    struck,
    turns_of,
)
from puddle.render.samples import NoSamples
from puddle.render.take import Takes, heard_layers
from puddle.render.takeset import take_set
from puddle.voices import Tone
from tests.support.engines import RATE, played


def layer(key: str, hz: float = 200.0, **values: object) -> Layer:
    source = Tone(pitch_hz=hz, attack_ms=1.0, hold_ms=50.0, decay_ms=100.0)
    made = Layer(id=key, name=key, source=source)
    return msgspec.structs.replace(made, **values)


def split(*edges: int, **values: object) -> Sound:
    """Layers a, b, … between edges: each begins where the one before ends."""
    lows, highs = (1, *edges), (*(e - 1 for e in edges), 127)
    return Sound(
        layers=tuple(
            layer("abcdefgh"[n], 100.0 * (n + 1), softest=low, hardest=high)
            for n, (low, high) in enumerate(zip(lows, highs, strict=True))
        ),
        **values,  # type: ignore[arg-type]
    )


def names(sound: Sound, velocity: float, turn: int = 0) -> str:
    made = struck(sound, step_of(velocity, lows_of(sound)), turn)
    return "".join(k.id for k in heard_layers(made) if k.on)


class Ranges(unittest.TestCase):
    def test_edges_are_kept_to_the_velocity(self) -> None:
        sound = split(42, 78, 109)
        self.assertEqual(lows_of(sound), (1, 42, 78, 109))
        for velocity in range(1, 128):
            wanted = "abcd"[sum(velocity >= e for e in (42, 78, 109))]
            self.assertEqual(names(sound, velocity), wanted, velocity)
        self.assertEqual([k.id for k in hardest(sound).layers if k.on], ["d"])

    def test_a_sound_without_ranges_is_itself(self) -> None:
        sound = Sound(layers=(layer("a"), layer("b")))
        self.assertIs(hardest(sound), sound)
        self.assertEqual((lows_of(sound), turns_of(sound)), ((1,), 1))

    def test_even_steps_are_those_of_before(self) -> None:
        for steps in (2, 3, 16):
            lows = even_lows(steps)
            for velocity in range(1, 128):
                wanted = min(steps - 1, int((velocity - 1) * steps / 127))
                self.assertEqual(step_of(velocity, lows), wanted)

    @settings(max_examples=60, deadline=None)
    @given(st.integers(2, 126), st.integers(0, 63))
    def test_blended_edges_keep_the_power(self, edge: int, blend: int) -> None:
        """Two layers that meet: the squares of their gains add up to one at every strength."""
        lower = layer("a", hardest=edge - 1, blend_out=blend)
        upper = layer("b", softest=edge, blend_in=blend)
        for velocity in range(1, 128):
            power = layer_gain(lower, velocity) ** 2 + layer_gain(upper, velocity) ** 2
            self.assertAlmostEqual(power, 1.0, places=9)

    def test_a_blend_takes_a_few_steps(self) -> None:
        sound = Sound(
            layers=(layer("a", hardest=63, blend_out=20), layer("b", softest=64, blend_in=20))
        )
        lows = lows_of(sound)
        self.assertEqual(lows, (1, 54, 59, 64, 69, 74))
        self.assertEqual(names(sound, 40), "a")
        self.assertEqual(names(sound, 64), "ab")
        self.assertEqual(names(sound, 90), "b")
        levels = [struck(sound, step_of(v, lows), 0).layers[0].level_db for v in (40, 56, 61, 66)]
        self.assertTrue(all(a > b for a, b in pairwise(levels)), levels)

    def test_a_solo_layer_that_is_out_leaves_silence(self) -> None:
        sound = split(64)
        soft = msgspec.structs.replace(sound.layers[0], solo=True)
        sound = msgspec.structs.replace(sound, layers=(soft, sound.layers[1]))
        self.assertEqual(names(sound, 20), "a")
        self.assertEqual(names(sound, 100), "")

    def test_overlapping_reversed_and_empty_ranges(self) -> None:
        sound = Sound(layers=(layer("a", hardest=80), layer("b", softest=60)))
        self.assertEqual([names(sound, v) for v in (59, 70, 81)], ["a", "ab", "b"])
        backwards = Sound(layers=(layer("a", softest=90, hardest=30),))
        self.assertTrue(all(names(backwards, v) == "" for v in (1, 30, 60, 90, 127)))
        Takes(NoSamples(), RATE).sound(hardest(backwards))  # silence, not an error

    def test_a_kit_keeps_them(self) -> None:
        pad = Pad(id="p", name="p", place=0, sound=split(40, round_robin="by chance"))
        kit = Kit(name="k", pads=(pad,))
        self.assertEqual(kit_from_json(kit_json(kit), "k"), kit)


class Turns(unittest.TestCase):
    def robin(self, count: int, **values: object) -> Sound:
        layers = tuple(layer("abcdefgh"[n], turn=n + 1) for n in range(count))
        return Sound(layers=(*layers, layer("x")), **values)  # type: ignore[arg-type]

    def test_in_order(self) -> None:
        sound = self.robin(3)
        self.assertEqual(turns_of(sound), 3)
        self.assertEqual([names(sound, 100, t) for t in range(5)], ["ax", "bx", "cx", "ax", "bx"])

    def test_by_chance_and_never_twice_in_a_row(self) -> None:
        for count in (2, 3, 5, 8):
            sound = self.robin(count, round_robin="by chance")
            turns = turns_of(sound)
            order = [playing_turn(sound, t) for t in range(2 * turns)]
            self.assertTrue(all(a != b for a, b in pairwise(order)))
            self.assertEqual({order.count(n + 1) for n in range(count)}, {2 * turns // count})
            self.assertEqual(order[:turns], order[turns:])
        self.assertEqual(len({tuple(order[n : n + 8]) for n in range(0, turns, 8)}), 8)

    def test_strengths_and_turns_together_live_and_offline(self) -> None:
        """Four strengths of two turns: the engine plays what a render has, to the bit."""
        sound = Sound(
            layers=tuple(
                layer(
                    f"{n}{t}",
                    150.0 * (n + 1) + 40.0 * t,
                    softest=1 + 32 * n,
                    hardest=32 * (n + 1) if n < 3 else 127,
                    turn=t + 1,
                )
                for n in range(4)
                for t in range(2)
            )
        )
        takes = Takes(NoSamples(), RATE)
        pad = Pad(id="p", name="p", place=0, sound=sound, velocity_amount=0.0)
        engine = Engine(RATE)
        velocities = [10.0, 40.0, 70.0, 120.0]
        engine.set_kit(Kit(name="", pads=(pad,)), {"p": take_set(takes, pad, velocities)}, None)
        for count, velocity in enumerate(velocities * 2):
            engine.strike(0, velocity)
            live = played(engine, 14400)
            wanted = strike(pad, takes, velocity, count)
            np.testing.assert_array_equal(live[: len(wanted)], wanted)
            hz = 150.0 * (velocities.index(velocity) + 1) + 40.0 * (count % 2)
            crossings = np.count_nonzero(np.diff(np.signbit(live[:2000, 0])))
            self.assertAlmostEqual(crossings, 2000 / RATE * hz * 2, delta=2)
