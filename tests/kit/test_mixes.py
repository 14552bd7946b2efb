"""Mixes side by side, as edits: each is as it was left."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from puddle.errors import EditError, KitFileError
from puddle.kit import edits
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.edits.mixes import (
    choose_mix,
    keep_mix,
    mix_of,
    mixes_of,
    remove_mix,
    rename_mix,
)
from puddle.kit.edits.routing import flow_into
from puddle.kit.model.document import Kit
from puddle.kit.model.mix import MOST_MIXES
from puddle.stages import Gain, Stage
from tests.support.sounds import small_kit


def mixed() -> Kit:
    """Two mixes: in the second the kick is softer, on a bus with a stage."""
    kit = keep_mix(small_kit())
    kit, bus = edits.add_bus(kit, "Drums")
    kit = edits.set_bus(kit, bus.id, level_db=-3.0)
    kit = edits.set_pad(
        kit, "pad1", level_db=-9.0, pan=20.0, stages=(Stage(id="stage1", process=Gain()),)
    )
    return flow_into(kit, "pad1", "", bus.id)


class MixesTest(unittest.TestCase):
    def test_one_mix_is_none_until_a_second_is_kept(self) -> None:
        kit = small_kit()
        self.assertEqual(mixes_of(kit), ())
        kept = keep_mix(kit)
        self.assertEqual([one.name for one in mixes_of(kept)], ["Mix 1", "Mix 2"])
        self.assertEqual((kept.mix, kept.pads, kept.buses), (1, kit.pads, kit.buses))

    def test_each_is_as_it_was_left(self) -> None:
        second = mixed()
        first = choose_mix(second, 0)
        self.assertEqual((first.pads, first.buses), (small_kit().pads, ()))
        again = choose_mix(first, 1)
        self.assertEqual((again.pads, again.buses, again.master),
                         (second.pads, second.buses, second.master))  # fmt: skip

    def test_sounds_notes_and_patterns_are_none_of_a_mixs(self) -> None:
        kit = edits.set_sound(mixed(), "pad1", start_ms=3.0)
        kit = edits.set_pad(kit, "pad2", notes=(77,))
        first = choose_mix(kit, 0)
        self.assertEqual(first.pads[0].sound.start_ms, 3.0)
        self.assertEqual(first.pads[1].notes, (77,))

    def test_pads_that_are_new_or_gone(self) -> None:
        kit = mixed()
        bus = kit.buses[0].id
        kit, new = edits.add_pad(kit, "New", "percussion", kit.pads[0].sound)
        kit = flow_into(kit, new.id, "", bus)
        first = choose_mix(kit, 0)
        self.assertEqual(edits.pad_of(first, new.id).bus, "")  # that bus is not in this mix
        kit = edits.remove_pad(kit, "pad2")
        self.assertIsNone(choose_mix(kit, 0).pad("pad2"))

    def test_renamed_removed_and_no_more_than_fit(self) -> None:
        kit = rename_mix(mixed(), 0, "Wide")
        self.assertEqual([one.name for one in mixes_of(kit)], ["Wide", "Mix 2"])
        left = remove_mix(kit, 1)
        self.assertEqual((left.mixes, left.pads), ((), small_kit().pads))
        left = remove_mix(kit, 0)
        self.assertEqual((left.mixes, left.pads), ((), kit.pads))
        kit = small_kit()
        for _ in range(MOST_MIXES - 1):
            kit = keep_mix(kit)
        with self.assertRaises(EditError):
            keep_mix(kit)
        for index in (-1, MOST_MIXES):
            with self.assertRaises(EditError):
                choose_mix(kit, index)

    @given(st.lists(st.sampled_from(["keep", "0", "1", "2", "louder", "drop"]), max_size=14))
    @settings(max_examples=60, deadline=None)
    def test_any_order_leaves_each_as_it_was_left(self, steps: list[str]) -> None:
        kit = keep_mix(small_kit())
        wanted = {one.id: one for one in mixes_of(kit)}
        for n, step in enumerate(steps):
            try:
                if step == "keep":
                    kit = keep_mix(kit)
                elif step == "louder":
                    kit = edits.set_pad(kit, "pad1", level_db=float(n))
                elif step == "drop":
                    kit = remove_mix(kit, 0)
                else:
                    kit = choose_mix(kit, int(step))
            except EditError:
                continue
            now = {one.id: one for one in mixes_of(kit)}
            playing = kit.mixes[kit.mix].id if kit.mixes else ""
            for key, one in now.items():
                if key != playing and key in wanted:
                    self.assertEqual(one.pads, wanted[key].pads)
            wanted = now

    def test_a_kit_file_keeps_them_and_damaged_ones_are_refused(self) -> None:
        kit = mixed()
        self.assertEqual(kit_from_json(kit_json(kit), "x"), kit)
        text = kit_json(kit).decode()
        for old, new in (
            ('"mix":1', '"mix":9'),
            ('"id":"mix2"', '"id":"mix1"'),
        ):
            self.assertIn(old, text.replace(" ", "").replace("\n", ""))
            with self.assertRaises(KitFileError):
                kit_from_json(
                    text.replace(" ", "").replace("\n", "").replace(old, new).encode(), "x"
                )

    def test_a_mix_whose_buses_flow_in_a_circle_is_refused(self) -> None:
        kit = mixed()
        bus = kit.buses[0]
        looped = replace(mix_of(kit, "mix1", "Mix 1"), buses=(replace(bus, into=bus.id),))
        bad = replace(kit, mixes=(looped, kit.mixes[1]))
        with self.assertRaises(KitFileError):
            kit_from_json(kit_json(bad), "x")


if __name__ == "__main__":
    unittest.main()
