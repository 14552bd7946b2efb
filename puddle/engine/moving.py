"""What curves of patterns move while they play: events for stages' coefficients and for levels.

A curve is read at beats that lie close, and what its stage makes of its values is worked out here,
before anything plays. The engine goes from one to the next in straight lines, quantum by quantum:
so a bounce is what was heard. Stages and buses are named by numbers that stay theirs.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from functools import lru_cache
from typing import Any

import msgspec
import numpy as np

from puddle.engine import layout
from puddle.engine.graph import address, stage_number
from puddle.engine.names import DIRECT, MASTER, number_of, pad_node
from puddle.engine.nodes import PLACED, Node, bus_ways, pad_ways, pair_of, placed
from puddle.errors import EditError, ParameterError
from puddle.kernels.quantum import QUANTUM
from puddle.kit.edits.address import parameter_at, with_value
from puddle.kit.edits.curves import may_move
from puddle.kit.model.address import Address
from puddle.kit.model.document import Bus, Kit, Pattern, Stage
from puddle.kit.model.pattern import Curve
from puddle.kit.playing.curves import LEAP_BEATS, beats_of, value_at
from puddle.kit.playing.flow import audible
from puddle.kit.playing.groove import Groove
from puddle.kit.playing.schedule import Part, pattern_beats
from puddle.parameter import Parameter
from puddle.stages import Insert
from puddle.units import gain_from_db

_SUDDEN = 8  # quanta in which a curve leaps
_SAME_BEAT = 1e-9  # beats that differ by less are one
Target = tuple[str, str]  # a node and a stage of it; or a node alone, for its ways' levels


class Moves(msgspec.Struct, frozen=True, eq=False):
    """Events in order of time, and the memory that they point to."""

    events: np.ndarray
    rows: list[np.ndarray]


class _Pass(msgspec.Struct, frozen=True, eq=False):
    """What happens to one target in a pass of a pattern: EVENT rows, at beats of the pass."""

    begins: np.ndarray  # at its first beat
    goes: np.ndarray  # from there on
    rows: list[np.ndarray]


class _Table(msgspec.Struct, frozen=True, eq=False):
    """The passes of a pattern, and what they were made from."""

    made_of: tuple[Any, ...]
    passes: dict[Target, _Pass]


class CurveTables(msgspec.Struct, frozen=True, eq=False):
    """What the curves of a groove's patterns move, worked out; and where that rests."""

    patterns: dict[str, _Table] = msgspec.field(default_factory=dict)
    rests: dict[Target, _Pass] = msgspec.field(default_factory=dict)


NO_CURVES = CurveTables()


class _State(msgspec.Struct, frozen=True):
    """What a target is to be: coefficients of a stage, or a gain of a bus's way."""

    number: int
    row: np.ndarray | None
    gain: float


@lru_cache(maxsize=8192)
def _row(insert: Insert, rate_hz: float) -> np.ndarray:
    """An insert's coefficients; equal ones lie in one place."""
    row = np.ascontiguousarray(insert.coefficients(rate_hz), np.float64)
    row.flags.writeable = False
    return row


def target_of(control: Address) -> Target:
    """What a control is a part of."""
    if control.of == "bus":
        return (control.bus, "" if control.field == "level_db" else PLACED)
    if control.of == "master":
        return (MASTER, "")
    if control.of == "send":
        return (pad_node(control.pad) if control.pad else control.bus, "")
    node = pad_node(control.pad) if control.pad else control.bus or MASTER
    return (node, control.branches[0] if control.branches else control.stage)


