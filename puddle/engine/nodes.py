"""Buses of the engine, by name: what each pad and bus of a kit has, and where each flows.

A pad with stages or sends of its own, or one that others listen to, has a bus of its own. Where
there are such, pads without go through a plain bus beside them, so that all meet in time.

What leaves the bus of a pad or of the kit goes along ways: one to where it flows, one for each
send. A way is a bus without stages that has the level: so ways come and go by fading, and each is
as late as the latest beside it. A way that has gone is kept until it is silent.
"""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import Protocol

import msgspec
from msgspec.structs import replace

from puddle.engine.names import (
    DIRECT,
    MASTER,
    is_out,
    out_node,
    pad_node,
    plain_node,
    send_node,
    way_node,
)
from puddle.kit.edits.curves import moved_buses
from puddle.kit.model.bus import OUTPUTS
from puddle.kit.model.document import Bus, Kit, Pad, Stage
from puddle.kit.playing.flow import Heard, audible, in_order, pad_way, reached
from puddle.stages import Insert, Stereo, keys_of
from puddle.units import gain_from_db

_FADES_S = 0.5  # so long a way that has gone is kept: its level takes some 50 ms
PLACED = "\0placed"  # the stage that sets a bus's width, balance and mono bottom


class Node(msgspec.Struct, frozen=True):
    """A bus in processing order: after every bus that feeds it."""

    id: str
    into: str = ""  # where it flows, if not along ways
    gain: float = 1.0
    stages: tuple[Stage, ...] = ()
    ways: tuple[str, ...] = ()
    source: str = ""  # of a way: whose it is

    @property
    def targets(self) -> tuple[str, ...]:
        """The buses that it flows into."""
        ends = self.id == MASTER or is_out(self.id)
        return self.ways or (() if ends else (self.into,))

    def inserts(self) -> list[tuple[str, Insert]]:
        """Its inserts with their stages' ids."""
        return [(stage.id, stage.insert) for stage in self.stages if stage.on]


class Before(Protocol):
    """What is known of the buses that were there before."""

    @property
    def places(self) -> Mapping[str, int]:
        """Their places, by name."""

    @property
    def edges(self) -> Mapping[str, Node]:
        """The ways among them, by name."""

    @property
    def went(self) -> Mapping[str, float]:
        """When those went that still fade, in seconds of `time.monotonic`."""


def nodes(
    kit: Kit, before: Before | None, looked_at: frozenset[str] = frozenset(), pairs: int = 0
) -> list[Node]:
    """All buses, each before those that it flows into, the master last.

    A pad that had a bus of its own keeps it while it is there, so that what rings on it rings on.
    `pairs` is how many outputs there are beside the first pair.
    """
    rows = [*(pad.stages for pad in kit.pads), *(bus.stages for bus in kit.buses)]
    keys = keys_of(stage for row in [*rows, kit.master.stages] for stage in row)
    known = {*(before.places if before else ()), *looked_at}
    pads = [
        pad
        for pad in kit.pads
        if pad.stages or pad.sends or pad.id in keys or pad_node(pad.id) in known
    ]  # fmt: skip
    buses = kit.buses
    places = {DIRECT, *(bus.id for bus in buses)}
    heard = audible(kit)
    made: list[Node] = []
    own = [pad for pad in pads if pad.bus in places]
    for pad in own:
        made += _pad_nodes(pad, places, heard)
    made += [Node(plain_node(bus_id), bus_id) for bus_id in sorted({pad.bus for pad in own})]
    made.append(Node(DIRECT, MASTER))
    moved = moved_buses(kit)
    for bus in buses:
        node = Node(bus.id, stages=(*bus.stages, *placed(bus, moved=bus.id in moved)))
        made += _with_ways(node, bus_ways(bus, places, heard, pair_of(bus, pairs)))
    outs = {pair_of(bus, pairs) for bus in buses} - {0}
    made += [Node(out_node(pair)) for pair in sorted(outs)]
    made = _with_fading(made, before)
    made.append(Node(MASTER, "", gain_from_db(kit.master.level_db), kit.master.stages))
    by_id = {node.id: node for node in made}
    listeners: dict[str, tuple[str, ...]] = {}
    for bus in kit.buses:  # what is listened to comes before
        for key in keys_of(bus.stages):
            listeners[key] = (*listeners.get(key, ()), bus.id)
    ways = {node.id: (*node.targets, *listeners.get(node.id, ())) for node in made}
    ways |= {name: (MASTER,) for name in by_id if is_out(name)}  # the master is the last
    order = in_order(by_id, ways)
    return [by_id[name] for name in order]


