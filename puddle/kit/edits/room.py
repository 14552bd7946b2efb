"""Pads in the room: pan by the rule of a drum kit, and how far away each stands."""

from __future__ import annotations

import msgspec

from puddle.kit.edits import rows
from puddle.kit.edits.pads import pad_of, set_pad
from puddle.kit.edits.routing import remove_send, set_send
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Bus, Kit, Stage
from puddle.kit.model.roles import Role
from puddle.stages import Equalizer

replace = msgspec.structs.replace

# As the audience sees a right-handed drummer: the hats on the right, the deep toms on the left.
_PANS: dict[Role, tuple[float, ...]] = {
    "kick": (0.0,),
    "bass": (0.0,),
    "snare": (4.0,),
    "clap": (-6.0,),
    "hat": (34.0,),
    "tom": (-42.0, 0.0, 30.0),
    "cymbal": (-46.0, 46.0),
    "percussion": (-30.0, 28.0, -52.0, 50.0),
}
_IN_THE_MIDDLE = ("kick", "bass")
# How much darker what stands away is: nothing at a send of -30 dB, 6 dB at one of 0.
_AWAY, _DIM_HZ = "away", 5000.0
_NEAR_DB, _MOST_LOSS_DB, _LEAST_LOSS_DB = -30.0, 6.0, 0.2


def room_of(kit: Kit) -> Bus | None:
    """The bus that distance on the plan sends to: the first that holds a reverb."""
    for bus in kit.buses:
        if any(stage.process.noun == "reverb" for stage in bus.stages):
            return bus
    return None


def far_sends(kit: Kit) -> dict[str, float]:
    """The send of each pad to the room, in dB; without those that are not sent there."""
    room = room_of(kit)
    if room is None:
        return {}
    return {pad.id: send.level_db for pad in kit.pads for send in pad.sends if send.bus == room.id}


def stood(kit: Kit, pad_id: str, pan: float, send_db: float | None) -> Kit:
    """A pad at a place of the room: its pan, its send to the room (None for none), its brightness.

    What is farther away has less above 5 kHz, by up to 6 dB.
    """
    if pad_of(kit, pad_id).pan != pan:
        kit = set_pad(kit, pad_id, pan=pan)
    room = room_of(kit)
    if room is None:
        return kit
    if far_sends(kit).get(pad_id) == send_db:
        return kit  # only panned: it is as bright as it was
    kit = _dimmed(kit, pad_id, send_db)
    if send_db is None:
        return remove_send(kit, pad_id, "", room.id)
    return set_send(kit, pad_id, "", room.id, level_db=send_db)


def _dimmed(kit: Kit, pad_id: str, send_db: float | None) -> Kit:
    """The pad as bright as it is from so far away, by a live stage that is there only for that."""
    pad, row = pad_of(kit, pad_id), RowPath(pad=pad_id, live=True)
    share = 0.0 if send_db is None else (send_db - _NEAR_DB) / -_NEAR_DB
    loss_db = round(_MOST_LOSS_DB * min(1.0, max(0.0, share)), 1)
    there = any(stage.id == _AWAY for stage in pad.stages)
    if loss_db < _LEAST_LOSS_DB:
        kept = tuple(stage for stage in pad.stages if stage.id != _AWAY)
        return rows.with_stages(kit, row, kept) if there else kit
    if there:
        return rows.set_process(kit, row, _AWAY, high_shelf_db=-loss_db)
    shelf = Equalizer(high_shelf_db=-loss_db, high_shelf_hz=_DIM_HZ)
    return rows.with_stages(kit, row, (*pad.stages, Stage(id=_AWAY, process=shelf)))


def as_a_drummer_sits(kit: Kit) -> Kit:
    """Pads panned by their roles; those of one role spread from left to right in their order."""
    counts: dict[str, int] = {}
    for pad in sorted(kit.pads, key=lambda p: p.place):
        pans = _PANS.get(pad.role)
        if pans is None:
            continue
        n = counts.get(pad.role, 0)
        counts[pad.role] = n + 1
        kit = set_pad(kit, pad.id, pan=pans[n % len(pans)])
    return kit


def mirrored(kit: Kit) -> Kit:
    """Left and right of all pads exchanged, but of what stays in the middle."""
    for pad in kit.pads:
        if pad.pan and pad.role not in _IN_THE_MIDDLE:
            kit = set_pad(kit, pad.id, pan=-pad.pan)
    return kit
