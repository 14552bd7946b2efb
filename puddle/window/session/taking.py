"""Sounds of the library on their way into a kit: made ready, then put, as functions of the kit."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from puddle.errors import PuddleError
from puddle.home.own import starting_points
from puddle.kit import edits
from puddle.kit.edits import alternates
from puddle.kit.edits.copying import CopiedPad, pasted_pad
from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.edits.trimming import trimmed
from puddle.kit.model.document import Content, Kit, Pad, Sample, Sound, Source
from puddle.kit.model.roles import ROLES, Role
from puddle.library.kit_pads import Add, address, taken_pad
from puddle.library.rows import Entry
from puddle.library.synthesized import VOICES, voice_at
from puddle.voices import AnyVoice

replace = msgspec.structs.replace


class Taken(msgspec.Struct, frozen=True, eq=False):
    """A sound that is ready to be put on a pad."""

    name: str
    role: Role
    source: Source | None = None  # None for a pad of another kit
    content: Content | None = None  # of a sample
    pad: CopiedPad | None = None  # a whole sound
    beats: int = 0  # of a loop


def voice_of(entry: Entry) -> AnyVoice | None:
    """The voice of an entry that is a recipe."""
    address = entry.path.removeprefix(VOICES + b"/").decode()
    return voice_at(address, starting_points())


def taken_from(
    entry: Entry, content_of: Callable[[], Content], add: Add, *, trims: bool, bpm: float
) -> Taken:
    """What an entry is, ready to be put into a kit. Raises PuddleError.

    `content_of` gives the content of its file, once it is in the kit's store; `add` takes others.
    """
    name = entry.name.rsplit(".", 1)[0] or entry.name
    role: Role = next((r for r in ROLES if r == entry.role), "percussion")
    of_kit = address(entry.path)
    if of_kit is not None:
        copied = taken_pad(*of_kit, add)
        return Taken(copied.pad.name, copied.pad.role, pad=copied)
    if entry.synthesized:
        voice = voice_of(entry)
        if voice is None:
            raise PuddleError(f"{entry.name} is no longer among the starting points.")
        return Taken(name, role, voice)
    content = content_of()
    if entry.beats:
        whole = Sample(content=content.hash, end_ms=content.length_ms)
        longer = 100.0 * entry.bpm / bpm
        source = replace(whole, stretch=longer) if 25.0 <= longer <= 400.0 else whole
        return Taken(name, role, source, content, beats=entry.beats)
    return Taken(name, role, trimmed(content, entry.onset_ms if trims else 0.0), content)


def _with_contents(kit: Kit, taken: Taken) -> Kit:
    own = (taken.content,) if taken.content is not None else ()
    for content in taken.pad.contents if taken.pad is not None else own:
        kit = edits.add_content(kit, content)
    return kit


def _sound_of(taken: Taken) -> Sound:
    """What was taken, as a whole sound."""
    if taken.pad is not None:
        return taken.pad.pad.sound
    assert taken.source is not None
    return Sound(layers=(edits.new_layer((), taken.name, taken.source),))


def in_place(kit: Kit, pad_id: str, layer_id: str, taken: Taken) -> Kit:
    """The kit with a layer's source replaced, all else kept; a first layer where there is none.

    A pad of another kit takes the place of the whole sound.
    """
    kit = _with_contents(kit, taken)
    if taken.pad is not None:
        pad = pad_of(kit, pad_id)
        return with_pad(kit, pad, replace(pad, sound=taken.pad.pad.sound))
    if not layer_id or taken.source is None:
        return as_layer(kit, pad_id, taken)
    return edits.set_layer(kit, pad_id, layer_id, source=taken.source, name=taken.name)


def as_layer(kit: Kit, pad_id: str, taken: Taken) -> Kit:
    """The kit with a layer more on a pad; of a pad of another kit with all of its layers."""
    kit = _with_contents(kit, taken)
    if taken.source is None:
        return edits.copy_layers(kit, pad_id, _sound_of(taken).layers)
    kit, _ = edits.add_layer(kit, pad_id, taken.name, taken.source)
    return kit


def as_alternate(kit: Kit, pad_id: str, taken: Taken) -> Kit:
    """The kit with an alternate more on a pad."""
    kit = _with_contents(kit, taken)
    return alternates.add_alternate(kit, pad_id, taken.name, _sound_of(taken))


def on_new_pad(kit: Kit, taken: Taken, place: int | None = None) -> tuple[Kit, Pad]:
    """The kit with a pad more; a pad of another kit comes with all that it is."""
    if taken.pad is not None:
        return pasted_pad(kit, taken.pad, place or 0)
    sound = _sound_of(taken)
    return edits.add_pad(_with_contents(kit, taken), taken.name, taken.role, sound, place)
