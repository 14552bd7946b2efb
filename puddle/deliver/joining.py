"""The pads of one kit added to another."""

from __future__ import annotations

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.buses import add_content
from puddle.kit.edits.pads import add_pad, with_pad
from puddle.kit.model.document import MOST_PADS, Kit

replace = msgspec.structs.replace


def joined(kit: Kit, other: Kit) -> tuple[Kit, list[str]]:
    """The kit with the other's pads at its free places, and their ids.

    They keep their sounds, notes and how they play; choke groups move up behind those of the kit.
    Raises EditError where there is no place for all of them.
    """
    taken = {pad.place for pad in kit.pads}
    free = [place for place in range(MOST_PADS) if place not in taken]
    if len(free) < len(other.pads):
        raise EditError(f"The kit has {len(free)} free places, and {len(other.pads)} are needed.")
    used = max((max(pad.choke_group, pad.chokes) for pad in kit.pads), default=0)
    made = []
    for content in other.contents:
        kit = add_content(kit, content)
    for pad, place in zip(other.pads, free, strict=False):
        kit, added = add_pad(kit, pad.name, pad.role, pad.sound, place)
        moved = replace(
            pad,
            id=added.id,
            place=added.place,
            dye=added.dye,
            bus="",
            sends=(),
            choke_group=_moved(pad.choke_group, used),
            chokes=_moved(pad.chokes, used),
        )
        kit = with_pad(kit, added, moved)
        made.append(added.id)
    return kit, made


def _moved(group: int, by: int) -> int:
    return min(32, group + by) if group else 0
