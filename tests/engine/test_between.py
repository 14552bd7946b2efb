"""What sounds while a kit changes: as the old kit or the new one would play it, never otherwise.

The engine is driven by a quantum before and after every message of every edit, while keys strike
all pads and the groove plays. Who was struck is told by the velocity, who sounds by the take.
"""

from __future__ import annotations

import itertools
import unittest
from collections.abc import Callable, Iterator
from typing import Any
from unittest import mock

import msgspec
import numpy as np

from puddle.engine import layout, sending
from puddle.engine.engine import Engine
from puddle.engine.graph import Graph
from puddle.engine.names import pad_node, plain_node, way_node
from puddle.kit.edits.own_values import varied_pads
from puddle.kit.model.address import Address
from puddle.kit.model.document import (
    Bus,
    Hit,
    Kit,
    Lane,
    Master,
    OwnValue,
    Pad,
    Pattern,
    SendTo,
    Sound,
    Stage,
)
from puddle.parameter import changed
from puddle.stages import Compressor, Gain
from tests.support.engines import played, struck, take_of

RATE = 8000.0  # a step of the groove is 400 frames
NAMES = "abcdef"
BY_HAND, BY_GROOVE = 10.0, 100.0  # velocities from which pads are numbered
FRAMES = 96


def pad(name: str, **values: object) -> Pad:
    place = NAMES.index(name)
    return Pad(id=name, name=name, place=place, sound=Sound(), **values)  # type: ignore[arg-type]


def lane(name: str, *values: OwnValue) -> Lane:
    velocity = int(BY_GROOVE) + NAMES.index(name)
    hits = tuple(Hit(at=n, velocity=velocity, values=values if n % 2 else ()) for n in range(4))
    return Lane(pad=name, hits=hits)


def softer(name: str) -> OwnValue:
    return OwnValue(address=Address(of="pad", pad=name, field="level_db"), value=-6.0)


def level_of(name: str) -> float:
    return 0.1 * (1 + NAMES.index(name[0]))


class State(msgspec.Struct, frozen=True, eq=False):
    """A kit as it plays: with its pattern, and what was auditioned."""

    name: str
    kit: Kit
    auditions: bool = False

    @property
    def pattern(self) -> Pattern:
        return self.kit.patterns[0]

    def send(self, engine: Engine) -> None:
        """Hands the kit to an engine, as the window does."""
        varied = varied_pads(self.kit, self.kit.patterns)
        ids = [*(p.id for p in self.kit.pads), *(one.pad.id for one in varied)]
        takes = {name: take_of(level_of(name), FRAMES) for name in ids}
        engine.set_kit(self.kit, takes, self.pattern, varied=varied)
        if self.auditions:
            engine.audition(take_of(0.99, FRAMES))


def _states() -> list[State]:
    lanes = Pattern(id="p", name="P", length=4, lanes=(lane("b"), lane("c")))
    buses = (Bus(id="x", name="X", level_db=-6.0), Bus(id="y", name="Y", level_db=-60.0))
    kit = Kit(
        name="",
        tempo_bpm=300.0,
        pads=(pad("a"), pad("b", bus="x"), pad("c"), pad("d", bus="y")),
        buses=buses,
        patterns=(lanes,),
    )
    loud = Stage(id="s", process=Gain(level_db=6.0))
    keyed = Stage(id="k", process=Compressor(), key="a")
    a, b, c, d = kit.pads
    own = changed(lanes, lanes=(lane("b", softer("b")), lane("c")))
    send = SendTo(bus="y")

    def of(name: str, **values: Any) -> State:
        return State(name, changed(kit, **values))

    return [
        State("as it is", kit),
        of("first pad removed", pads=(b, c, d)),
        of("last pad removed", pads=(a, b, c)),
        of("pad of the groove removed", pads=(a, c, d)),
        of("pad added first", pads=(pad("e"), a, b, c, d)),
        of("pads moved", pads=(d, c, b, a)),
        of("others instead", pads=(pad("e"), pad("f", bus="x"), b)),
        of("no pads", pads=()),
        of("bus added before", buses=(Bus(id="z", name="Z"), *buses)),
        of("bus removed", buses=buses[1:]),
        of("pad on another bus", pads=(a, changed(b, bus="y"), c, d)),
        of("pad has stages", pads=(changed(a, stages=(loud,)), b, c, d)),
        of("bus has stages", buses=(changed(buses[0], stages=(loud, keyed)), buses[1])),
        of("master has stages", master=Master(stages=(loud,))),
        of("pad has a send", pads=(a, b, changed(c, sends=(send,)), d)),
        of("other lanes", patterns=(changed(lanes, lanes=(lane("d"), lane("a"))),)),
        of("longer pattern", patterns=(changed(lanes, length=8),)),
        of("own values", patterns=(own,)),
        of("own values, first pad removed", patterns=(own,), pads=(b, c, d)),
        of("another mix", pads=(changed(a, level_db=-12.0), changed(b, mute=True), c, d)),
        of("solo", pads=(a, b, changed(c, solo=True), d)),
        of("another tempo", tempo_bpm=290.0),
        State("auditioned", kit, auditions=True),
    ]


