"""From a kit to the engine's tables: pads, and the pattern's events; buses are in `graph`."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np

from puddle.engine import layout
from puddle.engine.graph import Graph, address
from puddle.kit.edits.own_values import Varied
from puddle.kit.model.document import Kit, Pad, Sound
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.flow import Heard, audible
from puddle.kit.playing.groove import Groove
from puddle.kit.playing.key_tracking import pad_tune_st, shift_of, zone_at
from puddle.kit.playing.levels import has_own_levels, strike_gain_db
from puddle.kit.playing.response import strength_of
from puddle.kit.playing.schedule import strokes_in
from puddle.render.takeset import TakeSet
from puddle.stages import keys_of
from puddle.units import gain_from_db, pan_gains, ratio_from_semitones

_VELOCITIES = 127
_NOTES = 128
_HELD = 100.0  # beats: the longest that a hit is held
Span = tuple[float, float, bool]  # beats from and to, and whether that is a pass that loops


# Behind the kit's own pads, and in a choke group that no gauge reaches.
AUDITION = Pad(id="\0audition", name="", place=0, sound=Sound(), choke_group=9999)


class _Home(NamedTuple):
    """The pad of the kit that a row plays, the slots of both, and whether it is silenced."""

    pad: Pad
    slot: int
    owner: int
    silenced: bool


class _Row(msgspec.Struct, frozen=True, eq=False):
    """A pad as the engine reads it, and what it was made from."""

    pad: Pad
    graph: Graph
    takes: TakeSet | None
    home: _Home
    table: bytes
    takes_list: np.ndarray | None  # (address, frames, semitones) by zone, step and turn
    keys: np.ndarray | None  # semitones and zone by note
    response: np.ndarray | None
    levels: np.ndarray | None


class PadRows:
    """The pads as the engine reads them, made anew where they differ from those before.

    While a control moves, one pad of many is another.
    """

    def __init__(self) -> None:
        self._rows: dict[str, _Row] = {}

    def of(
        self,
        kit: Kit,
        takes: Mapping[str, TakeSet],
        graph: Graph,
        slots: Mapping[str, int],
        varied: Sequence[Varied] = (),
    ) -> tuple[bytes, int, list[np.ndarray]]:
        """The pads' table, the number of its rows, and the lists that it points to.

        The table is int64 (SLOTS,), the row of each slot's index or -1, then the rows: the kit's
        pads, pads with own values of hits, and the audition where `takes` has it.
        """
        homes = list(self._homes(kit, slots, varied))
        if AUDITION.id in takes:
            slot = layout.AUDITION_SLOT
            homes.append((AUDITION, _Home(AUDITION, slot, slot, silenced=False)))
        rows = [self._row(pad, home, takes.get(pad.id), graph) for pad, home in homes]
        self._rows = {row.pad.id: row for row in rows}
        tables = [table for row in rows for table in _tables(row)]
        lists = [table for table in tables if table is not None]
        places = np.full(layout.SLOTS, -1, np.int64)
        places[[home.slot % layout.SLOTS for _, home in homes]] = np.arange(len(homes))
        # Joined as bytes: to concatenate records NumPy compares their fields, one by one.
        return b"".join([places.tobytes(), *(row.table for row in rows)]), len(rows), lists

    def _homes(
        self, kit: Kit, slots: Mapping[str, int], varied: Sequence[Varied]
    ) -> Iterator[tuple[Pad, _Home]]:
        """Each pad of the table with the pad of the kit that it is."""
        heard = audible(kit)
        keyed = frozenset() if heard.all else _keyed(kit)
        pads = {pad.id: pad for pad in kit.pads}
        owned = [(pad, pad) for pad in kit.pads] + [(one.pad, pads[one.owner]) for one in varied]
        for pad, owner in owned:
            silenced = owner.mute or not _is_heard(owner, heard, keyed)
            yield pad, _Home(owner, slots[pad.id], slots[owner.id], silenced)

    def _row(self, pad: Pad, home: _Home, takes: TakeSet | None, graph: Graph) -> _Row:
        known = self._rows.get(pad.id)
        if known is not None and known.takes is takes:
            if known.pad is pad and known.graph is graph and known.home == home:
                return known
            found = known.takes_list
        else:
            found = _take_list(takes) if takes is not None and takes.ready else None
        table = np.zeros(1, layout.PAD)
        _fill_pad(table[0], pad, graph, takes.tuned_st if takes is not None else 0.0)
        table[0]["slot"], table[0]["owner"] = home.slot, home.owner
        table[0]["bus"] = graph.entrance(home.pad)
        zones = takes.zones if takes is not None else (0,)
        if takes is not None and found is not None:
            table[0]["takes"] = address(found)
            table[0]["steps"] = len(found) // (takes.turns * len(zones))
            table[0]["turns"] = takes.turns
        keys, response, levels = _key_table(pad, zones), _response_table(pad), _level_table(pad)
        for name, made in (("keys", keys), ("response", response), ("levels", levels)):
            if made is not None:
                table[0][name] = address(made)
        table[0]["silenced"] = home.silenced
        return _Row(pad, graph, takes, home, table.tobytes(), found, keys, response, levels)


def _keyed(kit: Kit) -> frozenset[str]:
    """The pads that stages of pads, buses or the master listen to: they play though unheard."""
    rows = [pad.stages for pad in kit.pads] + [bus.stages for bus in kit.buses]
    return frozenset(keys_of(stage for row in [*rows, kit.master.stages] for stage in row))


def _is_heard(pad: Pad, heard: Heard, keyed: frozenset[str]) -> bool:
    """Whether a pad's voices are to sound; its ways may still be shut."""
    return heard.all or pad.id in heard.pads or pad.id in keyed


