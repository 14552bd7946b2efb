"""Notes of a lane that follows keys, and the chords of the pattern."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from PyQt6.QtCore import QObject

from puddle.errors import EditError, PuddleError
from puddle.kit.edits import chords, patterns
from puddle.kit.edits import hits as editing
from puddle.kit.edits.hits import Spot
from puddle.kit.model.document import Hit, Kit, Lane, Pad, Pattern
from puddle.kit.model.pattern import grid_beats
from puddle.kit.model.tonality import ROOTS, SCALES
from puddle.kit.playing.chords import noted
from puddle.kit.playing.schedule import hit_beat, lane_beats, lane_grid
from puddle.window.pages.groove.editing import HitEditing
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.note_roll import ChordMark, Note, NoteRoll

replace = msgspec.structs.replace


class Melody(QObject):
    """Shows the selected lane on the roll, and carries out what the hand does there."""

    def __init__(self, session: Session, work: HitEditing, roll: NoteRoll) -> None:
        super().__init__(roll)
        self._session, self._work, self.roll = session, work, roll
        roll.added.connect(self.add)
        roll.following_wanted.connect(self.add_after)
        roll.removed.connect(self.remove)
        roll.moved.connect(self.move)
        roll.lengthened.connect(self.lengthen)
        roll.settled.connect(work.settle)
        roll.chord_wanted.connect(self.ask_chord)
        roll.chord_removed.connect(self.remove_chord)

    # Showing.

    def show_lane(self, pattern: Pattern | None, pad: Pad | None) -> None:
        """The notes of a pad's lane."""
        kit = self._session.kit
        root = ROOTS.index(kit.key.root)
        in_key = frozenset((root + step) % 12 for step in SCALES[kit.key.scale])
        if pattern is None or pad is None:
            self.roll.show_notes((), (), in_key, 60, "slate", 0.25)
            return
        lane = patterns.lane_in(pattern, pad.id)
        marks = tuple(ChordMark(c.at, chords.chord_name(c)) for c in pattern.chords)
        step = grid_beats(lane_grid(pattern, lane))
        notes = _notes(pattern, lane, pad, step)
        self.roll.show_notes(notes, marks, in_key, pad.root, pad.dye, step)

    # Notes.

    def _place(self, pattern: Pattern, pad_id: str, beat: float) -> float:
        lane = patterns.lane_in(pattern, pad_id)
        step = grid_beats(lane_grid(pattern, lane))
        beat = min(beat, lane_beats(pattern, lane) - 1e-3)
        return beat if lane.exact else float(int(beat / step + 1e-9))

    def _free_after(self, pattern: Pattern, pad_id: str, at: float | None) -> float:
        """The first place behind another, or of the lane, that has no hit. Raises EditError."""
        lane = patterns.lane_in(pattern, pad_id)
        step, beats = grid_beats(lane_grid(pattern, lane)), lane_beats(pattern, lane)
        wide, end = (step, beats) if lane.exact else (1.0, round(beats / step))
        place = 0.0 if at is None else at + wide if lane.exact else float(int(at)) + 1.0
        taken = {hit.at for hit in lane.hits}
        while place in taken:
            place += wide
        if place >= end:
            raise EditError("No step behind it is free.")
        return place

    def add(self, beat: float, note: int) -> None:
        """A hit that plays a key."""
        self._put(note, lambda pattern, pad_id: self._place(pattern, pad_id, beat))

    def add_after(self, at: float | None, note: int) -> None:
        """A hit that plays a key, at the next free step."""
        self._put(note, lambda pattern, pad_id: self._free_after(pattern, pad_id, at))

    def _put(self, note: int, where: Callable[[Pattern, str], float]) -> None:
        pad = self._session.pad
        if pad is None:
            return
        pad_id, velocity = pad.id, self._work.velocity
        places: list[float] = []

        def change(_: Kit, pattern: Pattern) -> Pattern:
            places.append(where(pattern, pad_id))
            hit = Hit(at=places[-1], velocity=velocity, note=note)
            return editing.put(pattern, pad_id, (hit,))

        self._work.edit(f"{pad.name}: a note", change)
        if not places:  # there was none, which is told
            return
        self.roll.go_to(places[-1])
        if not self._session.player.playing:
            self._session.playing.strike(pad_id, float(velocity), note, by_hand=False)

    def remove(self, at: float) -> None:
        """A note less."""
        self._work.remove([Spot(self._session.pad_id, at)])

    def move(self, at: float, note: int) -> None:
        """A note at another key."""
        self._each(at, "another note", {"note": note}, "note")

    def lengthen(self, at: float, beats: float) -> None:
        """A note of another length."""
        shown, pad_id = self._session.pattern, self._session.pad_id
        if shown is None:
            return
        step = grid_beats(lane_grid(shown, patterns.lane_in(shown, pad_id)))
        length = max(0.05, min(64.0, round(beats / step, 2)))
        self._each(at, "another length", {"length": length}, "length")

    def _each(self, at: float, said: str, values: dict[str, float], mark: str) -> None:
        pad = self._session.pad
        if pad is None:
            return
        spot = Spot(pad.id, at)
        self._work.edit(
            f"{pad.name}: {said}",
            lambda _, p: editing.with_each(p, [spot], lambda hit: replace(hit, **values)),
            ("roll", mark, spot),
        )

    # Chords.

    def ask_chord(self, beat: float) -> None:
        """Types the chord that stands from a beat on."""
        shown = self._session.pattern  # without one, a chord begins the first
        there = shown.chords if shown is not None else ()
        now = next((chords.chord_name(c) for c in there if c.at == beat), "")
        typed = ask_name(self.roll, "Chord", "Root and kind, as in Am7, F♯ or Bb maj7:", now)
        if typed:
            self.put_chord(typed, beat)

    def put_chord(self, typed: str, beat: float) -> None:
        """Puts a typed chord; what is none is told."""
        try:
            chord = chords.typed_chord(typed, beat)
        except PuddleError as error:
            self._session.told.emit(str(error))
            return
        self._work.edit(
            f"Chord {chords.chord_name(chord)}", lambda _, p: chords.put_chord(p, chord)
        )

    def remove_chord(self, beat: float) -> None:
        """The chord before it stands on."""
        self._work.edit("A chord taken out", lambda _, p: chords.without_chord(p, beat))

    def read_chords(self) -> None:
        """Chords from the notes of the selected lane, one for each bar's half."""
        pad_id = self._session.pad_id
        self._work.edit("Chords read from the notes",
                        lambda _, p: chords.read_chords(p, pad_id, 2.0))  # fmt: skip


def _notes(pattern: Pattern, lane: Lane, pad: Pad, step: float) -> tuple[Note, ...]:
    """The hits of a lane as they sound: with the chords that they follow."""
    import numpy as np

    places = np.array([hit_beat(pattern, lane, hit) for hit in lane.hits])
    heard = noted(pattern, lane, np.arange(len(lane.hits)), places)
    made = []
    for n, hit in enumerate(lane.hits):
        beat, beats = float(places[n]), hit.length * step
        following = places[n + 1] if n + 1 < len(places) else np.inf
        overlaps = pad.limit == 1 and pad.trigger == "gate" and beat + beats > following + 1e-6
        note = int(heard[n]) if heard[n] >= 0 else pad.root
        made.append(Note(hit.at, beat, beats, note, hit.velocity, bool(overlaps)))
    return tuple(made)
