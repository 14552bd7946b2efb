"""Linked copies: pads whose sound follows another pad's, some semitones away.

A linked copy holds its sound as any pad does. After an edit of the original it is made anew; one
that is edited itself goes its own way from then on.
"""

from __future__ import annotations

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.edits.tuning import moved_by
from puddle.kit.model.document import Kit, Link, Pad, Sound

replace = msgspec.structs.replace


def followed(before: Kit, after: Kit) -> Kit:
    """The kit after an edit, its linked copies as their originals are now."""
    for pad in after.pads:
        if pad.link is not None:
            made = _followed(pad, pad.link, before, after)
            if made is not pad:
                after = with_pad(after, pad, made)
    return after


def _followed(pad: Pad, link: Link, before: Kit, after: Kit) -> Pad:
    source, old = after.pad(link.pad), before.pad(link.pad)
    if source is None:
        return replace(pad, link=None)
    if old is not None and old.sound is source.sound:
        was = before.pad(pad.id)
        own = was is not None and was.link == link and was.sound is not pad.sound
        return replace(pad, link=None) if own else pad
    try:
        return replace(pad, sound=sound_at(source.sound, link.semitones))
    except EditError:  # a gauge does not reach so far: it stays as it is
        return replace(pad, link=None)


def sound_at(sound: Sound, semitones: float) -> Sound:
    """A sound moved by an interval, all of its layers. Raises EditError."""
    if semitones == 0.0:
        return sound
    return moved_by(sound, [layer.id for layer in sound.layers], semitones)


def link_to(kit: Kit, pad: Pad, semitones: float) -> Link:
    """A link to a pad, or to what it is itself linked to."""
    if pad.link is not None:
        return Link(pad=pad.link.pad, semitones=pad.link.semitones + semitones)
    pad_of(kit, pad.id)
    return Link(pad=pad.id, semitones=semitones)


def unlinked(kit: Kit, pad_id: str) -> Kit:
    """The pad on its own, as it sounds now."""
    pad = pad_of(kit, pad_id)
    return with_pad(kit, pad, replace(pad, link=None))


def copies_of(kit: Kit, pad_id: str) -> list[Pad]:
    """The pads that follow one."""
    return [p for p in kit.pads if p.link is not None and p.link.pad == pad_id]
