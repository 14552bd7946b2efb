"""Notes that follow the chords of a pattern."""

from __future__ import annotations

import numpy as np

from puddle.kit.model.pattern import Chord, Lane, Pattern
from puddle.kit.model.tonality import CHORDS, NO_NOTE

_DEGREE = {"root": 0, "third": 1, "fifth": 2, "seventh": 3}


def chord_at(pattern: Pattern, beat: float) -> Chord | None:
    """The chord that stands at a beat of the pattern: the last one before it."""
    stands = None
    for chord in pattern.chords:
        if chord.at <= beat + 1e-9 and (stands is None or chord.at >= stands.at):
            stands = chord
    return stands


def tone_of(chord: Chord, degree: int) -> int:
    """Semitones over C of a tone of a chord, counted from its root; the last one where it has
    fewer."""
    tones = CHORDS[chord.kind]
    return (chord.root + tones[min(degree, len(tones) - 1)]) % 12


def nearest_to(note: int, tone: int) -> int:
    """The key nearest to a note whose name is that many semitones over C; of two the lower."""
    up = (tone - note) % 12
    found = note + up if up < 6 else note + up - 12
    return found if 0 <= found <= 127 else note + up if found < 0 else note + up - 12


def noted(pattern: Pattern, lane: Lane, hits: np.ndarray, beats: np.ndarray) -> np.ndarray:
    """The note of each stroke, from its hit and the chord at its beat in the pass: int64.

    Where a lane follows chords, a hit's note gives the height at which the chord's tone is taken;
    without one it is sought around C3.
    """
    written = np.array([NO_NOTE if h.note is None else h.note for h in lane.hits], np.int64)
    made: np.ndarray = written[hits]
    if lane.follow == "off" or not pattern.chords:
        return made
    for n, beat in enumerate(beats):
        chord = chord_at(pattern, float(beat))
        if chord is not None and chord.kind in CHORDS:
            around = int(made[n]) if made[n] != NO_NOTE else 48
            made[n] = nearest_to(around, tone_of(chord, _DEGREE[lane.follow]))
    return made
