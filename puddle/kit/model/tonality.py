"""The key that a kit is tuned to: a root and a scale, and how far a pitch lies from it."""

from typing import Annotated, Literal

import msgspec

from puddle.parameter import Declared, choice

Root = Literal["C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B"]
Scale = Literal[
    "chromatic",
    "major",
    "minor",
    "harmonic minor",
    "dorian",
    "phrygian",
    "mixolydian",
    "major pentatonic",
    "minor pentatonic",
    "root and fifth",
]

NO_NOTE = -1  # of a stroke that names none: the pad plays as it is tuned

ROOTS: tuple[Root, ...] = ("C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B")
SCALES: dict[Scale, tuple[int, ...]] = {
    "chromatic": tuple(range(12)),
    "major": (0, 2, 4, 5, 7, 9, 11),
    "minor": (0, 2, 3, 5, 7, 8, 10),
    "harmonic minor": (0, 2, 3, 5, 7, 8, 11),
    "dorian": (0, 2, 3, 5, 7, 9, 10),
    "phrygian": (0, 1, 3, 5, 7, 8, 10),
    "mixolydian": (0, 2, 4, 5, 7, 9, 10),
    "major pentatonic": (0, 2, 4, 7, 9),
    "minor pentatonic": (0, 3, 5, 7, 10),
    "root and fifth": (0, 7),
}


class Key(Declared, frozen=True):
    """Root and scale."""

    root: Annotated[Root, choice("Root", "The note that the scale begins on.")] = "C"
    scale: Annotated[Scale, choice("Scale", "Which notes belong to the key.")] = "chromatic"


class Place(msgspec.Struct, frozen=True):
    """Where a pitch lies in a key: the nearest note that belongs to it, and the way from there."""

    note: int  # MIDI, C4 = 60
    cents: float  # from that note to the pitch: over zero it is sharp


def place_in(key: Key, note: float) -> Place:
    """The note of a key that is nearest to a pitch (a MIDI number with its fraction)."""
    root = ROOTS.index(key.root)
    belonging = {(root + step) % 12 for step in SCALES[key.scale]}
    around = range(round(note) - 12, round(note) + 13)
    nearest = min((n for n in around if n % 12 in belonging), key=lambda n: (abs(n - note), n))
    return Place(nearest, 100.0 * (note - nearest))


# The tones of chords in semitones over the root, by the way they are written behind it.
CHORDS: dict[str, tuple[int, ...]] = {
    "": (0, 4, 7),
    "m": (0, 3, 7),
    "7": (0, 4, 7, 10),
    "maj7": (0, 4, 7, 11),
    "m7": (0, 3, 7, 10),
    "m7b5": (0, 3, 6, 10),
    "mMaj7": (0, 3, 7, 11),
    "dim": (0, 3, 6),
    "dim7": (0, 3, 6, 9),
    "aug": (0, 4, 8),
    "sus2": (0, 2, 7),
    "sus4": (0, 5, 7),
    "6": (0, 4, 7, 9),
    "m6": (0, 3, 7, 9),
    "9": (0, 4, 7, 10, 14),
    "m9": (0, 3, 7, 10, 14),
    "5": (0, 7, 12),
}
