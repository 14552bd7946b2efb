"""Which note strikes which pad, how hard, and what is no stroke."""

import unittest

import msgspec
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from puddle.kit.edits import set_pad
from puddle.kit.model.document import Kit, Pad, Point
from puddle.kit.model.tonality import Key
from puddle.midi.controller_map import (
    ControllerMap,
    Taught,
    measured_curve,
    table_of,
    teach,
    velocities,
)
from puddle.midi.table import NO_SLOT, Table
from puddle.midi.triggers import Triggers
from puddle.parameter import changed


def kit() -> Kit:
    """A kick, two hats, a bass that follows keys, and an empty place between."""
    return Kit(
        name="Four",
        pads=(
            Pad(id="a", name="Kick", place=0, role="kick", notes=(60,)),
            Pad(id="b", name="Shut", place=1, role="hat", notes=(61,)),
            Pad(id="c", name="Open", place=3, role="hat", notes=(62,)),
            Pad(id="d", name="Bass", place=4, role="bass", tracking=100.0, root=36),
        ),
    )


def numbered_table(made: ControllerMap, kit: Kit) -> Table:
    """The map with the number of each pad as its slot."""
    number = {pad.id: n for n, pad in enumerate(kit.pads)}
    return table_of(made, kit, number.__getitem__)


def struck(made: ControllerMap, *notes: int, channel: int = 9) -> list[int]:
    table = numbered_table(made, kit())
    return [int(table.slots[channel, note]) for note in notes]


class Ways(unittest.TestCase):
    def test_as_the_kit_says_then_by_role_then_as_keys(self) -> None:
        table = numbered_table(ControllerMap(), kit())
        self.assertEqual(struck(ControllerMap(), 60, 61, 62), [0, 1, 2])
        self.assertEqual(struck(ControllerMap(), 36, 42, 46), [0, 1, 2])  # general MIDI
        self.assertEqual(struck(ControllerMap(), 100), [3])
        self.assertTrue(table.as_key[0, 100])
        self.assertFalse(table.as_key[0, 60])

    def test_by_percussion_names(self) -> None:
        made = ControllerMap(way="by percussion names")
        self.assertEqual(struck(made, 35, 36, 42, 44, 46), [0, 0, 1, 2, 2])
        self.assertEqual(struck(made, 38, 60), [NO_SLOT, NO_SLOT])

    def test_rising_from_a_note_by_place(self) -> None:
        made = ControllerMap(way="rising", first=48)
        self.assertEqual(struck(made, 47, 48, 49, 50, 51, 52, 53), [-1, 0, 1, -1, 2, 3, -1])

    def test_along_a_scale(self) -> None:
        """White keys from C3 up: C D (nothing) F G for places 0, 1, 2, 3, 4."""
        made = ControllerMap(way="along a scale", first=48, key=Key(root="C", scale="major"))
        self.assertEqual(struck(made, 48, 49, 50, 52, 53, 55), [0, -1, 1, -1, 2, 3])

    def test_taught_and_taught_again(self) -> None:
        made = teach(teach(ControllerMap(), 0, 97), 3, 5)
        self.assertEqual(made.way, "taught")
        self.assertEqual(struck(made, 97, 5, 60), [0, 2, -1])
        made = teach(made, 1, 97)
        self.assertEqual(struck(made, 97), [1])
        # A channel of its own goes before any.
        made = teach(made, 4, 97, channel=2)
        self.assertEqual(struck(made, 97, channel=2), [3])
        self.assertEqual(struck(made, 97, channel=3), [1])
        self.assertEqual(struck(teach(made, 2, 97, channel=2), 97, channel=2), [NO_SLOT])

    def test_it_is_the_same_in_another_kit_and_read_back(self) -> None:
        made = teach(ControllerMap(name="Bench"), 1, 40)
        again = msgspec.json.decode(msgspec.json.encode(made), type=ControllerMap)
        self.assertEqual(again, made)
        other = msgspec.structs.replace(kit(), pads=kit().pads[1:])
        self.assertEqual(int(numbered_table(made, other).slots[0, 40]), 0)

    def test_what_no_map_says_is_refused(self) -> None:
        for wrong in (
            b'{"way":"by color"}',
            b'{"taught":[{"note":128,"place":0}]}',
            b'{"taught":[{"note":1,"place":-1}]}',
            b'{"later":1}',
            b'{"name":""}',
        ):
            with self.subTest(wrong), self.assertRaises(msgspec.ValidationError):
                msgspec.json.decode(wrong, type=ControllerMap)


