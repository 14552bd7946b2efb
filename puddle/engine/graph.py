"""The buses as the engine reads them: tables of stages, of what they listen to, of delays."""

from __future__ import annotations

import time
from collections.abc import Iterator
from functools import cached_property
from typing import Any

import msgspec
import numpy as np

from puddle.engine import layout
from puddle.engine.names import (
    DIRECT,
    MASTER,
    is_out,
    number_of,
    out_node,
    pad_node,
    plain_node,
)
from puddle.engine.nodes import Node, is_stem, nodes
from puddle.kernels.quantum import QUANTUM
from puddle.kit.model.document import Kit, Pad
from puddle.stages import Insert, keys_of


class SlotMemory(msgspec.Struct):
    """What a running stage keeps from one table to the next."""

    insert: Insert
    state: np.ndarray
    now: np.ndarray
    target: np.ndarray
    moved: np.ndarray  # coefficients of a pattern's events are copied here


class Graph(msgspec.Struct, dict=True):
    """Buses, slots and feeds as the engine reads them, and all the memory they point into."""

    rate_hz: float
    header: np.ndarray
    buses: np.ndarray
    slots: np.ndarray
    feeds: np.ndarray
    order: list[str]
    memory: dict[Any, SlotMemory] = msgspec.field(default_factory=dict)
    lines: dict[Any, np.ndarray] = msgspec.field(default_factory=dict)
    taps: dict[str, np.ndarray] = msgspec.field(default_factory=dict)
    # What sound passes in each bus.
    ways: dict[str, tuple[Any, ...]] = msgspec.field(default_factory=dict)
    latency_frames: int = 0
    edges: dict[str, Node] = msgspec.field(default_factory=dict)  # ways, by their names
    went: dict[str, float] = msgspec.field(default_factory=dict)  # when those went that still fade

    def __post_init__(self) -> None:
        self.places = {name: n for n, name in enumerate(self.order)}

    @cached_property
    def reducing(self) -> list[tuple[tuple[str, str], SlotMemory, int]]:
        """Stages that tell how far they turn down: bus and stage, memory, and its cell for it."""
        cells = ((key, one.insert.reduction_cell(self.rate_hz)) for key, one in self.memory.items())
        return [(key[:2], self.memory[key], cell) for key, cell in cells if cell is not None]

    def entrance(self, pad: Pad) -> int:
        """The place of the bus that a pad's voices sound on."""
        names = (pad_node(pad.id), plain_node(pad.bus), pad.bus)
        return next((self.places[n] for n in names if n in self.places), self.places[DIRECT])


def address(array: np.ndarray) -> int:
    """The address of an array's data; whoever keeps it keeps the array."""
    return int(array.ctypes.data)


def stage_number(node_id: str, stage_id: str, insert: Insert, rate_hz: float) -> int:
    """The number of a running stage: another one where its coefficients mean something else."""
    return number_of((node_id, stage_id, insert.way(), insert.cells(rate_hz)))


class _Timing(msgspec.Struct, frozen=True):
    """By how many frames what enters and leaves each bus is late."""

    entering: dict[str, int]
    own: dict[str, int]

    def delay(self, node: Node) -> int:
        """Frames by which a bus waits for the latest one beside it."""
        if node.id == MASTER or node.ways:
            return 0
        if is_out(node.id):
            leaving = self.entering[MASTER] + self.own[MASTER]
            return leaving - self.entering[node.id] - self.own[node.id]
        return self.entering[node.into] - self.entering[node.id] - self.own[node.id]


def _timing(order: list[Node], rate_hz: float) -> _Timing:
    entering = {node.id: 0 for node in order}
    own = {
        node.id: sum(insert.latency_frames(rate_hz) for _, insert in node.inserts())
        for node in order
    }
    for node in order[:-1]:
        leaving = entering[node.id] + own[node.id]
        for target in node.targets:
            entering[target] = max(entering[target], leaving)
    latest = max((entering[node.id] for node in order if is_out(node.id)), default=0)
    entering[MASTER] = max(entering[MASTER], latest - own[MASTER])
    return _Timing(entering, own)


def bus_graph(
    kit: Kit,
    rate_hz: float,
    before: Graph | None,
    looked_at: frozenset[str] = frozenset(),
    pairs: int = 0,
) -> Graph:
    """The kit's buses; running stages keep their state. Pads' that are looked at are among them.

    A bus whose stages or delay are others than before gets a way of its own, which starts from
    copies of their states, so that the engine can cross from the old way to the new one.
    """
    order = nodes(kit, before, looked_at, pairs)
    timing = _timing(order, rate_hz)
    ears = sum(len(insert.ears(rate_hz)) for node in order for _, insert in node.inserts())
    graph = Graph(
        rate_hz=rate_hz,
        header=np.zeros(4, np.int64),
        buses=np.zeros(len(order), layout.BUS),
        slots=np.zeros(max(1, sum(len(node.inserts()) for node in order)), layout.SLOT),
        feeds=np.zeros(max(1, ears), layout.FEED),
        order=[node.id for node in order],
    )
    graph.edges = {node.id: node for node in order if node.source}
    now = time.monotonic()
    for name, edge in graph.edges.items():
        if edge.gain == 0.0:
            graph.went[name] = before.went.get(name, now) if before else now
    graph.latency_frames = timing.entering[MASTER] + timing.own[MASTER]
    graph.taps = dict(_taps(order, before))
    _Filling(graph, before, timing).fill(order)
    direct = graph.places[DIRECT]
    graph.header[:] = [address(graph.buses), len(order), direct, graph.latency_frames]
    return graph


