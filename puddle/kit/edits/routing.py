"""Where pads and buses flow, and what is sent where. A way that would lead back is refused."""

from __future__ import annotations

from typing import Any

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.buses import add_bus, bus_of
from puddle.kit.edits.items import replaced
from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.model.document import Bus, Kit, Pad, SendTo
from puddle.kit.model.limits import MOST_SENDS
from puddle.kit.playing.flow import is_before, leads_to
from puddle.parameter import changed
from puddle.stages import AnyProcess, Delay, Reverb, Stage

replace = msgspec.structs.replace


def flow_into(kit: Kit, pad_id: str, bus_id: str, into: str) -> Kit:
    """A pad, or without one a bus, flows into another bus; into "" for the master."""
    if into:
        bus_of(kit, into)
    if pad_id:
        pad = pad_of(kit, pad_id)
        return kit if pad.bus == into else with_pad(kit, pad, replace(pad, bus=into))
    bus = bus_of(kit, bus_id)
    if bus.into == into:
        return kit
    _refuse_loop(kit, bus, into)
    return replace(kit, buses=replaced(kit.buses, bus, replace(bus, into=into)))


def _refuse_loop(kit: Kit, bus: Bus, target: str) -> None:
    if target and is_before(kit, target, bus.id):
        name = bus_of(kit, target).name
        way = "is that bus" if target == bus.id else f"keys {bus.name}, or what flows into it"
        if target != bus.id and leads_to(kit, target, bus.id):
            way = f"flows into {bus.name} already"
        raise EditError(f"{bus.name} cannot flow into {name}: {name} {way}.")


def sends_of(kit: Kit, pad_id: str, bus_id: str) -> tuple[SendTo, ...]:
    """The sends of a pad, or without one of a bus."""
    return (pad_of(kit, pad_id) if pad_id else bus_of(kit, bus_id)).sends


def set_send(kit: Kit, pad_id: str, bus_id: str, target: str, **values: Any) -> Kit:
    """Sends a pad, or without one a bus, to another bus too; or differently."""
    bus_of(kit, target)
    sends = sends_of(kit, pad_id, bus_id)
    known = next((send for send in sends if send.bus == target), None)
    if known is None:
        if not pad_id:
            _refuse_loop(kit, bus_of(kit, bus_id), target)
        if len(sends) >= MOST_SENDS:
            raise EditError(f"{MOST_SENDS} sends are the most.")
        made = (*sends, changed(SendTo(bus=target), **values))
    else:
        made = replaced(sends, known, changed(known, **values))
    return _with_sends(kit, pad_id, bus_id, made)


def remove_send(kit: Kit, pad_id: str, bus_id: str, target: str) -> Kit:
    """Not sent to a bus any more."""
    sends = tuple(send for send in sends_of(kit, pad_id, bus_id) if send.bus != target)
    return _with_sends(kit, pad_id, bus_id, sends)


def move_send(kit: Kit, pad_id: str, bus_id: str, target: str, other: str) -> Kit:
    """Sent to another bus instead of one, as loud and in its place among the sends."""
    sends = sends_of(kit, pad_id, bus_id)
    bus_of(kit, other)
    if not pad_id:
        _refuse_loop(kit, bus_of(kit, bus_id), other)
    kept = [send for send in sends if send.bus != other]
    made = tuple(replace(send, bus=other) if send.bus == target else send for send in kept)
    return _with_sends(kit, pad_id, bus_id, made)


def _with_sends(kit: Kit, pad_id: str, bus_id: str, sends: tuple[SendTo, ...]) -> Kit:
    if pad_id:
        pad: Pad = pad_of(kit, pad_id)
        return with_pad(kit, pad, replace(pad, sends=sends))
    bus = bus_of(kit, bus_id)
    return replace(kit, buses=replaced(kit.buses, bus, replace(bus, sends=sends)))


ROOMS = ("Short room", "Plate", "Echo")


def rooms() -> tuple[Bus, ...]:
    """What kits start with: a short room, a plate and a delay by the tempo, their lows cut."""
    short = Reverb(kind="room", decay_ms=450.0, size=45.0, pre_ms=0.0, low_cut_hz=220.0)
    plate = Reverb(kind="plate", decay_ms=1600.0, pre_ms=12.0, low_cut_hz=260.0)
    echo = Delay(counted="in steps", steps=3.0, feedback=30.0, low_cut_hz=260.0, width=60.0)
    made: tuple[AnyProcess, ...] = (short, plate, echo)
    return tuple(
        Bus(
            id=name.lower().replace(" ", ""),
            name=name,
            solo_safe=True,
            stages=(Stage(id="stage1", process=process),),
        )
        for name, process in zip(ROOMS, made, strict=True)
    )


def add_rooms(kit: Kit) -> Kit:
    """The kit with those of the three rooms that it has not, by their names."""
    there = {bus.name for bus in kit.buses}
    for room in rooms():
        if room.name not in there:
            kit, bus = add_bus(kit, room.name)
            made = replace(room, id=bus.id)
            kit = replace(kit, buses=replaced(kit.buses, bus, made))
    return kit
