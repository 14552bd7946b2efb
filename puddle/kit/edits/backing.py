"""Files under the groove: added, set, removed."""

from __future__ import annotations

from typing import Any

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id, replaced
from puddle.kit.model.backing import Backing
from puddle.kit.model.document import Kit
from puddle.parameter import changed

MOST_BACKINGS = 8
replace = msgspec.structs.replace


def backing_of(kit: Kit, backing_id: str) -> Backing:
    """The file of that id. Raises EditError if there is none."""
    for backing in kit.backings:
        if backing.id == backing_id:
            return backing
    raise EditError(f"The kit has no file “{backing_id}” under its groove.")


def add_backing(kit: Kit, name: str, path: str, bpm: float, loops: bool) -> tuple[Kit, Backing]:
    """A file more. Raises EditError where there are too many."""
    if len(kit.backings) >= MOST_BACKINGS:
        raise EditError(f"{MOST_BACKINGS} files may run under the groove: take one away first.")
    made = Backing(
        id=fresh_id("backing", [b.id for b in kit.backings]),
        name=name[:120],
        path=path,
        bpm=bpm,
        loops=loops,
        follows=bpm > 0.0,
    )
    return replace(kit, backings=(*kit.backings, made)), made


def set_backing(kit: Kit, backing_id: str, **values: Any) -> Kit:
    """New values for fields of a file."""
    old = backing_of(kit, backing_id)
    return replace(kit, backings=replaced(kit.backings, old, changed(old, **values)))


def remove_backing(kit: Kit, backing_id: str) -> Kit:
    """The kit without a file under its groove; the file itself stays."""
    gone = backing_of(kit, backing_id)
    return replace(kit, backings=tuple(b for b in kit.backings if b is not gone))
