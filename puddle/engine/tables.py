"""From a kit to the engine's tables: pads, and the pattern's events; buses are in `graph`."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from puddle.engine import layout
from puddle.engine.graph import Graph, address
from puddle.kit.document import Kit, Pad, Pattern
from puddle.render.takeset import TakeSet
from puddle.units import gain_from_db, pan_gains, ratio_from_semitones

_VELOCITIES = 127


@dataclass(frozen=True, eq=False)
class _Row:
    """A pad as the engine reads it, and what it was made from."""

    pad: Pad
    graph: Graph
    takes: TakeSet | None
    ready: int
    silenced: bool
    table: bytes
    takes_list: np.ndarray | None  # (address, frames) by step and turn


class PadRows:
    """The pads as the engine reads them, made anew where they differ from those before.

    While a control moves, one pad of many is another.
    """

    def __init__(self) -> None:
        self._rows: dict[str, _Row] = {}

    def of(
        self, kit: Kit, takes: Mapping[str, TakeSet], graph: Graph
    ) -> tuple[np.ndarray, list[np.ndarray]]:
        """The table of the pads in the kit's order, and the lists that it points to."""
        any_solo = any(pad.solo for pad in kit.pads)
        rows = [
            self._row(pad, takes.get(pad.id), graph, pad.mute or (any_solo and not pad.solo))
            for pad in kit.pads
        ]
        self._rows = {row.pad.id: row for row in rows}
        lists = [row.takes_list for row in rows if row.takes_list is not None]
        # Joined as bytes: to concatenate records NumPy compares their fields, one by one.
        joined = b"".join(row.table for row in rows) or bytes(layout.PAD.itemsize)
        return np.frombuffer(bytearray(joined), layout.PAD), lists

    def _row(self, pad: Pad, takes: TakeSet | None, graph: Graph, silenced: bool) -> _Row:
        ready = len(takes.ready) if takes is not None else 0
        known = self._rows.get(pad.id)
        if known is not None and known.takes is takes and known.ready == ready:
            if known.pad is pad and known.graph is graph and known.silenced == silenced:
                return known
            found = known.takes_list
        else:
            found = _take_list(takes) if takes is not None and ready else None
        table = np.zeros(1, layout.PAD)
        _fill_pad(table[0], pad, graph)
        if takes is not None and found is not None:
            table[0]["takes"] = address(found)
            table[0]["steps"] = len(found) // takes.turns
            table[0]["turns"] = takes.turns
        table[0]["silenced"] = silenced
        return _Row(pad, graph, takes, ready, silenced, table.tobytes(), found)


def _take_list(takes: TakeSet) -> np.ndarray:
    """Addresses and lengths by turn, for each whole velocity: one row where all are alike."""
    places = takes.places()
    if len(takes.lows) > 1:
        velocities = np.arange(1, _VELOCITIES + 1)
        places = places[np.searchsorted(takes.lows, velocities, side="right") - 1]
    ready = [(address(take), take.shape[0]) for take in takes.ready.values()]
    return np.array(ready, np.int64).reshape(-1, 2)[places.ravel()]


def _fill_pad(row: Any, pad: Pad, graph: Graph) -> None:
    gain = gain_from_db(pad.level_db)
    left, right = pan_gains(pad.pan)
    row["rate"] = ratio_from_semitones(pad.tune_st)
    row["left"] = gain * left
    row["right"] = gain * right
    row["velocity_power"] = 2.0 * pad.velocity_amount / 100.0
    row["bus"] = graph.entrance(pad)
    row["group"] = pad.choke_group
    row["chokes"] = pad.chokes or pad.choke_group
    row["gate"] = pad.trigger == "gate"
    row["release_frames"] = round(pad.release_ms / 1000.0 * graph.rate_hz)


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