def _tables(row: _Row) -> tuple[np.ndarray | None, ...]:
    return row.takes_list, row.keys, row.response, row.levels


def _take_list(takes: TakeSet) -> np.ndarray:
    """Addresses, lengths and semitones by zone and turn, for each whole velocity.

    One row where all velocities are alike. The semitones are a float64's bits.
    """
    places = takes.places()
    if len(takes.lows) > 1:
        velocities = np.arange(1, _VELOCITIES + 1)
        places = places[:, np.searchsorted(takes.lows, velocities, side="right") - 1]
    ready = np.zeros((len(takes.ready), 3), np.int64)
    for n, ((_, _, zone), take) in enumerate(takes.ready.items()):
        ready[n] = address(take), take.shape[0], np.float64(zone).view(np.int64)
    found: np.ndarray = ready[places.ravel()]
    return found


def _key_table(pad: Pad, zones: tuple[int, ...]) -> np.ndarray | None:
    """Semitones and zone by note, float64 (129, 2), the last for a strike without one."""
    if pad.tracking == 0.0 and len(zones) == 1:
        return None
    shifts = [shift_of(pad, note) for note in (*range(_NOTES), NO_NOTE)]
    return np.array([(shift, float(zone_at(zones, shift))) for shift in shifts])


def _response_table(pad: Pad) -> np.ndarray | None:
    """What each whole velocity from 0 to 127 plays as, float64; None where nothing differs."""
    if not pad.response:
        return None
    return np.array([strength_of(pad.response, float(v)) for v in range(_VELOCITIES + 1)])


def _level_table(pad: Pad) -> np.ndarray | None:
    """The gain of each whole strength from 0 to 127, float64; None where the pad's power says it.

    A strike between two goes by the lower, whose recording it plays.
    """
    if not has_own_levels(pad.sound):
        return None
    return np.array([gain_from_db(strike_gain_db(pad, v)) for v in range(_VELOCITIES + 1)])


def _fill_pad(row: Any, pad: Pad, graph: Graph, tuned_st: float) -> None:
    gain = gain_from_db(pad.level_db)
    left, right = pan_gains(pad.pan)
    row["rate"] = ratio_from_semitones(pad_tune_st(pad) - tuned_st)
    row["left"] = gain * left
    row["right"] = gain * right
    row["velocity_power"] = 2.0 * pad.velocity_amount / 100.0
    row["group"] = pad.choke_group
    row["chokes"] = pad.chokes or pad.choke_group
    row["gate"] = pad.trigger == "gate"
    row["attack_step"], row["decay_factor"], row["sustain"] = _gate_shape(pad, graph.rate_hz)
    row["limit"] = pad.limit
    row["steals_softest"] = pad.steals == "the softest"
    row["glide"] = layout.GLIDES.index(pad.glide) if pad.limit == 1 else 0
    row["glide_frames"] = max(1.0, pad.glide_ms / 1000.0 * graph.rate_hz)
    row["release_frames"] = round(pad.release_ms / 1000.0 * graph.rate_hz)