class _Moving:
    """The states of what some curves of one target move."""

    def __init__(self, kit: Kit, target: Target, rate_hz: float, pairs: int) -> None:
        self._kit, self._rate_hz, self._pairs = kit, rate_hz, pairs
        self._node, self._stage = target
        self._heard = audible(kit)
        self.bpm = kit.tempo_bpm

    def at(self, values: list[tuple[Address, float]]) -> tuple[_State, ...]:
        """With controls at some values; nothing where what they are part of is off or gone."""
        kit = self._kit
        for control, value in values:
            kit = with_value(kit, control, value)
        if self._stage:
            return self._of_stage(kit)
        if self._node == MASTER:
            return (_State(number_of(MASTER), None, gain_from_db(kit.master.level_db)),)
        places = {DIRECT, *(one.id for one in kit.buses)}
        bus = next((bus for bus in kit.buses if bus.id == self._node), None)
        pad = next((pad for pad in kit.pads if pad_node(pad.id) == self._node), None)
        ways: list[Node] = []
        if bus is not None:
            ways = bus_ways(bus, places, self._heard, pair_of(bus, self._pairs))
        elif pad is not None:
            ways = pad_ways(pad, places, self._heard)
        return tuple(_State(number_of(way.id), None, way.gain) for way in ways)

    def _of_stage(self, kit: Kit) -> tuple[_State, ...]:
        stage = next((s for s in self._stages(kit) if s.id == self._stage), None)
        if stage is None or not stage.on:
            return ()
        insert = stage.insert
        number = stage_number(self._node, self._stage, insert, self._rate_hz)
        return (_State(number, _row(insert, self._rate_hz), 0.0),)

    def _stages(self, kit: Kit) -> tuple[Stage, ...]:
        if self._node == MASTER:
            return kit.master.stages
        bus: Bus | None = next((bus for bus in kit.buses if bus.id == self._node), None)
        if bus is not None:
            return (*bus.stages, *placed(bus, moved=True))
        pad = next((pad for pad in kit.pads if pad_node(pad.id) == self._node), None)
        return pad.stages if pad is not None else ()


# What curves are worked out to be: once for a kit and its patterns, beside the window.


def fit(tables: CurveTables, kit: Kit, groove: Groove, rate_hz: float, pairs: int = 0) -> bool:
    """Whether tables are those of a kit and a groove."""
    wanted = {part.pattern.id: part.pattern for part in groove.parts if part.pattern.curves}
    return wanted.keys() == tables.patterns.keys() and all(
        tables.patterns[key].made_of == _made_of(kit, pattern, rate_hz, pairs)
        for key, pattern in wanted.items()
    )


def curve_tables(kit: Kit, groove: Groove, rate_hz: float, pairs: int = 0) -> CurveTables:
    """What the curves of a groove's patterns move."""
    wanted = {part.pattern.id: part.pattern for part in groove.parts if part.pattern.curves}
    if not wanted:
        return NO_CURVES
    patterns, targets = {}, set[Target]()
    for key, pattern in wanted.items():
        found = _moved(kit, pattern)
        targets |= found.keys()
        passes = {
            target: _pass_of(_Moving(kit, target, rate_hz, pairs), pattern, curves, rate_hz)
            for target, curves in found.items()
        }
        patterns[key] = _Table(_made_of(kit, pattern, rate_hz, pairs), passes)
    rests = {
        target: _packed([(0.0, state, 0) for state in _Moving(kit, target, rate_hz, pairs).at([])])
        for target in targets
    }
    nothing = np.zeros(0, layout.EVENT)
    at_rest = {key: _Pass(moves.events, nothing, moves.rows) for key, moves in rests.items()}
    return CurveTables(patterns, at_rest)


def _made_of(kit: Kit, pattern: Pattern, rate_hz: float, pairs: int) -> tuple[Any, ...]:
    own = {curve.address.pad for curve in pattern.curves if curve.address.pad}
    pads = tuple((p.id, p.stages, p.sends, p.bus, p.level_db) for p in kit.pads if p.id in own)
    solo = tuple(pad.id for pad in kit.pads if pad.solo)
    length = (pattern.length, pattern.grid, pattern.curves)
    return (rate_hz, pairs, kit.tempo_bpm, length, kit.buses, kit.master, pads, solo)


def _moved(kit: Kit, pattern: Pattern) -> dict[Target, list[tuple[Curve, Parameter]]]:
    """A pattern's curves that can move something, by what that is."""
    found: dict[Target, list[tuple[Curve, Parameter]]] = {}
    for curve in pattern.curves:
        try:
            if may_move(kit, curve.address):
                known = parameter_at(kit, curve.address)
                found.setdefault(target_of(curve.address), []).append((curve, known))
        except (EditError, ParameterError):
            continue  # what it moved is gone
    return found


