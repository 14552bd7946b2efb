"""Where sound flows in a kit, laid out in columns: pads, buses by how far they are, the master."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from puddle.engine.names import out_node, pad_node, send_node, way_node
from puddle.kit.model.bus import OUTPUTS, Output
from puddle.kit.model.document import PADS_PER_BANK, Kit, Pad
from puddle.kit.playing.flow import in_order, targets

MASTER = "\0master"
_OUT = "\0out "
_BANK = "\0bank "


class Place(msgspec.Struct, frozen=True):
    """A pad, a bus or the master, and its column from the left."""

    id: str  # of a pad with its own mark, see `pad_place`
    name: str
    dye: str
    column: int
    silent: bool


# Found by identity, some thousand times a second.
class Stream(msgspec.Struct, frozen=True, eq=False):
    """A way from one place to another; a send is thinner."""

    source: str
    target: str
    dye: str
    send: bool
    node: str  # what the engine calls it; empty for a pad's, whose level is the pad's own


def pad_place(pad_id: str) -> str:
    """A pad among places: its id and a bus's may be the same."""
    return f"\0pad {pad_id}"


def bank_place(bank: int) -> str:
    """The pads of another bank than the one that is shown, as one place."""
    return f"{_BANK}{bank}"


def bank_of(place: str) -> int | None:
    """The bank, from 0, whose pads a place is; None for another place."""
    return int(place.removeprefix(_BANK)) if place.startswith(_BANK) else None


def out_place(output: str) -> str:
    """The place of a pair of outputs."""
    return f"{_OUT}{output}"


def output_of(place: str) -> Output | None:
    """The pair of outputs that a place is; None for another place."""
    return next((one for one in OUTPUTS if place == out_place(one)), None)


def ids_of(kit: Kit, place: str) -> tuple[str, str]:
    """The pad and the bus that a place is; neither for the master, and for other banks."""
    if place == MASTER or bank_of(place) is not None:
        return "", ""
    pad = next((p.id for p in kit.pads if pad_place(p.id) == place), "")
    return (pad, "") if pad else ("", place)


def laid_out(kit: Kit, shown: Sequence[Pad]) -> tuple[list[Place], list[Stream]]:
    """Places column by column, in the kit's order, and the streams between.

    Some of the pads are shown each by itself, the others as a place for each of their banks.
    """
    ways = {bus.id: targets(bus) for bus in kit.buses}
    columns = {bus.id: 1 for bus in kit.buses}
    for bus_id in in_order(columns, ways):
        for target in ways[bus_id]:
            if target in columns:
                columns[target] = max(columns[target], columns[bus_id] + 1)
    last = max(columns.values(), default=0) + 1
    dyes = _dyes(kit)
    pads = sorted(shown, key=lambda pad: pad.place)
    places = [Place(pad_place(p.id), p.name, p.dye, 0, p.mute) for p in pads]
    others = _banks(kit, {pad.id for pad in pads})
    places += [
        Place(bank_place(bank), f"Bank {bank + 1}: {len(own)}", "slate", 0, False)
        for bank, own in others.items()
    ]
    places += [
        Place(bus.id, bus.name, dyes[bus.id], columns[bus.id], bus.mute) for bus in kit.buses
    ]
    places.append(Place(MASTER, "Master", "ink", last, False))
    outs = sorted({OUTPUTS.index(bus.output) for bus in kit.buses} - {0})
    places += [
        Place(out_place(OUTPUTS[n]), f"Out {OUTPUTS[n]}", "slate", last, False) for n in outs
    ]
    streams = []
    for pad in pads:
        here, node = pad_place(pad.id), pad_node(pad.id)
        streams.append(Stream(here, pad.bus or MASTER, pad.dye, False, ""))
        streams += [Stream(here, s.bus, pad.dye, True, send_node(node, s.bus)) for s in pad.sends]
    for bank, own in others.items():
        flows = dict.fromkeys(pad.bus or MASTER for pad in own)
        sends = dict.fromkeys(send.bus for pad in own for send in pad.sends)
        here = bank_place(bank)
        streams += [Stream(here, target, "slate", False, "") for target in flows]
        streams += [Stream(here, target, "slate", True, "") for target in sends]
    for bus in kit.buses:
        dye, pair = dyes[bus.id], OUTPUTS.index(bus.output)
        node = way_node(bus.id, out_node(pair) if pair else bus.into)
        target = out_place(bus.output) if pair else bus.into or MASTER
        streams.append(Stream(bus.id, target, dye, False, node))
        streams += [Stream(bus.id, s.bus, dye, True, send_node(bus.id, s.bus)) for s in bus.sends]
    return places, streams


def _banks(kit: Kit, shown: set[str]) -> dict[int, list[Pad]]:
    """The pads that are not shown, by bank."""
    found: dict[int, list[Pad]] = {}
    for pad in sorted(kit.pads, key=lambda pad: pad.place):
        if pad.id not in shown:
            found.setdefault(pad.place // PADS_PER_BANK, []).append(pad)
    return found


def _dyes(kit: Kit) -> dict[str, str]:
    """A bus has the dye of the first pad that flows into it; a room is slate."""
    found = {bus.id: "slate" for bus in kit.buses}
    for pad in sorted(kit.pads, key=lambda pad: -pad.place):
        if pad.bus in found:
            found[pad.bus] = pad.dye
    for bus_id in in_order(found, {bus.id: targets(bus) for bus in kit.buses}):
        into = next(bus.into for bus in kit.buses if bus.id == bus_id)
        if found.get(into) == "slate":
            found[into] = found[bus_id]
    return found
