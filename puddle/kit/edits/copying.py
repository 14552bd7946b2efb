"""Pads copied: whole, cleared, or one aspect of one taken over by another."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.buses import add_content
from puddle.kit.edits.items import fresh_id
from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.edits.prints import without_unused_contents
from puddle.kit.edits.side_chains import rekeyed, with_known_keys
from puddle.kit.model.document import MOST_PADS, Content, Kit, Layer, Pad, Sound
from puddle.kit.model.roles import free_note

replace = msgspec.structs.replace


class CopiedPad(msgspec.Struct, frozen=True, eq=False):
    """A pad as it was when it was copied, with what is known of the samples that it plays."""

    pad: Pad
    bus: str  # the name of the bus that it goes to; empty for none
    sends: tuple[str, ...]  # the names of those that it is sent to
    contents: tuple[Content, ...]
    kit_name: str


def copied_pad(kit: Kit, pad_id: str) -> CopiedPad:
    """A copy of a pad. Raises EditError."""
    pad = pad_of(kit, pad_id)
    bus = next((b.name for b in kit.buses if b.id == pad.bus), "")
    contents = without_unused_contents(replace(kit, pads=(pad,))).contents
    names = {b.id: b.name for b in kit.buses}
    sends = tuple(names.get(send.bus, "") for send in pad.sends)
    return CopiedPad(pad, bus, sends, contents, kit.name)


def duplicate_pad(kit: Kit, pad_id: str, place: int | None = None) -> tuple[Kit, Pad]:
    """A copy on a free place (the next one where none is given), with a free note of its role."""
    pad = pad_of(kit, pad_id)
    taken = {p.place for p in kit.pads}
    if place is None or place in taken:
        after = (*range(pad.place + 1, MOST_PADS), *range(pad.place))
        place = next((n for n in after if n not in taken), None)
    if place is None:
        raise EditError("Every place of the kit is taken.")
    note = free_note(pad.role, frozenset(n for p in kit.pads for n in p.notes))
    copy = replace(
        pad,
        id=fresh_id("pad", [p.id for p in kit.pads]),
        name=f"{pad.name} copy"[:120],
        place=place,
        notes=() if note is None else (note,),
        snapshots=(),
    )
    return replace(kit, pads=(*kit.pads, copy)), copy


def pasted_pad(kit: Kit, copied: CopiedPad, place: int) -> tuple[Kit, Pad]:
    """A copied pad, of this kit or of another, at a place or the next free one after it.

    It goes to the buses of those names, where there are such, and keeps the notes that are free.
    """
    pad = copied.pad
    taken = {p.place for p in kit.pads}
    free = next((n for n in (*range(place, MOST_PADS), *range(place)) if n not in taken), None)
    if free is None:
        raise EditError("Every place of the kit is taken.")
    kit = _with_contents(kit, copied)
    used = frozenset(n for p in kit.pads for n in p.notes)
    notes = tuple(n for n in pad.notes if n not in used)
    if not notes:
        note = free_note(pad.role, used)
        notes = () if note is None else (note,)
    ids = {b.name: b.id for b in kit.buses}
    sends = tuple(
        replace(send, bus=ids[name])
        for send, name in zip(pad.sends, copied.sends, strict=True)
        if name in ids
    )
    made = replace(
        pad,
        id=fresh_id("pad", [p.id for p in kit.pads]),
        sends=sends,
        place=free,
        notes=notes,
        name=pad.name if all(p.name != pad.name for p in kit.pads) else f"{pad.name} copy"[:120],
        bus=next((b.id for b in kit.buses if b.name == copied.bus), ""),
        snapshots=(),
        link=None,
    )
    return with_known_keys(replace(kit, pads=(*kit.pads, made))), made


def clear_pad(kit: Kit, pad_id: str) -> Kit:
    """A pad without its sound; name, role, notes, choke group and the way to its bus stay."""
    pad = pad_of(kit, pad_id)
    made = replace(pad, sound=Sound(), alternates=(), alternate=0, link=None)
    return with_pad(kit, pad, made)


def _stages(pad: Pad, to: Pad) -> Pad:
    """What they listened to was a layer of the other sound: they listen to what comes in."""
    return replace(to, sound=replace(to.sound, stages=rekeyed(pad.sound.stages, {})))


def _level(pad: Pad, to: Pad) -> Pad:
    return replace(to, level_db=pad.level_db, pan=pad.pan, tune_st=pad.tune_st, tune_ct=pad.tune_ct)


def _trigger(pad: Pad, to: Pad) -> Pad:
    return replace(
        to,
        trigger=pad.trigger,
        attack_ms=pad.attack_ms,
        decay_ms=pad.decay_ms,
        sustain=pad.sustain,
        release_ms=pad.release_ms,
        limit=pad.limit,
        steals=pad.steals,
        glide=pad.glide,
        glide_ms=pad.glide_ms,
    )


def _velocity(pad: Pad, to: Pad) -> Pad:
    sound = replace(to.sound, darker=pad.sound.darker, later_ms=pad.sound.later_ms)
    return replace(to, response=pad.response, velocity_amount=pad.velocity_amount, sound=sound)


def _split(pad: Pad, to: Pad) -> Pad:
    """Strengths, blends and turns, layer by layer from the first on."""
    return _layer_by_layer(
        pad,
        to,
        lambda one, other: replace(
            other,
            softest=one.softest,
            hardest=one.hardest,
            blend_in=one.blend_in,
            blend_out=one.blend_out,
            turn=one.turn,
        ),
    )


def _envelopes(pad: Pad, to: Pad) -> Pad:
    if len(pad.sound.layers) == 1:  # one for all
        envelope = pad.sound.layers[0].envelope
        layers = tuple(replace(k, envelope=envelope) for k in to.sound.layers)
        return replace(to, sound=replace(to.sound, layers=layers))
    return _layer_by_layer(pad, to, lambda one, other: replace(other, envelope=one.envelope))


def _layer_by_layer(pad: Pad, to: Pad, made: Callable[[Layer, Layer], Layer]) -> Pad:
    one, other = pad.sound.layers, to.sound.layers
    if len(one) != len(other):
        raise EditError(
            f"{pad.name} has {len(one)} layers and {to.name} {len(other)}: they cannot be paired."
        )
    layers = tuple(made(a, b) for a, b in zip(one, other, strict=True))
    return replace(to, sound=replace(to.sound, layers=layers))


ASPECTS: dict[str, Callable[[Pad, Pad], Pad]] = {
    "stages of the sound": _stages,
    "live stages": lambda a, b: replace(b, stages=a.stages),
    "envelopes of the layers": _envelopes,
    "velocities and round robin": _split,
    "response to velocity": _velocity,
    "trigger, voices and glide": _trigger,
    "level, pan and tune": _level,
    "whole sound": lambda a, b: replace(b, sound=a.sound, link=None),
}


def take_over(kit: Kit, copied: CopiedPad, to_id: str, aspect: str) -> Kit:
    """One aspect of a copied pad taken over by another. Raises EditError where they do not fit."""
    to = pad_of(kit, to_id)
    made = with_pad(kit, to, ASPECTS[aspect](copied.pad, to))
    return with_known_keys(_with_contents(made, copied))


def _with_contents(kit: Kit, copied: CopiedPad) -> Kit:
    for content in copied.contents:
        kit = add_content(kit, content)
    return kit