STATES = {state.name: state for state in _states()}


class Sounded(msgspec.Struct, frozen=True):
    """A strike as it sounds: the pad whose take it is, the bus of the kit, and how loud."""

    pad: str
    bus: str
    stages: tuple[str, ...]  # before that bus
    left: float  # at full power


def _flows(graph: Graph, place: int) -> tuple[str, tuple[str, ...]]:
    """The bus of the kit that a bus of the engine is, or flows into; and stages before it."""
    name = graph.order[place]
    stages = tuple(sorted(key[1] for key in graph.memory if key[0] == name))
    if name.startswith(plain_node("")):
        return name.removeprefix(plain_node("")), ()
    if name.startswith(pad_node("")):
        ways = (e for e in graph.edges.values() if e.source == name and e.gain > 0.0)
        return next((e.into for e in ways if e.id == way_node(name, e.into)), ""), stages
    return name, ()


class Watcher:
    """Runs an engine by quanta and sees every voice that starts."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self.found: list[tuple[str, bool, Sounded]] = []  # who was meant, whether by the groove
        self._order = 0

    def run(self, quanta: int = 1) -> None:
        for _ in range(quanta):
            played(self.engine, layout.SPARE_VOICES)
            self._look()

    def _look(self) -> None:
        graph = self.engine._graph_in_force
        assert graph is not None
        voices = self.engine.voices
        for voice in voices[(voices["order"] >= self._order) & (voices["state"] != layout.FREE)]:
            velocity = float(voice["velocity"])
            first = self._takes()[int(voice["take"])]
            if first > 0.98:  # the audition
                meant, sounds = "", ""
            else:
                by_groove = velocity >= BY_GROOVE
                meant = NAMES[round(velocity - (BY_GROOVE if by_groove else BY_HAND))]
                sounds = NAMES[round(first / 0.1) - 1]
            power = float(voice["left"]) / (velocity / 127.0) ** 2
            one = Sounded(sounds, *_flows(graph, int(voice["bus"])), round(power, 6))
            self.found.append((meant, velocity >= BY_GROOVE, one))
        self._order = int(self.engine._record[0]["order"])

    def _takes(self) -> dict[int, float]:
        every = [*self.engine._takes.values(), *(t for _, t in self.engine.sender.retired_takes)]
        return {int(take.ctypes.data): float(take[0, 0]) for take in every}


def strike_all(engine: Engine, slots: dict[str, int]) -> None:
    """A controller strikes pads by slots that it knows, through a ring of its own."""
    for name, slot in slots.items():
        if len(name) == 1:
            velocity = BY_HAND + NAMES.index(name)
            engine.sender.rings.push(1, layout.STRIKE, slot, -1, velocity)


def sounded_alone(state: State) -> set[Sounded]:
    """What each pad of a kit sounds as, on an engine that has known no other."""
    engine = Engine(RATE)
    watcher = Watcher(engine)
    state.send(engine)
    watcher.run()
    strike_all(engine, dict(engine.slots.live))
    watcher.run(2)
    engine.play()
    watcher.run(40)
    return {sounded for _, _, sounded in watcher.found}


def between(before: State, after: State, push: Callable[..., Any]) -> tuple[Watcher, str]:
    """Goes from one kit to another with a quantum before and after every message."""
    engine = Engine(RATE)
    watcher = Watcher(engine)
    before.send(engine)
    engine.play()
    watcher.run(20)
    known = dict(engine.slots.live)

    def strike() -> None:
        strike_all(engine, {**known, **engine.slots.live})
        strike_all(engine, known)

    def pushing(*words: Any) -> Any:
        strike()
        watcher.run()
        strike()
        done = push(*words)
        watcher.run()
        strike()
        return done

    with mock.patch.object(sending, "push", pushing):
        after.send(engine)
    watcher.run(20)
    return watcher, f"{before.name} → {after.name}"


class Between(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.alone = {name: sounded_alone(state) for name, state in STATES.items()}

    def wrong(self, watcher: Watcher, before: State, after: State) -> Iterator[str]:
        """What neither kit would play."""
        allowed = self.alone[before.name] | self.alone[after.name]
        lanes = {one.pad for state in (before, after) for one in state.pattern.lanes}
        for meant, by_groove, sounded in watcher.found:
            if meant != sounded.pad:
                yield f"{meant} was struck and {sounded.pad} sounds"
            elif sounded not in allowed:
                yield f"{sounded} is of neither kit"
            elif by_groove and meant and meant not in lanes:
                yield f"the groove struck {meant}"

    def test_every_edit_after_every_other(self) -> None:
        for before, after in itertools.permutations(STATES.values(), 2):
            watcher, name = between(before, after, sending.push)
            self.assertEqual(sorted(set(self.wrong(watcher, before, after))), [], name)

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
            seen += bool(set(self.wrong(watcher, before, after)))
        self.assertEqual(seen, 3)


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
