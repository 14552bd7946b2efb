"""From a kit to the engine's tables: pads, and the pattern's events; buses are in `graph`."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np

from puddle.engine import layout
from puddle.engine.graph import Graph, address
from puddle.kit.document import Kit, Pad, Pattern
from puddle.render.takeset import TakeSet
from puddle.units import gain_from_db, pan_gains, ratio_from_semitones


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
    row["bus"] = graph.entrance(pad)
    row["group"] = pad.choke_group
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
