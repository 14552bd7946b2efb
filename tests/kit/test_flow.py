"""Routing in the document: loops are refused with the reason, and nothing is left dangling."""

import unittest

import msgspec
from hypothesis import given
from hypothesis import strategies as st

from puddle.errors import EditError, KitFileError
from puddle.kit import edits
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.edits import ceiling, room, routing
from puddle.kit.edits.copying import copied_pad, pasted_pad
from puddle.kit.edits.rows import RowPath, keys_at
from puddle.kit.model.document import Bus, Kit, Pad, SendTo
from puddle.kit.playing.flow import has_loop, in_order, targets
from puddle.stages import Compressor, Equalizer, Limiter, Reverb, Stage


def kit_with(*buses: Bus) -> Kit:
    return Kit(name="K", pads=(Pad(id="p", name="P", place=0),), buses=buses)


A, B, C = (Bus(id=name, name=name.upper()) for name in "abc")


class Moved(unittest.TestCase):
    def test_a_send_goes_to_another_bus_as_loud_and_in_its_place(self) -> None:
        kit = routing.set_send(kit_with(A, B, C), "p", "", "a", level_db=-7.0, before=True)
        kit = routing.set_send(kit, "p", "", "b", level_db=-9.0)
        kit = routing.move_send(kit, "p", "", "a", "c")
        wanted = (SendTo(bus="c", level_db=-7.0, before=True), SendTo(bus="b", level_db=-9.0))
        self.assertEqual(kit.pads[0].sends, wanted)
        onto = routing.move_send(kit, "p", "", "c", "b")  # what was there gives way
        self.assertEqual(onto.pads[0].sends, (SendTo(bus="b", level_db=-7.0, before=True),))
        way = routing.set_send(routing.flow_into(kit, "", "b", "a"), "", "b", "c")
        with self.assertRaises(EditError):
            routing.move_send(routing.flow_into(way, "", "c", "a"), "", "b", "c", "b")

    def test_the_ceiling_is_the_last_limiter_of_the_master(self) -> None:
        kit = kit_with(A)
        self.assertIsNone(ceiling.ceiling_of(kit))
        self.assertIs(ceiling.switch_ceiling(kit, on=False), kit)
        kit = ceiling.set_ceiling(kit, -2.5)
        made = ceiling.ceiling_of(kit)
        assert made is not None
        self.assertEqual(made.process, Limiter(ceiling_db=-2.5))
        off = ceiling.switch_ceiling(kit, on=False)
        self.assertFalse(off.master.stages[-1].on)
        again = ceiling.set_ceiling(off, -1.5)
        self.assertTrue(again.master.stages[-1].on)
        self.assertEqual(len(again.master.stages), 1)

    def test_what_stands_away_is_darker_by_a_stage_of_its_own(self) -> None:
        verb = Bus(id="r", name="R", stages=(Stage(id="s", process=Reverb()),))
        kit = room.stood(kit_with(verb), "p", 10.0, -12.0)
        (stage,) = kit.pads[0].stages
        assert isinstance(stage.process, Equalizer)
        self.assertAlmostEqual(stage.process.high_shelf_db, -6.0 * 18.0 / 30.0, delta=0.06)
        farther = room.stood(kit, "p", 10.0, 0.0).pads[0].stages[0].process
        assert isinstance(farther, Equalizer)
        self.assertEqual(farther.high_shelf_db, -6.0)
        self.assertEqual(room.stood(kit, "p", 10.0, None).pads[0].stages, ())
        self.assertEqual(room.stood(kit, "p", 10.0, -30.0).pads[0].stages, ())
        sent = routing.set_send(kit_with(verb), "p", "", "r", level_db=-6.0)
        panned = room.stood(sent, "p", -40.0, -6.0)  # not moved away: its sound is left alone
        self.assertEqual((panned.pads[0].pan, panned.pads[0].stages), (-40.0, ()))