def _pass_of(
    moving: _Moving, pattern: Pattern, curves: list[tuple[Curve, Parameter]], rate_hz: float
) -> _Pass:
    """Where a target begins, and how it goes from each place at which curves are read on."""
    beats = pattern_beats(pattern)
    places = sorted({at for curve, known in curves for at in beats_of(curve, known, beats)})
    states = [
        moving.at([(curve.address, value_at(curve.points, known, at)) for curve, known in curves])
        for at in places
    ]
    frames = 60.0 * rate_hz / moving.bpm  # of a beat
    goes = []
    for (at, following), (before, after) in zip(
        itertools.pairwise(places), itertools.pairwise(states), strict=True
    ):
        leaps = following - at <= LEAP_BEATS
        quanta = _SUDDEN if leaps else max(1, round((following - at) * frames / QUANTUM))
        for was, state in zip(before, after, strict=True):
            if was.row is not state.row or was.gain != state.gain:
                goes.append((at, state, quanta))
    begins, packed = _packed([(0.0, state, 0) for state in states[0]]), _packed(goes)
    return _Pass(begins.events, packed.events, [*begins.rows, *packed.rows])


def _packed(made: list[tuple[float, _State, int]]) -> Moves:
    events = np.zeros(len(made), layout.EVENT)
    rows: list[np.ndarray] = []
    for event, (beat, state, quanta) in zip(events, made, strict=True):
        event["beat"], event["pad"], event["note"] = beat, state.number, quanta
        if state.row is None:
            event["kind"], event["velocity"] = layout.LEVEL, state.gain
        else:
            event["kind"], event["turn"] = layout.MOVE, address(state.row)
            rows.append(state.row)
    return Moves(events, rows)


# What falls into a span of the groove.


def move_events(tables: CurveTables, groove: Groove, span: tuple[float, float]) -> Moves:
    """What curves move from a beat of the groove on to before another.

    It begins with where everything goes at the first beat; where a part begins whose pattern does
    not move what another one does, that goes back to where the kit has it.
    """
    found = [np.zeros(0, layout.EVENT)]
    rows: list[np.ndarray] = []
    for n, part in enumerate(groove.parts):
        end = groove.parts[n + 1].start if n + 1 < len(groove.parts) else span[1]
        first, last = max(span[0], part.start), min(end, span[1])
        if first >= last:
            continue
        table = tables.patterns.get(part.pattern.id)
        own = table.passes if table is not None else {}
        for target, rest in tables.rests.items():
            made = own.get(target)
            rows += rest.rows if made is None else made.rows
            found += _resting(rest, first) if made is None else _in_part(made, part, first, last)
    events = np.concatenate(found)
    return Moves(events[np.argsort(events["beat"], kind="stable")], rows)


def _resting(rest: _Pass, first: float) -> Iterator[np.ndarray]:
    yield _later(rest.begins, first)


def _in_part(made: _Pass, part: Part, first: float, last: float) -> Iterator[np.ndarray]:
    beats = pattern_beats(part.pattern)
    inside = max(0.0, (first - part.origin) % beats) if first > part.origin else 0.0
    if inside > _SAME_BEAT:
        yield _later(_under_way(made, inside), first)
    number = int(max(0.0, first - part.origin) // beats)
    while (began := part.origin + number * beats) < last:
        whole = _later(np.concatenate([made.begins, made.goes]), began)
        yield whole[(whole["beat"] >= first - _SAME_BEAT) & (whole["beat"] < last)]
        number += 1


def _under_way(made: _Pass, inside: float) -> np.ndarray:
    """Where each number is going at a beat of the pass."""
    past = np.concatenate([made.begins, made.goes[made.goes["beat"] < inside - _SAME_BEAT]])
    _, reverse = np.unique(past["pad"][::-1], return_index=True)
    going = past[len(past) - 1 - reverse]
    going["beat"] = 0.0
    return going


def _later(events: np.ndarray, beat: float) -> np.ndarray:
    made = events.copy()
    made["beat"] += beat
    return made


def with_moves(struck: np.ndarray, moves: Moves) -> np.ndarray:
    """Strikes and releases with moves among them, in order of time; moves before strikes."""
    if not len(moves.events):
        return struck
    both = np.concatenate([moves.events, struck])
    return both[np.argsort(both["beat"], kind="stable")]
