"""Pads: added, changed, moved, taken out."""

from __future__ import annotations

from typing import Any

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id, replaced
from puddle.kit.edits.side_chains import with_known_keys
from puddle.kit.model.document import Kit, Pad, Sound
from puddle.kit.model.reference import PadReference
from puddle.kit.model.roles import ROLES, Role, free_note
from puddle.parameter import changed

replace = msgspec.structs.replace


def pad_of(kit: Kit, pad_id: str) -> Pad:
    """The pad of that id. Raises EditError if there is none."""
    pad = kit.pad(pad_id)
    if pad is None:
        raise EditError(f"The kit holds no pad “{pad_id}”.")
    return pad


def with_pad(kit: Kit, pad: Pad, new: Pad) -> Kit:
    """The kit with one pad replaced."""
    return replace(kit, pads=replaced(kit.pads, pad, new))


def set_pad(kit: Kit, pad_id: str, **values: Any) -> Kit:
    """New values for fields of a pad."""
    pad = pad_of(kit, pad_id)
    return with_pad(kit, pad, changed(pad, **values))


def set_sound(kit: Kit, pad_id: str, **values: Any) -> Kit:
    """New values for fields of a pad's sound."""
    pad = pad_of(kit, pad_id)
    return with_pad(kit, pad, replace(pad, sound=changed(pad.sound, **values)))


def add_pad(
    kit: Kit, name: str, role: Role, sound: Sound, place: int | None = None
) -> tuple[Kit, Pad]:
    """A new pad at a free place, with the role's next free note and its dye."""
    taken = {p.place for p in kit.pads}
    if place is None or place in taken:
        place = next(n for n in range(len(taken) + 1) if n not in taken)
    used = frozenset(n for p in kit.pads for n in p.notes)
    note = free_note(role, used)
    pad = Pad(
        id=fresh_id("pad", [p.id for p in kit.pads]),
        name=name[:120],
        place=place,
        role=role,
        dye=ROLES[role].dye,
        sound=sound,
        notes=() if note is None else (note,),
    )
    return replace(kit, pads=(*kit.pads, pad)), pad


def remove_pad(kit: Kit, pad_id: str) -> Kit:
    """The kit without a pad and its lanes."""
    pad = pad_of(kit, pad_id)
    patterns = tuple(
        replace(p, lanes=tuple(lane for lane in p.lanes if lane.pad != pad_id))
        for p in kit.patterns
    )
    references = tuple(
        r for r in kit.references if not (isinstance(r, PadReference) and r.pad == pad_id)
    )
    kit = replace(
        kit,
        pads=tuple(p for p in kit.pads if p is not pad),
        patterns=patterns,
        references=references,
    )
    return with_known_keys(kit)


def move_pad(kit: Kit, pad_id: str, place: int) -> Kit:
    """A pad at another place; a pad that is there already changes places with it."""
    pad = pad_of(kit, pad_id)
    there = kit.pad_at(place)
    if there is not None and there is not pad:
        kit = with_pad(kit, there, replace(there, place=pad.place))
    return with_pad(kit, pad, replace(pad, place=place))
