"""Slices played otherwise: which falls on which place."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from puddle.errors import EditError
from puddle.kit.edits import slots
from puddle.kit.edits.layers import new_layer
from puddle.kit.edits.pads import add_pad
from puddle.kit.model.document import Hit, Kit, Lane, Pattern, Sample, Sound
from puddle.voices import Kick


def sliced(*at: float) -> Pattern:
    lanes = tuple(
        Lane(pad=f"pad{n + 1}", exact=True, hits=(Hit(at=beat, velocity=127 - n),))
        for n, beat in enumerate(at)
    )
    return Pattern(id="p", name="p", length=16, lanes=lanes)


def order(pattern: Pattern) -> list[str]:
    return [slot.hits[0][0] for slot in slots.slots_of(pattern)]


class Slots(unittest.TestCase):
    def setUp(self) -> None:
        self.pattern = sliced(0.0, 0.9, 2.05, 3.0)

    def test_places_last_until_the_next(self) -> None:
        found = slots.slots_of(self.pattern)
        for slot, (beat, beats) in zip(
            found, ((0.0, 0.9), (0.9, 1.15), (2.05, 0.95), (3.0, 1.0)), strict=True
        ):
            self.assertAlmostEqual(slot.beat, beat)
            self.assertAlmostEqual(slot.beats, beats)

    def test_moved_repeated_turned_replaced(self) -> None:
        names = ["pad1", "pad2", "pad3", "pad4"]
        self.assertEqual(order(self.pattern), names)
        self.assertEqual(order(slots.moved(self.pattern, 0, 2)), ["pad2", "pad3", "pad1", "pad4"])
        self.assertEqual(order(slots.repeated(self.pattern, 1)), ["pad1", "pad2", "pad2", "pad4"])
        self.assertEqual(order(slots.repeated(self.pattern, 3)), names)
        self.assertEqual(order(slots.turned_around(self.pattern)), names[::-1])
        other = slots.replaced(self.pattern, 2, "kick")
        self.assertEqual(order(other), ["pad1", "pad2", "kick", "pad4"])
        self.assertEqual(slots.slots_of(other)[2].hits[0][1].velocity, 125)

    def test_silence_takes_the_hit_and_leaves_the_rest(self) -> None:
        made = slots.silenced(self.pattern, 1)
        self.assertEqual(order(made), ["pad1", "pad3", "pad4"])
        self.assertEqual(len(made.lanes), 4)

    @given(st.integers(0, 10_000))
    def test_a_shuffle_keeps_all_and_is_the_same_for_its_seed(self, seed: int) -> None:
        made = slots.shuffled(self.pattern, seed)
        self.assertEqual(sorted(order(made)), ["pad1", "pad2", "pad3", "pad4"])
        self.assertEqual(made, slots.shuffled(self.pattern, seed))
        beats = [slot.beat for slot in slots.slots_of(made)]
        self.assertEqual(beats, [0.0, 0.9, 2.05, 3.0])

    def test_patterns_on_steps_have_no_places(self) -> None:
        with self.assertRaises(EditError):
            slots.slots_of(Pattern(id="p", name="p", lanes=(Lane(pad="a", hits=(Hit(at=0),)),)))

    def test_a_slice_backwards_and_forwards_a_voice_refused(self) -> None:
        sample = Sample(content="a" * 64, end_ms=100.0)
        kit, pad = add_pad(Kit(name="k"), "s", "snare", Sound(layers=(new_layer((), "s", sample),)))
        back = slots.reversed_slice(kit, pad.id)
        self.assertTrue(back.pads[0].sound.layers[0].source.reverse)  # type: ignore[union-attr]
        self.assertEqual(slots.reversed_slice(back, pad.id), kit)
        kit, kick = add_pad(kit, "k", "kick", Sound(layers=(new_layer((), "k", Kick()),)))
        with self.assertRaises(EditError):
            slots.reversed_slice(kit, kick.id)
