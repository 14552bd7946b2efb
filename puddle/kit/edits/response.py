"""A pad's response, edited: drawn by hand, or as a preset has it."""

from __future__ import annotations

import msgspec

from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.model.document import Kit, Point
from puddle.kit.playing.response import PRESETS, points_of

replace = msgspec.structs.replace


def set_preset(kit: Kit, pad_id: str, name: str) -> Kit:
    """The kit with a pad's curve as a preset has it."""
    return set_response(kit, pad_id, points_of(PRESETS[name]))


def set_response(kit: Kit, pad_id: str, points: tuple[Point, ...]) -> Kit:
    """The kit with another curve on a pad."""
    pad = pad_of(kit, pad_id)
    return with_pad(kit, pad, replace(pad, response=points))
