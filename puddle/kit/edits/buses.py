"""Buses and the master, and what is of the whole kit: its name, tempo and samples."""

from __future__ import annotations

from typing import Any

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id, replaced
from puddle.kit.edits.side_chains import with_known_keys
from puddle.kit.model.document import Bus, Content, Kit, SendTo
from puddle.kit.model.limits import MOST_BUSES
from puddle.parameter import changed

replace = msgspec.structs.replace


def set_kit(kit: Kit, **values: Any) -> Kit:
    """Name, tempo, notes."""
    return changed(kit, **values)


def bus_of(kit: Kit, bus_id: str) -> Bus:
    """The bus of that id. Raises EditError if there is none."""
    for bus in kit.buses:
        if bus.id == bus_id:
            return bus
    raise EditError(f"The kit holds no bus “{bus_id}”.")


def set_bus(kit: Kit, bus_id: str, **values: Any) -> Kit:
    """New values for fields of a bus."""
    bus = bus_of(kit, bus_id)
    return replace(kit, buses=replaced(kit.buses, bus, changed(bus, **values)))


def add_bus(kit: Kit, name: str) -> tuple[Kit, Bus]:
    """A bus that goes to the master. Raises EditError where there are too many."""
    if len(kit.buses) >= MOST_BUSES:
        raise EditError(f"A kit has {MOST_BUSES} buses at most.")
    bus = Bus(id=fresh_id("bus", [b.id for b in kit.buses]), name=name)
    return replace(kit, buses=(*kit.buses, bus)), bus


def remove_bus(kit: Kit, bus_id: str) -> Kit:
    """The kit without a bus; what flowed into it flows where it did, and nothing is sent to it."""
    gone = bus_of(kit, bus_id)

    def without(sends: tuple[SendTo, ...]) -> tuple[SendTo, ...]:
        return tuple(send for send in sends if send.bus != bus_id)

    pads = tuple(
        replace(pad, bus=gone.into if pad.bus == bus_id else pad.bus, sends=without(pad.sends))
        if pad.bus == bus_id or any(send.bus == bus_id for send in pad.sends)
        else pad
        for pad in kit.pads
    )
    buses = tuple(
        replace(bus, into=gone.into if bus.into == bus_id else bus.into, sends=without(bus.sends))
        for bus in kit.buses
        if bus is not gone
    )
    return with_known_keys(replace(kit, buses=buses, pads=pads))


def set_master(kit: Kit, **values: Any) -> Kit:
    """New values for fields of the master."""
    return replace(kit, master=changed(kit.master, **values))


def add_content(kit: Kit, content: Content) -> Kit:
    """The kit knowing of a sample; one that it knows already stays as it is."""
    if kit.content(content.hash) is not None:
        return kit
    return replace(kit, contents=(*kit.contents, content))