def pair_of(bus: Bus, pairs: int) -> int:
    """The pair of outputs on which a bus leaves, of so many beside the first; 0 to flow on."""
    pair = OUTPUTS.index(bus.output)
    return pair if pair <= pairs else 0


def is_stem(way: Node) -> bool:
    """Whether a way is where a bus flows: what leaves it there is a stem, and is looked at."""
    return way.id.startswith(way_node("", "")[:-1]) and not way.source.startswith(pad_node(""))


def _pad_nodes(pad: Pad, places: set[str], heard: Heard) -> list[Node]:
    """A pad's own bus and its ways."""
    return _with_ways(Node(pad_node(pad.id), stages=pad.stages), pad_ways(pad, places, heard))


def pad_ways(pad: Pad, places: set[str], heard: Heard) -> list[Node]:
    """The ways of a pad's own bus. Its level is in its voices: sends before it take it back."""
    node = pad_node(pad.id)
    ways = [Node(way_node(node, pad.bus), pad.bus, heard.share(pad_way(pad.id), pad.bus))]
    for send in pad.sends:
        if send.bus in places and send.bus:
            level = send.level_db - (pad.level_db if send.before else 0.0)
            gain = gain_from_db(level) * heard.share(pad_way(pad.id), send.bus)
            ways.append(Node(send_node(node, send.bus), send.bus, gain))
    return ways


def bus_ways(bus: Bus, places: set[str], heard: Heard, pair: int = 0) -> list[Node]:
    """The ways of a bus of the kit, which have its level.

    With a pair it leaves there, instead of flowing on.
    """
    sign = 0.0 if bus.mute else -1.0 if bus.flip else 1.0
    level = sign * gain_from_db(bus.level_db)
    into = bus.into if bus.into in places else DIRECT
    share = level * heard.share(bus.id, into)
    ways = [Node(way_node(bus.id, into), into or MASTER, share)]
    if pair:
        ways = [Node(way_node(bus.id, out_node(pair)), out_node(pair), share)]
    for send in bus.sends:
        if send.bus in places and send.bus:
            gain = (sign if send.before else level) * gain_from_db(send.level_db)
            gain *= heard.share(bus.id, send.bus)
            ways.append(Node(send_node(bus.id, send.bus), send.bus, gain))
    return ways


def _with_ways(node: Node, ways: list[Node]) -> list[Node]:
    found = [replace(way, source=node.id) for way in ways]
    return [replace(node, ways=tuple(way.id for way in found)), *found]


def _with_fading(made: list[Node], before: Before | None) -> list[Node]:
    """With the ways that have just gone, on their way to silence, where they make no loop."""
    if before is None:
        return made
    by_id = {node.id: node for node in made}
    now = time.monotonic()
    for name, edge in before.edges.items():
        gone = before.went.get(name, now)
        if name in by_id or edge.source not in by_id or now - gone > _FADES_S:
            continue
        if is_out(edge.into):  # it stays until nothing comes out of it
            by_id.setdefault(edge.into, Node(edge.into))
        if edge.into != MASTER and edge.into not in by_id:
            continue
        ways = {node.id: node.targets for node in by_id.values()}
        if edge.source in reached({edge.into}, ways) or edge.source == edge.into:
            continue
        source = by_id[edge.source]
        by_id[source.id] = replace(source, ways=(*source.ways, name))
        by_id[name] = replace(edge, gain=0.0)
    return list(by_id.values())


def placed(bus: Bus, *, moved: bool = False) -> tuple[Stage, ...]:
    """The stage that sets a bus's width, balance and mono bottom; none where it does nothing.

    One that a curve moves is there all the time.
    """
    if not moved and bus.width == 100.0 and bus.pan == 0.0 and bus.mono_hz == 0.0:
        return ()
    process = Stereo(
        width=bus.width,
        balance=bus.pan,
        mono_on=bus.mono_hz > 0.0,
        mono_hz=max(20.0, bus.mono_hz),
    )
    return (Stage(id=PLACED, process=process),)
