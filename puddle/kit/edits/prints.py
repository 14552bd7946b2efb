"""Prints: a layer or a whole sound as a sample that remembers the recipe it was rendered from.

A print takes the place of what it was made of, so that it sounds the same; what is done to it from
then on comes on top. To reopen it puts the recipe back, and the stages that came on top after it.
A recipe may hold prints of its own: nothing that was printed is ever lost.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id
from puddle.kit.edits.layers import layer_of, new_layer, with_layer
from puddle.kit.edits.pads import pad_of, with_pad
from puddle.kit.edits.side_chains import rekeyed
from puddle.kit.model.document import (
    Band,
    Content,
    Envelope,
    Kit,
    Layer,
    Pad,
    Print,
    Sample,
    Sound,
    Stage,
)
from puddle.kit.model.pad import kept_sounds

replace = msgspec.structs.replace


def recipe(kit: Kit, pad_id: str, layer_id: str | None) -> Print:
    """What a print of a layer, or with None of the whole sound, is rendered from."""
    if layer_id is not None:
        layer_of(kit, pad_id, layer_id)
    return Print(sound=pad_of(kit, pad_id).sound, layer=layer_id or "")


def with_print(kit: Kit, content: Content, made_of: Print) -> tuple[Kit, Content]:
    """The kit knowing of a printed sample; one that it knows keeps the recipe that it has."""
    known = kit.content(content.hash)
    if known is not None:
        return kit, known
    content = replace(content, printed=made_of)
    return replace(kit, contents=(*kit.contents, content)), content


def printed_layer(kit: Kit, pad_id: str, layer_id: str, content: Content) -> Kit:
    """A layer whose source is its own print: level, pan, polarity and place are still its own."""
    layer = layer_of(kit, pad_id, layer_id)
    kit, content = with_print(kit, content, recipe(kit, pad_id, layer_id))
    made = replace(
        layer,
        source=_whole(content),
        tune_st=0.0,
        tune_ct=0.0,
        variation=0.0,
        envelope=Envelope(),
        band=Band(),
        stages=(),
        reaches=(),
    )
    return with_layer(kit, pad_id, layer, made)


def printed_sound(kit: Kit, pad_id: str, content: Content) -> Kit:
    """A sound of one layer, which is the print of the whole, and no stages."""
    pad = pad_of(kit, pad_id)
    if not pad.sound.layers:
        raise EditError(f"{pad.name} has no layers: there is nothing to print.")
    kit, content = with_print(kit, content, recipe(kit, pad_id, None))
    layer = new_layer((), pad.name, _whole(content))
    sound = replace(pad.sound, layers=(layer,), stages=())
    return with_pad(kit, pad, replace(pad, sound=sound))


def sampled_sound(
    kit: Kit,
    pad_id: str,
    rungs: Sequence[Sequence[Content]],
    ranges: Sequence[tuple[int, int]],
) -> Kit:
    """A sound of samples of itself: for each range of strengths its turns, soft to hard.

    Every sample remembers the whole recipe.
    """
    pad = pad_of(kit, pad_id)
    made_of = recipe(kit, pad_id, None)
    layers: tuple[Layer, ...] = ()
    for rung, (low, high) in zip(rungs, ranges, strict=True):
        for turn, content in enumerate(rung):
            kit, known = with_print(kit, content, made_of)
            name = f"{pad.name} {low} to {high}" + (f", {turn + 1}" if len(rung) > 1 else "")
            layer = new_layer(layers, name, _whole(known))
            number = turn + 1 if len(rung) > 1 else 0
            layers = (*layers, replace(layer, softest=low, hardest=high, turn=number))
    return with_pad(kit, pad_of(kit, pad_id), replace(pad, sound=Sound(layers=layers)))


def print_of(kit: Kit, layer: Layer) -> Print | None:
    """The recipe of a layer's sample, where it was printed."""
    if not isinstance(layer.source, Sample):
        return None
    content = kit.content(layer.source.content)
    return content.printed if content is not None else None


def can_reopen_in_place(sound: Sound, layer: Layer, made_of: Print) -> bool:
    """Whether a recipe fits where its print is: a layer's always, a sound's if it is alone."""
    return bool(made_of.layer) or sound.layers == (layer,)


def reopened(kit: Kit, pad_id: str, layer_id: str) -> Kit:
    """The recipe in the place of its print, and after it the stages that the print was given.

    Raises EditError where there is none, or where a whole sound's print is no longer alone.
    """
    pad, layer = pad_of(kit, pad_id), layer_of(kit, pad_id, layer_id)
    made_of = print_of(kit, layer)
    if made_of is None:
        raise EditError(f"{layer.name} was not printed: it has no recipe.")
    if not can_reopen_in_place(pad.sound, layer, made_of):
        raise EditError(
            f"{layer.name} is the print of a whole sound and not alone any more: "
            "reopen its recipe on a pad of its own."
        )
    if made_of.layer:
        return with_layer(kit, pad_id, layer, _reopened_layer(pad.sound, layer, made_of))
    recipe_sound = made_of.sound
    stages = _after(_after(recipe_sound.stages, layer.stages), pad.sound.stages)
    return with_pad(kit, pad, replace(pad, sound=replace(recipe_sound, stages=stages)))


def _reopened_layer(sound: Sound, layer: Layer, made_of: Print) -> Layer:
    found = next((k for k in made_of.sound.layers if k.id == made_of.layer), None)
    if found is None:
        raise EditError(f"The recipe of {layer.name} does not hold the layer it was printed from.")
    there = {k.id: k.id for k in sound.layers}  # what its stages may still listen to
    return replace(
        found,
        id=layer.id,
        name=layer.name,
        dye=layer.dye,
        on=layer.on,
        solo=layer.solo,
        flip=layer.flip,
        level_db=layer.level_db,
        pan=layer.pan,
        offset_ms=layer.offset_ms,
        softest=layer.softest,
        hardest=layer.hardest,
        blend_in=layer.blend_in,
        blend_out=layer.blend_out,
        turn=layer.turn,
        stages=_after(rekeyed(found.stages, there), layer.stages),
    )


def _after(first: tuple[Stage, ...], then: tuple[Stage, ...]) -> tuple[Stage, ...]:
    """Two rows as one, with ids that are unique."""
    made = list(first)
    for stage in then:
        taken = [s.id for s in made]
        made.append(replace(stage, id=fresh_id("stage", taken)) if stage.id in taken else stage)
    return tuple(made)


def _whole(content: Content) -> Sample:
    """All of a sample, and nothing done to its ends."""
    return Sample(content=content.hash, end_ms=content.length_ms, fade_out_ms=0.0)


# What a kit needs of its samples.


def without_unused_contents(kit: Kit) -> Kit:
    """The kit without samples that no sound, alternate, snapshot or recipe plays.

    Done when it is saved, so that undo has them.
    """
    used: set[str] = set()
    waiting = [sound for pad in kit.pads for sound in _sounds(pad)]
    while waiting:
        for content in played(waiting.pop()):
            if content in used:
                continue
            used.add(content)
            known = kit.content(content)
            if known is not None and known.printed is not None:
                waiting.append(known.printed.sound)
    return replace(kit, contents=tuple(c for c in kit.contents if c.hash in used))


def _sounds(pad: Pad) -> list[Sound]:
    return [pad.sound, *(sound for _, sound in kept_sounds(pad))]


def played(sound: Sound) -> Iterator[str]:
    """The samples that a sound's layers play, by hash."""
    for layer in sound.layers:
        if isinstance(layer.source, Sample):
            yield layer.source.content
