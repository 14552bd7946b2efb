"""Mixes kept side by side: the one that plays is the kit's own, the others wait beside it."""

from __future__ import annotations

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id
from puddle.kit.edits.side_chains import with_known_keys
from puddle.kit.model.document import Kit, Pad
from puddle.kit.model.mix import MOST_MIXES, Mix, PadMix

replace = msgspec.structs.replace
FIRST = "Mix 1"


def mix_of(kit: Kit, key: str = "mix1", name: str = FIRST) -> Mix:
    """The mix that the kit has now."""
    pads = tuple(
        PadMix(
            pad=pad.id,
            level_db=pad.level_db,
            pan=pad.pan,
            mute=pad.mute,
            bus=pad.bus,
            sends=pad.sends,
            stages=pad.stages,
        )
        for pad in kit.pads
    )
    return Mix(id=key, name=name, pads=pads, buses=kit.buses, master=kit.master)


def mixes_of(kit: Kit) -> tuple[Mix, ...]:
    """All mixes, the one that plays as it is now; none where only one was ever made."""
    if not kit.mixes:
        return ()
    now = kit.mixes[kit.mix]
    return (*kit.mixes[: kit.mix], mix_of(kit, now.id, now.name), *kit.mixes[kit.mix + 1 :])


def keep_mix(kit: Kit, name: str = "") -> Kit:
    """A copy of the mix as it is now beside it, and that copy is the one that plays.

    Raises EditError where there are too many.
    """
    known = mixes_of(kit) or (mix_of(kit),)
    if len(known) >= MOST_MIXES:
        raise EditError(f"A kit keeps {MOST_MIXES} mixes: remove one first.")
    key = fresh_id("mix", [one.id for one in known])
    taken = {one.name for one in known}
    free = name or next(f"Mix {n}" for n in range(1, 100) if f"Mix {n}" not in taken)
    return replace(kit, mixes=(*known, mix_of(kit, key, free[:120])), mix=len(known))


def choose_mix(kit: Kit, index: int) -> Kit:
    """Another mix plays; the one before is kept as it was left. Raises EditError."""
    known = mixes_of(kit)
    if not 0 <= index < len(known):
        raise EditError("There is no such mix.")
    if index == kit.mix:
        return kit
    return playing(replace(kit, mixes=known, mix=index), known[index])


def playing(kit: Kit, mix: Mix) -> Kit:
    """The kit with a mix in the place of the one that it has.

    Pads that the mix does not know keep what they have, as far as it is there.
    """
    own = {one.pad: one for one in mix.pads}
    buses = {bus.id for bus in mix.buses}
    pads = tuple(_placed(pad, own.get(pad.id), buses) for pad in kit.pads)
    return with_known_keys(replace(kit, pads=pads, buses=mix.buses, master=mix.master))


def _placed(pad: Pad, own: PadMix | None, buses: set[str]) -> Pad:
    if own is None:
        sends = tuple(send for send in pad.sends if send.bus in buses)
        return replace(pad, bus=pad.bus if pad.bus in buses else "", sends=sends)
    return replace(
        pad,
        level_db=own.level_db,
        pan=own.pan,
        mute=own.mute,
        bus=own.bus,
        sends=own.sends,
        stages=own.stages,
    )


def rename_mix(kit: Kit, index: int, name: str) -> Kit:
    """Another name for a mix. Raises EditError."""
    known = mixes_of(kit)
    if not 0 <= index < len(known):
        raise EditError("There is no such mix.")
    made = replace(known[index], name=name.strip()[:120] or known[index].name)
    return replace(kit, mixes=(*known[:index], made, *known[index + 1 :]))


def remove_mix(kit: Kit, index: int) -> Kit:
    """A mix less; where it was the one that plays, the one before it does. Raises EditError."""
    known = mixes_of(kit)
    if not 0 <= index < len(known):
        raise EditError("There is no such mix.")
    if index == kit.mix:
        kit = choose_mix(kit, index - 1 if index else min(1, len(known) - 1))
    left = (*known[:index], *known[index + 1 :])
    now = kit.mix - (1 if index < kit.mix else 0)
    if len(left) < 2:
        return replace(kit, mixes=(), mix=0)
    return replace(kit, mixes=left, mix=now)
