"""Chords of a pattern: typed, put, and read from the notes of a lane."""

from __future__ import annotations

import re

import msgspec

from puddle.errors import EditError
from puddle.kit.model.document import Chord, Pattern
from puddle.kit.model.tonality import CHORDS
from puddle.kit.playing.schedule import hit_beat

replace = msgspec.structs.replace
_TYPED = re.compile(r"^\s*([A-Ga-g])([#♯b♭]?)\s*(\S*)\s*$")
_STEPS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
# Other ways in which the kinds are written.
_ALSO = {
    "maj": "", "M": "", "min": "m", "-": "m", "M7": "maj7", "min7": "m7", "-7": "m7",
    "ø": "m7b5", "m7♭5": "m7b5", "°": "dim", "o": "dim", "°7": "dim7", "o7": "dim7", "+": "aug",
    "sus": "sus4", "min6": "m6", "min9": "m9",
}  # fmt: skip


def typed_chord(text: str, at: float = 0.0) -> Chord:
    """The chord that was typed: "Am7", "F♯", "Bb maj7". Raises EditError with what would be one."""
    found = _TYPED.match(text)
    if found is None:
        raise EditError(f"“{text.strip()}” is no chord: a root and a kind, as in Am7 or F♯.")
    letter, sign, kind = found.groups()
    kind = _ALSO.get(kind, kind)
    if kind not in CHORDS:
        known = ", ".join(name for name in CHORDS if name)
        raise EditError(f"“{kind}” is no kind of chord that is known: {known}.")
    root = _STEPS[letter.upper()] + (1 if sign in ("#", "♯") else -1 if sign else 0)
    return Chord(at=at, root=root % 12, kind=kind)


def chord_name(chord: Chord) -> str:
    """How a chord is written."""
    return f"{_NAMES[chord.root]}{chord.kind.replace('b5', '♭5')}"


def put_chord(pattern: Pattern, chord: Chord) -> Pattern:
    """The pattern with a chord from a beat on."""
    kept = [one for one in pattern.chords if one.at != chord.at]
    return replace(pattern, chords=tuple(sorted((*kept, chord), key=lambda one: one.at)))


def without_chord(pattern: Pattern, at: float) -> Pattern:
    """The pattern without the chord that begins at a beat."""
    return replace(pattern, chords=tuple(one for one in pattern.chords if one.at != at))


def read_chords(pattern: Pattern, pad_id: str, beats: float) -> Pattern:
    """Chords read from the notes of a lane, one for every so many beats that has notes.

    Of all chords the one that holds most of the notes and has fewest others; of equal ones that
    whose root is the lowest note.
    """
    lane = pattern.lane(pad_id)
    if lane is None:
        return pattern
    found: dict[int, list[int]] = {}
    for hit in lane.hits:
        if hit.note is not None:
            place = int(hit_beat(pattern, lane, hit) // beats)
            found.setdefault(place, []).append(hit.note)
    for place, notes in found.items():
        pattern = put_chord(pattern, _of_notes(notes, place * beats))
    return pattern


def _of_notes(notes: list[int], at: float) -> Chord:
    held, low = {note % 12 for note in notes}, min(notes) % 12

    def worth(chord: Chord) -> tuple[int, int, int]:
        tones = {(chord.root + tone) % 12 for tone in CHORDS[chord.kind]}
        return len(held & tones) * 3 - len(tones - held), int(chord.root == low), -len(chord.kind)

    return max(
        (Chord(at=at, root=root, kind=kind) for root in range(12) for kind in CHORDS), key=worth
    )
