"""A pad's sound as loud as its role's sounds are."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from puddle.kit.edits.layers import with_layers
from puddle.kit.edits.pads import pad_of, set_pad
from puddle.kit.model.document import Kit
from puddle.kit.model.roles import ROLES, Role

_MOST_DB = 12.0  # of a pad's and of a layer's level
replace = msgspec.structs.replace


def role_lufs(role: Role, own: Mapping[str, float]) -> float:
    """How loud a role's sounds are to be, in LUFS: a person's own figure, or the one that ships."""
    return min(0.0, max(-60.0, own.get(role, ROLES[role].loudness_lufs)))


def missing_db(
    kit: Kit, pad_id: str, loudness_lufs: float, own: Mapping[str, float] | None = None
) -> float:
    """What a sound of a measured loudness, at full strength, lacks to its role's; below 0, exceeds.

    The loudness is that of the sound before the pad's own level; `own` are figures of roles that
    are not those that ship.
    """
    pad = pad_of(kit, pad_id)
    return role_lufs(pad.role, own or {}) - loudness_lufs - pad.level_db


def raised(kit: Kit, pad_id: str, by_db: float) -> Kit:
    """The kit with a pad louder, or softer: by its level, and where that ends by all its layers'.

    Layers keep their balance, so a stack and recordings at several strengths stay what they are.
    """
    pad = pad_of(kit, pad_id)
    level = min(_MOST_DB, pad.level_db + by_db)
    rest = by_db - (level - pad.level_db)
    layers = pad.sound.layers
    if rest > 0.0 and layers:
        rest = min(rest, _MOST_DB - max(layer.level_db for layer in layers))
        layers = tuple(replace(k, level_db=k.level_db + rest) for k in layers)
        kit = with_layers(kit, pad_id, layers)
    return set_pad(kit, pad_id, level_db=level)


def raised_db(before: Kit, after: Kit, pad_id: str) -> float:
    """How much louder a pad was made by `raised`."""
    old, new = pad_of(before, pad_id), pad_of(after, pad_id)
    by = new.level_db - old.level_db
    if old.sound.layers:
        by += new.sound.layers[0].level_db - old.sound.layers[0].level_db
    return by
