"""What curves of patterns move while they play: events for stages' coefficients and for levels.

A curve is read at beats that lie close, and what its stage makes of its values is worked out here,
before anything plays. The engine goes from one to the next in straight lines, quantum by quantum:
so a bounce is what was heard. Stages and buses are named by numbers that stay theirs.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache, lru_cache

import numpy as np

from puddle.engine import layout
from puddle.engine.graph import PLACED, address, bus_ways, pair_of, placed, stage_number
from puddle.engine.names import DIRECT, MASTER, number_of, pad_node
from puddle.errors import EditError, ParameterError
from puddle.kernels.quantum import QUANTUM
from puddle.kit.edits.address import parameter_at, with_value
from puddle.kit.edits.curves import may_move
from puddle.kit.model.address import Address
from puddle.kit.model.document import Bus, Kit, Stage
from puddle.kit.model.pattern import Curve
from puddle.kit.playing.curves import LEAP_BEATS, beats_of, value_at
from puddle.kit.playing.flow import audible
from puddle.kit.playing.groove import Groove
from puddle.kit.playing.schedule import Part, pattern_beats
from puddle.parameter import Parameter
from puddle.stages import Insert
from puddle.units import gain_from_db

_SUDDEN = 8  # quanta in which a curve leaps
_NO_FINER = 1e-9
Target = tuple[str, str]  # a node and a stage of it; or a bus's name alone, for its level


@dataclass(frozen=True, eq=False)
class Moves:
    """Events in order of time, and the memory that they point to."""

    events: np.ndarray
    rows: list[np.ndarray]


@dataclass(frozen=True, slots=True)
class _State:
    """What a target is to be: coefficients of a stage, or gains of buses' ways."""

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
    node = pad_node(control.pad) if control.pad else control.bus or MASTER
    return (node, control.branches[0] if control.branches else control.stage)


class _Moving:
    """The states of what some curves of one target move."""

    def __init__(self, kit: Kit, target: Target, rate_hz: float, pairs: int) -> None:
        self._kit, self._rate_hz, self._pairs = kit, rate_hz, pairs
        self._node, self._stage = target
        self._heard = audible(kit)

    def at(self, values: list[tuple[Address, float]]) -> tuple[_State, ...]:
        """With controls at some values; nothing where what they are part of is off or gone."""
        kit = self._kit
        for control, value in values:
            kit = with_value(kit, control, value)
        if self._stage:
            return self._of_stage(kit)
        if self._node == MASTER:
            return (_State(number_of(MASTER), None, gain_from_db(kit.master.level_db)),)
        bus = next((bus for bus in kit.buses if bus.id == self._node), None)
        places = {DIRECT, *(one.id for one in kit.buses)}
        if bus is None:
            return ()
        ways = bus_ways(bus, places, self._heard, pair_of(bus, self._pairs))
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


def _moved(kit: Kit, part: Part) -> dict[Target, list[tuple[Curve, Parameter]]]:
    """A part's curves that can move something, by what that is."""
    found: dict[Target, list[tuple[Curve, Parameter]]] = {}
    for curve in part.pattern.curves:
        try:
            if may_move(kit, curve.address):
                known = parameter_at(kit, curve.address)
                found.setdefault(target_of(curve.address), []).append((curve, known))
        except (EditError, ParameterError):
            continue  # what it moved is gone
    return found


def move_events(
    kit: Kit, groove: Groove, rate_hz: float, span: tuple[float, float], pairs: int = 0
) -> Moves:
    """What the curves of a groove move from a beat on to before another.

    It begins with where everything stands at the first beat; where a part begins whose pattern
    does not move what another one does, that goes back to where the kit has it.
    """
    moved = [_moved(kit, part) for part in groove.parts]
    targets = sorted({target for one in moved for target in one})
    if not targets:
        return Moves(np.zeros(0, layout.EVENT), [])
    frames = 60.0 * rate_hz / kit.tempo_bpm  # of a beat
    made: list[tuple[float, _State, int]] = []
    for target in targets:
        moving = _Moving(kit, target, rate_hz, pairs)
        for part, own, end in _parts_in(groove, moved, span):
            made += _in_part(
                moving, part, own.get(target, []), (max(span[0], part.start), end), frames
            )
    return _packed(made)