def _gate_shape(pad: Pad, rate_hz: float) -> tuple[float, float, float]:
    """Steps of a gate's envelope: its rise, its fall (to a thousandth in the set time), its rest.

    A rise of 0 says that there is none, and a fall of 0 that it stays where it is.
    """
    if pad.trigger != "gate":
        return 0.0, 0.0, 1.0
    rise = 1000.0 / (pad.attack_ms * rate_hz) if pad.attack_ms > 0.0 else 0.0
    frames = pad.decay_ms / 1000.0 * rate_hz
    fall = 10.0 ** (-3.0 / frames) if pad.sustain < 100.0 else 0.0
    return rise, fall, pad.sustain / 100.0


def event_table(
    kit: Kit, groove: Groove, slots: Mapping[str, int], varied: Sequence[Varied], span: Span
) -> np.ndarray:
    """Strikes, and releases for gated pads, in order of time.

    Where the span is a pass that loops, what is held over its end is let go in a later pass, and
    turns go on from pass to pass; else beats are those of the groove.
    """
    first, last, loops = span
    # What is let go in the span may have been struck before it.
    holds = any(pad.trigger == "gate" for pad in (*kit.pads, *(one.pad for one in varied)))
    start = first if loops or not holds else first - _HELD
    strokes = strokes_in(groove.parts, kit.tempo_bpm, start, last)
    struck_slots, gates = _slots_of(kit, groove, slots, varied, strokes)
    struck = (strokes["beat"] >= first) & (struck_slots >= 0)
    gated = gates & (struck_slots >= 0)
    turns = np.zeros(len(strokes), np.int64)
    if loops and len(strokes):
        turns = np.bincount(strokes["lane"])[strokes["lane"]]
    strikes = np.zeros(int(struck.sum()), layout.EVENT)
    strikes["beat"], strikes["kind"] = strokes["beat"][struck], layout.STRIKE
    strikes["pad"], strikes["note"] = struck_slots[struck], strokes["note"][struck]
    strikes["velocity"], strikes["turn"] = strokes["velocity"][struck], strokes["turn"][struck]
    strikes["turns"] = turns[struck]
    ends = np.zeros(int(gated.sum()), layout.EVENT)
    ends["beat"] = strokes["beat"][gated] + strokes["beats"][gated]
    ends["kind"], ends["pad"] = layout.RELEASE, struck_slots[gated]
    ends["note"] = strokes["note"][gated]
    if loops:
        passes, ends["beat"] = np.divmod(ends["beat"], last - first)
        ends["since"] = passes.astype(np.int64)
    else:
        ends = ends[ends["beat"] >= first]
    made = np.concatenate([ends, strikes])
    return made[np.lexsort((made["pad"], made["kind"] == layout.STRIKE, made["beat"]))]


def _slots_of(
    kit: Kit,
    groove: Groove,
    slots: Mapping[str, int],
    varied: Sequence[Varied],
    strokes: np.ndarray,
) -> tuple[np.ndarray, np.ndarray]:
    """The slot that each stroke strikes, int64, or NO_SLOT; and whether it is a gate's, bool."""
    gates = {pad.id: pad.trigger == "gate" for pad in kit.pads}
    own = {(one.owner, one.values): one.pad for one in varied}
    found = np.full(len(strokes), layout.NO_SLOT, np.int64)
    gated = np.zeros(len(strokes), bool)
    for number in np.unique(strokes["part"]).tolist():
        part = groove.parts[number]
        inside = strokes["part"] == number
        for which, lane in enumerate(part.pattern.lanes):
            here = inside & (strokes["lane"] == which)
            if lane.pad not in gates or not here.any():
                continue
            pads = [own.get((lane.pad, h.values)) if h.values else None for h in lane.hits]
            home, gate = slots[lane.pad], gates[lane.pad]
            of_hit = np.array([slots[pad.id] if pad is not None else home for pad in pads])
            gate_of_hit = [pad.trigger == "gate" if pad is not None else gate for pad in pads]
            found[here] = of_hit[strokes["hit"][here]]
            gated[here] = np.array(gate_of_hit)[strokes["hit"][here]]
    return found, gated
