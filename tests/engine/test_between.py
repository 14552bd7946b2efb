"""What sounds while a kit changes: as the old kit or the new one would play it, never otherwise.

The engine is driven by a quantum before and after every message of every edit, while keys strike
all pads and the groove plays; then threads meet as they like.
"""

from __future__ import annotations

import itertools
import unittest
from typing import Any
from unittest import mock

import numpy as np

from puddle.engine import layout, sending
from puddle.engine.engine import Engine
from puddle.kit.model.document import Kit, Pad, Sound
from puddle.parameter import changed
from tests.support.between import (
    RATE,
    STATES,
    State,
    Watcher,
    all_alone,
    between,
    met,
    strike_all,
    wrong,
)
from tests.support.engines import played, struck, take_of


class Between(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.alone = all_alone()

    def wrong(self, watcher: Watcher, before: State, after: State) -> list[str]:
        return sorted(set(wrong(watcher.found, (before, after), self.alone)))

    def test_every_edit_after_every_other(self) -> None:
        for before, after in itertools.permutations(STATES.values(), 2):
            watcher, name = between(before, after, sending.push)
            self.assertEqual(self.wrong(watcher, before, after), [], name)

    def test_it_would_be_seen_if_tables_came_one_after_the_other(self) -> None:
        """The test of this test: with a message for each table, most edits go wrong."""

        def one_by_one(rings: int, ring: int, kind: int, a: int, b: int, *rest: Any) -> Any:
            if kind != layout.PUBLISHED:
                return whole(rings, ring, kind, a, b, *rest)
            step = layout.PUBLISHED_TABLE.itemsize
            for n in range(rest[0]):
                done = whole(rings, ring, kind, a + step * n, b, 1, *rest[1:])
                watchers[-1].run()
                strike_all(watchers[-1].engine, dict(watchers[-1].engine.slots.live))
            return done

        whole, watchers = sending.push, list[Watcher]()
        seen = 0
        for name in ("bus added before", "bus removed", "pad has stages"):
            before, after = STATES["as it is"], STATES[name]
            made = Watcher.__init__

            def keep(self: Watcher, engine: Engine, made: Any = made) -> None:
                made(self, engine)
                watchers.append(self)

            with mock.patch.object(Watcher, "__init__", keep):
                watcher, _ = between(before, after, one_by_one)
            seen += bool(self.wrong(watcher, before, after))
        self.assertEqual(seen, 3)


class ThreadsMeet(unittest.TestCase):
    def test_edits_at_random_while_keys_strike_by_maps_that_may_be_stale(self) -> None:
        """For a minute: `tools.walk --strikes 1`."""
        edits, sounded, complaints = met(3.0)
        self.assertEqual(complaints, [])
        self.assertGreater(edits, 100)
        self.assertGreater(sounded, 1000)


class Slots(unittest.TestCase):
    """Who has a slot, for how long, and what counts with it."""

    def test_a_strike_for_a_pad_that_has_gone_is_dropped_though_another_has_its_index(self) -> None:
        engine = Engine(RATE)
        STATES["as it is"].send(engine)
        played(engine, 64)
        stale = engine.slots.slot("a")
        for n in range(layout.PAD_SLOTS // 4):  # until indices come round again
            for name in ("no pads", "as it is"):
                kit = STATES[name].kit
                pads = tuple(changed(p, id=f"{p.id}{n}") for p in kit.pads)
                engine.set_kit(changed(kit, pads=pads), {}, None)
                played(engine, 32)
        live = engine.slots.live
        again = [name for name, slot in live.items() if slot % layout.SLOTS == stale]
        self.assertEqual(len(again), 1)
        engine.strike(stale, 127)
        played(engine, 64)
        self.assertEqual(struck(engine, again[0]), 0)

    def test_a_pad_that_comes_back_by_undo_has_its_slot_again(self) -> None:
        engine = Engine(RATE)
        state, without = STATES["as it is"], STATES["first pad removed"]
        state.send(engine)
        before = engine.slots.slot("a")
        without.send(engine)
        self.assertEqual(engine.slots.slot("a"), layout.NO_SLOT)
        state.send(engine)
        self.assertEqual(engine.slots.slot("a"), before)

    def test_a_slot_is_free_once_the_engine_has_let_go(self) -> None:
        engine = Engine(RATE)
        kit = STATES["as it is"].kit
        engine.set_kit(kit, {"a": take_of(0.5, 4000)}, None)
        slot = engine.slots.slot("a")
        engine.strike(slot, 127)
        played(engine, 64)
        engine.set_kit(changed(kit, pads=kit.pads[1:]), {}, None)
        self.assertEqual(engine.slots.pad(slot), "a", "the engine has not come for the table")
        played(engine, 64)
        engine.set_kit(changed(kit, pads=kit.pads[1:], tempo_bpm=99.0), {}, None)
        self.assertEqual(engine.slots.pad(slot), "a", "it rings")
        played(engine, 8000)
        engine.set_kit(changed(kit, pads=kit.pads[1:]), {}, None)
        self.assertEqual(engine.slots.pad(slot), "")

    def test_whole_kits_come_and_go_while_nothing_runs_the_engine(self) -> None:
        engine = Engine(RATE)
        for n in range(6):
            pads = tuple(
                Pad(id=f"{n}-{k}", name="", place=k, sound=Sound()) for k in range(layout.MOST_PADS)
            )
            engine.set_kit(Kit(name="", pads=pads), {f"{n}-7": take_of(0.5, 10)}, None)
        self.assertEqual(len(set(engine.slots.live.values())), layout.MOST_PADS)
        engine.strike(engine.slots.slot("5-7"), 127)
        self.assertEqual(float(played(engine, 64)[0, 0]), 0.5)

    def test_a_new_tenant_counts_from_nothing(self) -> None:
        engine = Engine(RATE)
        kit = STATES["as it is"].kit
        for n in range(3):
            pads = (changed(kit.pads[0], id=f"a{n}"),)
            engine.set_kit(changed(kit, pads=pads), {f"a{n}": take_of(0.5, 10)}, None)
            self.assertEqual(struck(engine, f"a{n}"), 0)
            engine.strike(engine.slots.slot(f"a{n}"), 127)
            played(engine, 64)
            self.assertEqual(struck(engine, f"a{n}"), 1)

    def test_a_hat_pedal_strikes_its_own_openings_after_an_audition(self) -> None:
        """Pads with own values are no rows behind those of the kit."""
        engine = Engine(RATE)
        state = STATES["own values"]
        state.send(engine)
        (own,) = (n for n in engine.slots.live if len(n) > 1)
        slot = engine.slots.slot(own)
        engine.audition(take_of(0.99, 64))
        played(engine, 960)
        engine.strike(slot, 127)
        played(engine, 32)
        newest = engine.voices[int(np.argmax(engine.voices["order"]))]
        self.assertEqual((newest["slot"], newest["pad"]), (slot, engine.slots.slot("b")))


if __name__ == "__main__":
    unittest.main()
