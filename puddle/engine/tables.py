"""From a kit to the engine's tables: pads, buses with their stages, and the pattern's events."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from puddle.engine import layout
from puddle.kernels.quantum import QUANTUM
from puddle.kit.document import Kit, Pad, Pattern, Stage
from puddle.render.takeset import TakeSet
from puddle.units import gain_from_db, pan_gains, ratio_from_semitones

DIRECT = ""  # the bus of pads that go to none


@dataclass
class SlotMemory:
    """What a running stage keeps from one table to the next."""

    state: np.ndarray
    now: np.ndarray
    target: np.ndarray


@dataclass
class Graph:
    """Buses and slots as the engine reads them, and all the memory they point into."""

    header: np.ndarray
    buses: np.ndarray
    slots: np.ndarray
    order: list[str]
    memory: dict[Any, SlotMemory] = field(default_factory=dict)
    lines: dict[tuple[str, int], np.ndarray] = field(default_factory=dict)
    ways: dict[str, tuple[Any, ...]] = field(default_factory=dict)  # what sound passes in each bus
    latency_frames: int = 0


def address(array: np.ndarray) -> int:
    """The address of an array's data; whoever keeps it keeps the array."""
    return int(array.ctypes.data)


class TakeLists:
    """The lists of takes as the engine reads them, made anew only when a set has grown."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[TakeSet, int, np.ndarray]] = {}

    def of(self, takes: TakeSet) -> np.ndarray:
        """(address, frames) by step and turn: int64 (steps × turns, 2)."""
        known = self._known.get(id(takes))
        if known is None or known[1] != len(takes.ready):
            known = (takes, len(takes.ready), _take_list(takes))
            self._known[id(takes)] = known
        return known[2]

    def keep_only(self, sets: Iterable[TakeSet]) -> None:
        """Lets the lists of other sets go."""
        kept = {id(found) for found in sets}
        self._known = {key: known for key, known in self._known.items() if key in kept}


def pad_table(
    kit: Kit, takes: Mapping[str, TakeSet], graph: Graph, known: TakeLists
) -> tuple[np.ndarray, list[np.ndarray]]:
    """The pads in the kit's order, and the lists of takes that they point to."""
    table = np.zeros(max(1, len(kit.pads)), layout.PAD)
    lists: list[np.ndarray] = []
    any_solo = any(pad.solo for pad in kit.pads)
    for row, pad in zip(table, kit.pads, strict=False):
        _fill_pad(row, pad, graph)
        found = takes.get(pad.id)
        if found is not None and found.ready:
            lists.append(known.of(found))
            row["takes"] = address(lists[-1])
            row["steps"], row["turns"] = found.steps, found.turns
        row["silenced"] = pad.mute or (any_solo and not pad.solo)
    known.keep_only(takes.values())
    return table, lists


def _take_list(takes: TakeSet) -> np.ndarray:
    pairs = np.zeros((takes.steps * takes.turns, 2), np.int64)
    for step in range(takes.steps):
        for turn in range(takes.turns):
            take = takes.take(step, turn)
            if take is not None:
                pairs[step * takes.turns + turn] = address(take), take.shape[0]
    return pairs


def _fill_pad(row: Any, pad: Pad, graph: Graph) -> None:
    gain = gain_from_db(pad.level_db)
    left, right = pan_gains(pad.pan)
    row["rate"] = ratio_from_semitones(pad.tune_st)
    row["left"] = gain * left
    row["right"] = gain * right
    row["velocity_power"] = 2.0 * pad.velocity_amount / 100.0
    row["bus"] = graph.order.index(pad.bus)
    row["group"] = pad.choke_group
    row["gate"] = pad.trigger == "gate"
    row["release_frames"] = round(pad.release_ms / 1000.0 * graph_rate(graph))


def graph_rate(graph: Graph) -> float:
    """The rate for which a graph was made."""
    return float(graph.header[2])