class Loops(unittest.TestCase):
    def test_a_way_back_is_refused_with_the_reason(self) -> None:
        kit = routing.flow_into(kit_with(A, B, C), "", "a", "b")
        kit = routing.set_send(kit, "", "b", "c")
        for bad in (
            lambda: routing.flow_into(kit, "", "b", "a"),
            lambda: routing.flow_into(kit, "", "c", "a"),
            lambda: routing.set_send(kit, "", "c", "a"),
            lambda: routing.set_send(kit, "", "c", "c"),
        ):
            with self.assertRaisesRegex(EditError, "cannot flow into"):
                bad()
        self.assertIs(routing.flow_into(kit, "", "a", "b"), kit)

    @given(st.lists(st.tuples(st.booleans(), st.integers(0, 4), st.integers(0, 4)), max_size=40))
    def test_no_row_of_edits_makes_one(self, deeds: list[tuple[bool, int, int]]) -> None:
        kit = kit_with(*(Bus(id=f"b{n}", name=f"B{n}") for n in range(5)))
        for sends, source, target in deeds:
            change = routing.set_send if sends else routing.flow_into
            try:
                kit = change(kit, "", f"b{source}", f"b{target}")
            except EditError:
                continue
            self.assertFalse(has_loop(kit))
        order = in_order([b.id for b in kit.buses], {b.id: targets(b) for b in kit.buses})
        for bus in kit.buses:
            for target in targets(bus):
                if target:
                    self.assertLess(order.index(bus.id), order.index(target))

    def test_a_damaged_kit_says_so(self) -> None:
        loop = kit_with(msgspec.structs.replace(A, into="b"), msgspec.structs.replace(B, into="a"))
        with self.assertRaisesRegex(KitFileError, "flows back into itself"):
            kit_from_json(kit_json(loop), "x")
        gone = kit_with(msgspec.structs.replace(A, sends=(SendTo(bus="z"),)))
        with self.assertRaisesRegex(KitFileError, "sent to a bus “z” that is missing"):
            kit_from_json(kit_json(gone), "x")
        twice = kit_with(msgspec.structs.replace(A, sends=(SendTo(bus="b"),) * 2), B)
        with self.assertRaisesRegex(KitFileError, "twice"):
            kit_from_json(kit_json(twice), "x")


class Keys(unittest.TestCase):
    def test_a_bus_cannot_flow_into_one_that_keys_it(self) -> None:
        duck = Stage(id="s", process=Compressor(), key="b")
        kit = kit_with(msgspec.structs.replace(A, stages=(duck,)), B)
        with self.assertRaisesRegex(EditError, "B keys A"):
            routing.flow_into(kit, "", "a", "b")
        self.assertEqual([key for key, _ in keys_at(kit, RowPath(bus="b"))], ["p"])
        self.assertEqual([key for key, _ in keys_at(kit, RowPath(bus="a"))], ["p", "b"])
        self.assertEqual(routing.flow_into(kit, "", "b", "a").buses[1].into, "a")


class Ways(unittest.TestCase):
    def test_what_flowed_into_a_bus_that_goes_flows_on_where_it_did(self) -> None:
        kit = routing.flow_into(kit_with(A, B, C), "", "a", "b")
        kit = routing.flow_into(kit, "p", "", "a")
        kit = routing.set_send(kit, "p", "", "b", level_db=-3.0)
        kit = edits.remove_bus(kit, "a")
        self.assertEqual(kit.pads[0].bus, "b")
        kit = edits.remove_bus(kit, "b")
        self.assertEqual((kit.pads[0].bus, kit.pads[0].sends), ("", ()))

    def test_sends_are_set_and_taken_away(self) -> None:
        kit = routing.set_send(kit_with(A, B), "p", "", "a", level_db=-6.0)
        kit = routing.set_send(kit, "p", "", "a", before=True)
        self.assertEqual(kit.pads[0].sends, (SendTo(bus="a", level_db=-6.0, before=True),))
        self.assertEqual(routing.remove_send(kit, "p", "", "a").pads[0].sends, ())
        with self.assertRaises(EditError):
            routing.set_send(kit, "p", "", "nowhere")

    def test_a_pasted_pad_is_sent_to_the_buses_of_those_names(self) -> None:
        kit = routing.set_send(kit_with(A, B), "p", "", "a")
        kit = routing.set_send(kit, "p", "", "b")
        other = Kit(name="O", buses=(Bus(id="x", name="B"),))
        _, pad = pasted_pad(other, copied_pad(kit, "p"), 0)
        self.assertEqual([send.bus for send in pad.sends], ["x"])

    def test_the_three_rooms_come_once(self) -> None:
        kit = routing.add_rooms(kit_with(A))
        self.assertEqual([b.name for b in kit.buses], ["A", *routing.ROOMS])
        self.assertEqual(routing.add_rooms(kit), kit)
        self.assertTrue(all(b.solo_safe for b in kit.buses[1:]))


if __name__ == "__main__":
    unittest.main()