class Velocities(unittest.TestCase):
    def test_even_curved_fixed_and_between_least_and_most(self) -> None:
        np.testing.assert_array_equal(velocities(ControllerMap())[1:], np.arange(1, 128))
        bent = ControllerMap(curve=(Point(struck=64.0, plays=100.0),))
        self.assertEqual(velocities(bent)[64], 100.0)
        self.assertEqual(velocities(bent)[127], 127.0)
        self.assertEqual(set(velocities(ControllerMap(fixed_on=True, fixed=90))), {90.0})
        between = velocities(ControllerMap(least=30, most=100))
        self.assertEqual((between[1], between[60], between[127]), (30.0, 60.0, 100.0))

    @given(
        st.lists(st.integers(1, 127), min_size=1, max_size=5),
        st.lists(st.integers(1, 127), min_size=1, max_size=5),
        st.lists(st.integers(1, 127), min_size=1, max_size=5),
    )
    def test_measured_strokes_play_as_they_were_meant(
        self, soft: list[int], medium: list[int], hard: list[int]
    ) -> None:
        medians = [float(np.median(strokes)) for strokes in (soft, medium, hard)]
        if min(np.diff(medians)) < 2.0:
            with self.assertRaises(ValueError):
                measured_curve(soft, medium, hard)
            return
        played = velocities(changed(ControllerMap(), curve=measured_curve(soft, medium, hard)))
        self.assertTrue((np.diff(played[1:]) >= 0.0).all())
        for median, meant in zip(medians, (36.0, 80.0, 118.0), strict=True):
            if median == int(median):
                self.assertAlmostEqual(played[int(median)], meant, places=6)


class NoStrokes(unittest.TestCase):
    def test_a_second_one_too_soon_is_dropped(self) -> None:
        triggers = Triggers(30.0, 0.0)
        told = [triggers.is_stroke(0, 90.0, at) for at in (0.0, 0.02, 0.031, 0.05, 0.062)]
        self.assertEqual(told, [True, False, True, False, True])
        self.assertTrue(triggers.is_stroke(1, 90.0, 0.063))

    def test_a_neighbor_that_shakes_is_dropped_and_a_real_one_is_not(self) -> None:
        triggers = Triggers(0.0, 10.0)
        self.assertTrue(triggers.is_stroke(0, 120.0, 1.0))
        self.assertFalse(triggers.is_stroke(1, 30.0, 1.004))
        self.assertTrue(triggers.is_stroke(2, 80.0, 1.005))  # a flam of two hands
        self.assertTrue(triggers.is_stroke(1, 30.0, 1.02))

    def test_off_nothing_is_dropped(self) -> None:
        triggers = Triggers(0.0, 0.0)
        self.assertTrue(all(triggers.is_stroke(n % 2, 1.0 + n % 2 * 126, 0.0) for n in range(99)))


class AllPads(unittest.TestCase):
    def test_a_kit_whose_notes_were_moved(self) -> None:
        moved = set_pad(kit(), "a", notes=(99,))
        self.assertEqual(int(numbered_table(ControllerMap(), moved).slots[0, 99]), 0)

    def test_a_taught_place_without_a_pad_strikes_nothing(self) -> None:
        made = ControllerMap(way="taught", taught=(Taught(note=40, place=2),))
        self.assertEqual(struck(made, 40), [NO_SLOT])