def _taps(order: list[Node], before: Graph | None) -> Iterator[tuple[str, np.ndarray]]:
    """A quantum for each bus that stages listen to, by the id that they know it by."""
    keys = keys_of(stage for node in order for stage in node.stages)
    known = before.taps if before else {}
    for node in order:
        name = node.id.removeprefix(pad_node(""))
        if name and name in keys:
            tap = known.get(name)
            yield name, np.zeros((QUANTUM, 2), np.float32) if tap is None else tap


class _Filling:
    """Fills the tables of a graph, row by row."""

    def __init__(self, graph: Graph, before: Graph | None, timing: _Timing) -> None:
        self._graph = graph
        self._before = before
        self._timing = timing
        self._slot = self._feed = 0
        self._done: set[str] = set()  # what can be listened to: what entered buses before this one

    def fill(self, order: list[Node]) -> None:
        """Fills every row."""
        for row, node in zip(self._graph.buses, order, strict=True):
            name = node.id.removeprefix(pad_node(""))
            if name in self._graph.taps:
                row["tap"] = address(self._graph.taps[name])
        # Pads' buses hold what was struck before any of them is run: see `mixer.quantum`.
        self._done = {n for n in self._graph.taps if pad_node(n) in self._graph.places}
        for row, node in zip(self._graph.buses, order, strict=True):
            self._fill_bus(row, node)
            self._done.add(node.id)

    def _fill_bus(self, row: Any, node: Node) -> None:
        graph, before, timing = self._graph, self._before, self._timing
        rate_hz = graph.rate_hz
        inserts = node.inserts()
        delay = timing.delay(node)
        row["into"] = -1 if is_out(node.id) else graph.places.get(node.into, -1)
        row["output"] = int(node.id.removeprefix(out_node(0)[:-1])) if is_out(node.id) else 0
        row["gain"] = row["gain_between"] = row["gain_target"] = row["gain_rest"] = node.gain
        row["number"] = number_of(node.id)
        row["asleep"] = 1
        known = before.places if before is not None else {}
        if node.source and node.source in known and node.id not in known:
            row["gain"] = row["gain_between"] = 0.0  # it fades in, while what it replaces fades out
            row["asleep"] = 0
        row["through"] = bool(node.source) and not is_stem(node)
        if node.ways:
            ways = np.array([graph.places[name] for name in node.ways], np.int64)
            graph.lines[node.id, "ways"] = ways
            row["ways"], row["way_count"] = address(ways), len(ways)
        row["carries"] = before.places.get(node.id, -1) if before else -1
        row["delay"] = delay
        way = (delay, *((key, i.way(), i.cells(rate_hz)) for key, i in inserts))
        graph.ways[node.id] = way
        crosses = before is not None and before.ways.get(node.id, way) != way
        row["crosses"] = crosses
        row["hold"] = -(-(timing.own[node.id] + delay) // QUANTUM)
        row["delay_line"] = self._line((node.id, delay), delay, crosses)
        row["slot_table"], row["slots"] = address(graph.slots[self._slot :]), len(inserts)
        row["feeds"] = address(graph.feeds[self._feed :])
        first, late = self._feed, timing.entering[node.id]
        for stage_id, insert in inserts:
            memory = self._fill_slot(node.id, stage_id, insert, crosses)
            self._fill_feeds(node.id, stage_id, memory, late, crosses)
            late += insert.latency_frames(rate_hz)
        row["feed_count"] = self._feed - first

    def _line(self, key: Any, delay: int, crosses: bool) -> int:
        known = self._before.lines.get(key) if self._before and not crosses else None
        line = np.zeros((max(1, delay), 2), np.float32) if known is None else known
        self._graph.lines[key] = line
        return address(line)

    def _fill_slot(self, node_id: str, stage_id: str, insert: Insert, crosses: bool) -> SlotMemory:
        slot = self._graph.slots[self._slot]
        self._slot += 1
        cells = insert.cells(self._graph.rate_hz)
        target = np.ascontiguousarray(insert.coefficients(self._graph.rate_hz), np.float64)
        key = (node_id, stage_id, insert.way(), cells)
        known = self._before.memory.get(key) if self._before else None
        state, now = np.zeros(cells), target.copy()
        if known is not None and not crosses:
            state, now = known.state, known.now
        memory = SlotMemory(insert, state, now, target, np.zeros_like(target))
        self._graph.memory[key] = memory
        slot["entry"] = insert.entry()
        slot["state"], slot["cells"] = address(memory.state), cells
        slot["now"], slot["target"] = address(memory.now), address(target)
        slot["rest"], slot["moved"] = address(target), address(memory.moved)
        slot["number"] = stage_number(node_id, stage_id, insert, self._graph.rate_hz)
        slot["coefficients"] = target.shape[0]
        slot["ramp"] = 0 if known is None else layout.RAMP_QUANTA
        if known is not None and crosses:
            slot["inherits"], slot["inherits_now"] = address(known.state), address(known.now)
        return memory

    def _fill_feeds(
        self, node_id: str, stage_id: str, memory: SlotMemory, late: int, crosses: bool
    ) -> None:
        for n, ear in enumerate(memory.insert.ears(self._graph.rate_hz)):
            feed = self._graph.feeds[self._feed]
            self._feed += 1
            feed["cells"] = address(memory.state[ear.cell :])
            if ear.key not in self._done or ear.key not in self._graph.taps:
                continue
            source = self._timing.entering.get(ear.key, 0)  # a pad's own bus is never late
            delay = max(0, late + ear.late - source)
            feed["tap"] = address(self._graph.taps[ear.key])
            feed["delay"] = delay
            feed["line"] = self._line((node_id, stage_id, n, delay), delay + 1, crosses)
