"""One sound on several pads, at intervals: linked to the original, or going their own ways."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.items import fresh_id
from puddle.kit.edits.links import link_to, sound_at
from puddle.kit.edits.pads import pad_of
from puddle.kit.model.document import MOST_PADS, Kit, Pad
from puddle.kit.model.tonality import SCALES
from puddle.units import MINUS, plain

replace = msgspec.structs.replace
MOST_COPIES = 48
_FURTHEST_ST = 48.0
_HIGHEST_NOTE = 127
_ROOT = re.compile(r"([a-g])([#♯b♭]?)")
_LETTERS = {"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}
_NUMBER = re.compile(r"[+-]?\d+(?:\.\d+)?")


def intervals_of(text: str, own_note: float | None = None) -> list[float]:
    """Semitones that a person typed: numbers such as "3, 5, 7.5", or a scale, for one octave.

    A scale starts from the sound; with a root before it, such as "D minor", its notes are those
    over the sound's own pitch (a MIDI number with its fraction). Raises EditError where the text
    is nothing of this, or where a root is named and the sound has no pitch.
    """
    cleaned = text.strip().lower().replace(MINUS, "-")
    for name, steps in SCALES.items():
        if cleaned == name:
            return [float(step) for step in (*steps[1:], 12)]
        root = _ROOT.fullmatch(cleaned.removesuffix(name).strip())
        if cleaned.endswith(name) and root is not None:
            return _up_from(own_note, _pitch_class(root), steps)
    words = [word for word in re.split(r"[\s,;]+", cleaned) if word]
    if not words or not all(_NUMBER.fullmatch(word) for word in words):
        known = ", ".join(SCALES)
        raise EditError(f"“{text.strip()}” is no list of semitones and no scale ({known}).")
    found = [float(word) for word in words]
    if len(found) > MOST_COPIES or any(abs(st) > _FURTHEST_ST for st in found):
        raise EditError(
            f"Up to {MOST_COPIES} copies can be made, at up to {_FURTHEST_ST:.0f} semitones."
        )
    return found


def _pitch_class(root: re.Match[str]) -> int:
    letter, accidental = root.groups()
    sharp = {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}[accidental or ""]
    return (_LETTERS[letter] + sharp) % 12


def _up_from(own_note: float | None, root: int, steps: Sequence[int]) -> list[float]:
    """To the notes of a scale over a pitch, for one octave."""
    if own_note is None:
        raise EditError("This sound has no measured pitch: name a scale without its root.")
    belonging = {(root + step) % 12 for step in steps}
    first = math.floor(own_note + 0.5) + 1
    notes = [n for n in range(first, first + 12) if n % 12 in belonging]
    return [round(n - own_note, 2) for n in notes]


def spread(
    kit: Kit, pad_id: str, intervals: Sequence[float], *, linked: bool = False
) -> tuple[Kit, list[Pad]]:
    """Copies of a pad, its layers moved by intervals, at the next free places.

    Linked copies follow the original from then on.

    Each answers to the next free note above. Raises EditError where a layer's gauge does not
    reach, or where the kit is full.
    """
    pad = pad_of(kit, pad_id)
    made: list[Pad] = []
    note = max(pad.notes, default=35)
    for semitones in intervals:
        taken = {p.place for p in kit.pads}
        places = (n for n in range(pad.place + 1, MOST_PADS) if n not in taken)
        place = next(places, None)
        if place is None:
            raise EditError("There is no free place left after this pad.")
        used = {n for p in kit.pads for n in p.notes}
        note = next((n for n in range(note + 1, _HIGHEST_NOTE + 1) if n not in used), note)
        sign = "+" if semitones > 0 else ""
        decimals = 0 if semitones == round(semitones) else 2
        copy = replace(
            pad,
            id=fresh_id("pad", [p.id for p in kit.pads]),
            name=f"{pad.name} {sign}{plain(semitones, decimals)}"[:120],
            place=place,
            notes=(note,) if note not in used else (),
            sound=sound_at(pad.sound, semitones),
            snapshots=(),
            alternates=(),
            alternate=0,
            link=link_to(kit, pad, semitones) if linked else None,
        )
        kit = replace(kit, pads=(*kit.pads, copy))
        made.append(copy)
    return kit, made