def _parts_in(
    groove: Groove,
    moved: list[dict[Target, list[tuple[Curve, Parameter]]]],
    span: tuple[float, float],
) -> Iterator[tuple[Part, dict[Target, list[tuple[Curve, Parameter]]], float]]:
    for n, (part, own) in enumerate(zip(groove.parts, moved, strict=True)):
        end = groove.parts[n + 1].start if n + 1 < len(groove.parts) else span[1]
        if part.start < span[1] and end > span[0]:
            yield part, own, min(end, span[1])


def _in_part(
    moving: _Moving,
    part: Part,
    curves: list[tuple[Curve, Parameter]],
    span: tuple[float, float],
    frames: float,
) -> Iterator[tuple[float, _State, int]]:
    """Beats, states and the quanta in which to get there, 0 for as a moved gauge does."""
    if not curves:
        yield from ((span[0], state, 0) for state in moving.at([]))
        return
    beats = pattern_beats(part.pattern)
    places = sorted({at for curve, known in curves for at in beats_of(curve, known, beats)})

    @cache
    def states(at: float) -> tuple[_State, ...]:
        return moving.at(
            [(curve.address, value_at(curve.points, known, at)) for curve, known in curves]
        )

    inside = (span[0] - part.origin) % beats if span[0] > part.origin else 0.0
    yield from ((span[0], state, 0) for state in states(inside))
    for begins in _passes(part, span, beats):
        if begins > span[0]:
            yield from ((begins, state, 0) for state in states(0.0))
        yield from _along(places, states, begins, span, frames)


def _passes(part: Part, span: tuple[float, float], beats: float) -> Iterator[float]:
    first = max(0, int((span[0] - part.origin) // beats))
    for n in itertools.count(first):
        if part.origin + n * beats >= span[1]:
            return
        yield part.origin + n * beats


def _along(
    places: list[float],
    states: Callable[[float], tuple[_State, ...]],
    begins: float,
    span: tuple[float, float],
    frames: float,
) -> Iterator[tuple[float, _State, int]]:
    """From each place to the next, in a pass that begins at a beat."""
    for at, following in itertools.pairwise(places):
        beat = begins + at
        if not span[0] - _NO_FINER <= beat < span[1]:
            continue
        leaps = following - at <= LEAP_BEATS
        quanta = _SUDDEN if leaps else max(1, round((following - at) * frames / QUANTUM))
        for before, state in zip(states(at), states(following), strict=True):
            if before.row is not state.row or before.gain != state.gain:
                yield beat, state, quanta


def _packed(made: list[tuple[float, _State, int]]) -> Moves:
    events = np.zeros(len(made), layout.EVENT)
    rows: list[np.ndarray] = []
    for event, (beat, state, quanta) in zip(events, made, strict=True):
        event["beat"], event["pad"], event["turns"] = beat, state.number, 0
        event["note"] = quanta
        if state.row is None:
            event["kind"], event["velocity"] = layout.LEVEL, state.gain
        else:
            event["kind"], event["turn"] = layout.MOVE, address(state.row)
            rows.append(state.row)
    return Moves(events[np.argsort(events["beat"], kind="stable")], rows)


def with_moves(struck: np.ndarray, moves: Moves) -> np.ndarray:
    """Strikes and releases with moves among them, in order of time; moves before strikes."""
    if not len(moves.events):
        return struck
    both = np.concatenate([moves.events, struck])
    return both[np.argsort(both["beat"], kind="stable")]


def moves_something(groove: Groove) -> bool:
    """Whether some pattern of a groove has curves."""
    return any(part.pattern.curves for part in groove.parts)