def bus_graph(kit: Kit, rate_hz: float, before: Graph | None) -> Graph:
    """Direct, the kit's buses, and the master last; running stages keep their state.

    A bus whose stages or delay are others than before gets a way of its own, which starts from
    copies of their states, so that the engine can cross from the old way to the new one.
    """
    rows: list[tuple[str, float, tuple[Stage, ...]]] = [(DIRECT, 0.0, ())]
    rows += [(bus.id, bus.level_db, bus.stages) for bus in kit.buses[: layout.MOST_BUSES - 2]]
    rows.append(("\0master", kit.master.level_db, kit.master.stages))
    buses = np.zeros(len(rows), layout.BUS)
    chains = [[stage for stage in stages if stage.on] for _, _, stages in rows]
    slots = np.zeros(max(1, sum(len(c) for c in chains)), layout.SLOT)
    header = np.zeros(3, np.int64)
    graph = Graph(header, buses, slots, [row[0] for row in rows])
    latencies = [sum(s.insert.latency_frames(rate_hz) for s in chain) for chain in chains]
    latest = max(latencies[:-1])
    graph.latency_frames = latest + latencies[-1]
    first = 0
    for n, (bus_id, level_db, _) in enumerate(rows):
        bus, chain = buses[n], chains[n]
        bus["slot_table"], bus["slots"] = address(slots[first:]), len(chain)
        bus["gain"] = bus["gain_target"] = gain_from_db(level_db)
        bus["asleep"] = 1
        bus["carries"] = before.order.index(bus_id) if before and bus_id in before.order else -1
        bus["delay"] = latest - latencies[n] if n < len(rows) - 1 else 0
        way = (
            int(bus["delay"]),
            *((s.id, s.insert.way(), s.insert.cells(rate_hz)) for s in chain),
        )
        graph.ways[bus_id] = way
        crosses = before is not None and before.ways.get(bus_id, way) != way
        bus["crosses"] = crosses
        bus["hold"] = -(-(latencies[n] + int(bus["delay"])) // QUANTUM)
        bus["delay_line"] = _line(graph, None if crosses else before, bus_id, int(bus["delay"]))
        for k, stage in enumerate(chain):
            _fill_slot(slots[first + k], graph, before, bus_id, stage, rate_hz, crosses)
        first += len(chain)
    header[:] = [address(buses), len(rows), round(rate_hz)]
    return graph


def _line(graph: Graph, before: Graph | None, bus_id: str, delay: int) -> int:
    key = (bus_id, delay)
    known = before.lines.get(key) if before else None
    graph.lines[key] = np.zeros((max(1, delay), 2), np.float32) if known is None else known
    return address(graph.lines[key])


def _fill_slot(
    slot: Any,
    graph: Graph,
    before: Graph | None,
    bus_id: str,
    stage: Stage,
    rate_hz: float,
    crosses: bool,
) -> None:
    insert = stage.insert
    cells = insert.cells(rate_hz)
    target = np.ascontiguousarray(insert.coefficients(rate_hz), np.float64)
    key = (bus_id, stage.id, insert.way(), cells)
    known = before.memory.get(key) if before else None
    if known is None or crosses:
        memory = SlotMemory(np.zeros(cells), target.copy(), target)
    else:
        memory = SlotMemory(known.state, known.now, target)
    graph.memory[key] = memory
    slot["entry"] = insert.entry()
    slot["state"], slot["cells"] = address(memory.state), cells
    slot["now"], slot["target"] = address(memory.now), address(target)
    slot["coefficients"] = target.shape[0]
    slot["ramp"] = 0 if known is None else layout.RAMP_QUANTA
    if known is not None and crosses:
        slot["inherits"], slot["inherits_now"] = address(known.state), address(known.now)


def step_beat(pattern: Pattern, step: float) -> float:
    """The beat at which a step falls; swing moves every second step later."""
    beat = step / pattern.steps_per_beat
    if int(step) % 2 == 1:
        beat += (pattern.swing - 50.0) / 50.0 / pattern.steps_per_beat
    return beat


def pattern_beats(pattern: Pattern) -> float:
    """The pattern's length in beats."""
    return pattern.length / pattern.steps_per_beat


def event_table(kit: Kit, pattern: Pattern) -> np.ndarray:
    """Strikes, and releases for gated pads, in order of time."""
    places = {pad.id: n for n, pad in enumerate(kit.pads)}
    length = pattern_beats(pattern)
    events: list[tuple[float, int, int, float]] = []
    for lane in pattern.lanes:
        gated = kit.pads[places[lane.pad]].trigger == "gate"
        for hit in lane.hits:
            if hit.step >= pattern.length:
                continue
            beat = step_beat(pattern, hit.step)
            events.append((beat, layout.STRIKE, places[lane.pad], float(hit.velocity)))
            if gated:
                end = (beat + hit.steps / pattern.steps_per_beat) % length
                events.append((end, layout.RELEASE, places[lane.pad], 0.0))
    events.sort(key=lambda e: (e[0], e[1] == layout.STRIKE, e[2]))
    table = np.zeros(max(1, len(events)), layout.EVENT)
    for row, event in zip(table, events, strict=False):
        row["beat"], row["kind"], row["pad"], row["velocity"] = event
    return table[: len(events)] if events else table[:0]
