"""The groove as notes that leave by a port: by the pads' own notes, or as a controller has them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from puddle.kit.model.document import Kit
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.schedule import Part, listed
from puddle.midi.outgoing import Note

_LIGHT_BEATS = 0.12
_SHORTEST, _LONGEST = 0.02, 64.0  # beats


def groove_notes(
    kit: Kit,
    parts: Sequence[Part],
    span: tuple[float, float],
    channel: int,
    places: frozenset[int] = frozenset(),
) -> tuple[Note, ...]:
    """The strokes of a span of beats; of the pads at some places only, where any are given.

    A pad that follows keys leaves at the key of the stroke, any other at its first note; one that
    has none leaves not at all.
    """
    pads = {pad.id: pad for pad in kit.pads if not places or pad.place in places}
    found = []
    for stroke in listed(parts, kit.tempo_bpm, *span):
        pad = pads.get(stroke.pad)
        if pad is None:
            continue
        own = stroke.note != NO_NOTE
        note = stroke.note if own else pad.notes[0] if pad.notes else None
        if note is not None:
            beats = min(_LONGEST, max(_SHORTEST, stroke.beats))
            found.append(Note(stroke.beat, note, stroke.velocity, channel, beats))
    return tuple(found)


def lights(
    kit: Kit, parts: Sequence[Part], span: tuple[float, float], struck: np.ndarray
) -> tuple[Note, ...]:
    """The same as lights of a controller: each pad's stroke on the note that strikes it there.

    `struck` is int64 (16, 128): the number in the kit of the pad that a channel's note strikes, or
    -1. A note of its own channel goes before one of any.
    """
    where: dict[str, tuple[int, int]] = {}
    for index, pad in enumerate(kit.pads):
        found = np.argwhere(struck == index)
        if found.size:
            notes, counts = np.unique(found[:, 1], return_counts=True)
            note = int(notes[np.argmax(counts)])
            channels = found[found[:, 1] == note][:, 0]
            where[pad.id] = (int(channels[0]) if len(channels) < 16 else 9, note)
    return tuple(
        Note(stroke.beat, where[stroke.pad][1], stroke.velocity, where[stroke.pad][0], _LIGHT_BEATS)
        for stroke in listed(parts, kit.tempo_bpm, *span)
        if stroke.pad in where
    )
