"""Kits that are edited while they play, and who sees what each strike sounds as.

Who was meant is told by a strike's velocity, who sounds by the take, where by the bus.
"""

from __future__ import annotations

import ctypes
import random
import sys
import threading
import time
from collections.abc import Callable, Iterator
from typing import Any
from unittest import mock

import msgspec

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
from tests.support.engines import played, take_of

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
            first = ctypes.c_float.from_address(int(voice["take"])).value  # kept while it sounds
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


Alone = dict[str, set[Sounded]]


def all_alone() -> Alone:
    """What the pads of every state sound as, by its name."""
    return {name: sounded_alone(state) for name, state in STATES.items()}


def wrong(
    found: list[tuple[str, bool, Sounded]], states: tuple[State, ...], alone: Alone
) -> Iterator[str]:
    """What none of some states would play."""
    allowed = set[Sounded]().union(*(alone[state.name] for state in states))
    lanes = {lane.pad for state in states for lane in state.pattern.lanes}
    for meant, by_groove, sounded in found:
        if meant != sounded.pad:
            yield f"{meant} was struck and {sounded.pad} sounds"
        elif sounded not in allowed:
            yield f"{sounded} is of none of the kits"
        elif by_groove and meant and meant not in lanes:
            yield f"the groove struck {meant}"


def met(seconds: float, seed: int = 1) -> tuple[int, int, list[str]]:
    """Threads that meet: edits at random, keys by slots that may be stale, and a card.

    Returns how many edits were made, how many strikes sounded, and what was wrong.
    """
    chance, alone, engine = random.Random(seed), all_alone(), Engine(RATE)
    watcher, ended, complaints = Watcher(engine), threading.Event(), list[str]()
    state = STATES["as it is"]
    state.send(engine)
    engine.play()
    playing = [(state,)]  # the states that may sound now
    sounded = edits = 0

    def card() -> None:
        nonlocal sounded
        while not ended.is_set():
            before = playing[0]
            try:
                watcher.run()
            except Exception as error:
                complaints.append(repr(error))
                ended.set()
                raise
            found, watcher.found = watcher.found, []
            sounded += len(found)
            complaints.extend(wrong(found, (*before, *playing[0]), alone))

    def keys() -> None:
        while not ended.is_set():
            known = dict(engine.slots.live)
            for _ in range(20):  # with the same map for some edits
                strike_all(engine, known)
                time.sleep(0.0007)

    interval = sys.getswitchinterval()
    sys.setswitchinterval(1e-5)
    threads = [threading.Thread(target=work) for work in (card, keys)]
    try:
        for thread in threads:
            thread.start()
        end = time.monotonic() + seconds
        while time.monotonic() < end and not ended.is_set():
            following = chance.choice(list(STATES.values()))
            playing[0] = (state, following)
            following.send(engine)
            while engine.sender.read < engine.sender.written and not ended.is_set():
                time.sleep(0.0002)
            time.sleep(0.001)  # the quantum that came for it has been looked at
            playing[0], state = (following,), following
            edits += 1
    finally:
        ended.set()
        for thread in threads:
            thread.join()
        sys.setswitchinterval(interval)
    return edits, sounded, complaints
