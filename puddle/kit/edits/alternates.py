"""Alternates: whole sounds that a pad can play in one another's place.

The sound that plays is the pad's own and is edited as ever; when another is chosen it goes back
to its place among the alternates as it is by then.
"""

from __future__ import annotations

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id
from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.model.document import Alternate, Kit, Pad, Sound

MOST_ALTERNATES = 64
replace = msgspec.structs.replace


def alternates_of(pad: Pad) -> tuple[Alternate, ...]:
    """All of a pad's alternates, the one that plays as it is now; none where it has no other."""
    return tuple(
        replace(one, sound=pad.sound) if n == pad.alternate else one
        for n, one in enumerate(pad.alternates)
    )


def add_alternate(kit: Kit, pad_id: str, name: str, sound: Sound) -> Kit:
    """Another sound for a pad, which plays it from now on."""
    pad = pad_of(kit, pad_id)
    found = alternates_of(pad) or (Alternate(id="alternate1", name=pad.name, sound=pad.sound),)
    if len(found) >= MOST_ALTERNATES:
        raise EditError(f"{pad.name} has {MOST_ALTERNATES} alternates: take one away first.")
    new = Alternate(
        id=fresh_id("alternate", [a.id for a in found]),
        name=_free_name(name, {a.name for a in found}),
        sound=sound,
    )
    made = replace(pad, alternates=(*found, new), alternate=len(found), sound=sound)
    return with_pad(kit, pad, made)


def _free_name(name: str, taken: set[str]) -> str:
    """The name, or with the first number from 2 on that tells it from the others."""
    made, n = name[:120], 2
    while made in taken:
        made, n = f"{name[:115]} {n}", n + 1
    return made


def choose_alternate(kit: Kit, pad_id: str, index: int) -> Kit:
    """The pad with another of its alternates. Raises EditError where there is none."""
    pad = pad_of(kit, pad_id)
    found = alternates_of(pad)
    if not 0 <= index < len(found):
        raise EditError(f"{pad.name} has no alternate {index + 1}.")
    if index == pad.alternate:
        return kit
    made = replace(pad, alternates=found, alternate=index, sound=found[index].sound)
    return with_pad(kit, pad, made)


def step_alternate(kit: Kit, pad_id: str, by: int) -> Kit:
    """The next alternate, or the one before; after the last comes the first."""
    pad = pad_of(kit, pad_id)
    if len(pad.alternates) < 2:
        raise EditError(f"{pad.name} has no alternates: add one on Map.")
    return choose_alternate(kit, pad_id, (pad.alternate + by) % len(pad.alternates))


def remove_alternate(kit: Kit, pad_id: str, index: int) -> Kit:
    """The pad without an alternate; of the one that plays, its neighbor takes the place."""
    pad = pad_of(kit, pad_id)
    found = alternates_of(pad)
    if not 0 <= index < len(found):
        raise EditError(f"{pad.name} has no alternate {index + 1}.")
    left = found[:index] + found[index + 1 :]
    now = pad.alternate - (1 if index < pad.alternate else 0)
    now = min(now, len(left) - 1)
    sound = left[now].sound if index == pad.alternate else pad.sound
    kept = left if len(left) > 1 else ()
    made = replace(pad, alternates=kept, alternate=now if kept else 0, sound=sound)
    return with_pad(kit, pad, made)


def rename_alternate(kit: Kit, pad_id: str, index: int, name: str) -> Kit:
    """The kit with an alternate renamed."""
    pad = pad_of(kit, pad_id)
    found = alternates_of(pad)
    if not 0 <= index < len(found):
        raise EditError(f"{pad.name} has no alternate {index + 1}.")
    named = tuple(replace(a, name=name[:120]) if n == index else a for n, a in enumerate(found))
    return with_pad(kit, pad, replace(pad, alternates=named))
