"""One edit of several pads at once: the first leads, the others follow."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from puddle.kit.edits.pads import pad_of, set_pad
from puddle.kit.model.document import Kit
from puddle.kit.model.roles import ROLES, Role

Each = Callable[[Kit, str], Kit]


def for_each(kit: Kit, pad_ids: Sequence[str], edit: Each) -> Kit:
    """The kit with an edit of every pad; those that have gone are passed over."""
    for pad_id in pad_ids:
        if kit.pad(pad_id) is not None:
            kit = edit(kit, pad_id)
    return kit


def set_pads(kit: Kit, pad_ids: Sequence[str], **values: Any) -> Kit:
    """New values for pads. A level moves all by as much, so that their balance stays.

    Everything else is set alike. Raises EditError where the first pad has gone.
    """
    lead = pad_of(kit, pad_ids[0])
    by_db = values["level_db"] - lead.level_db if "level_db" in values else None

    def edit(made: Kit, pad_id: str) -> Kit:
        own = dict(values)
        if by_db is not None:
            own["level_db"] = pad_of(made, pad_id).level_db + by_db
        return set_pad(made, pad_id, **own)

    return for_each(kit, pad_ids, edit)


def in_role(kit: Kit, pad_ids: Sequence[str], role: Role) -> Kit:
    """Pads of a role, in its dye."""
    return set_pads(kit, pad_ids, role=role, dye=ROLES[role].dye)
