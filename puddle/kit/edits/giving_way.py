"""A pad makes room for another one: a dip where they meet, and a duck under it."""

from __future__ import annotations

import msgspec

from puddle.kit.edits.patterns import in_pattern, lane_in, with_lane
from puddle.kit.edits.rows import RowPath, add_stage, set_stage
from puddle.kit.model.document import Kit, Pattern
from puddle.stages import Compressor, Equalizer, Fade

_RATIO, _ATTACK_MS, _KNEE_DB = 2.0, 1.5, 6.0
_DEEP_DB = 5.0  # at the loudest of what keys it


def dipped(kit: Kit, pad_id: str, hz: float, cut_db: float, q: float) -> Kit:
    """A bell on the pad, live."""
    bell = Equalizer(bell1_hz=hz, bell1_db=cut_db, bell1_q=q)
    kit, _ = add_stage(kit, RowPath(pad=pad_id, live=True), bell)
    return kit


def ducked(kit: Kit, pad_id: str, under: str, peak_db: float, lasts_ms: float) -> Kit:
    """A compressor on the pad, live and keyed by another, that lets go as that one dies away.

    By 5 dB where the other is as loud as its peak.
    """
    path = RowPath(pad=pad_id, live=True)
    duck = Compressor(
        threshold_db=max(-60.0, min(0.0, peak_db - _DEEP_DB / (1.0 - 1.0 / _RATIO))),
        ratio=_RATIO,
        attack_ms=_ATTACK_MS,
        release_ms=round(lasts_ms),
        knee_db=_KNEE_DB,
    )
    kit, stage = add_stage(kit, path, duck)
    return set_stage(kit, path, stage.id, key=under)


def shifted(kit: Kit, pattern_id: str, pad_id: str, by_ms: float) -> Kit:
    """The pad's lane in a pattern later, or earlier, by so much."""

    def moved(pattern: Pattern) -> Pattern:
        lane = lane_in(pattern, pad_id)
        return with_lane(pattern, msgspec.structs.replace(lane, shift_ms=lane.shift_ms + by_ms))

    return in_pattern(kit, pattern_id, moved)


def shortened(kit: Kit, pad_id: str, tail_ms: float) -> Kit:
    """A fade at the end of the pad's sound, after which nothing of its tail is left.

    It begins at half of the time given.
    """
    fade = Fade(out_on=True, out_at_ms=max(1.0, 0.5 * tail_ms), out_ms=max(1.0, 0.5 * tail_ms))
    kit, _ = add_stage(kit, RowPath(pad=pad_id), fade)
    return kit
