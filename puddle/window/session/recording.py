"""Playing by hand, recorded: over the groove as it is played, or kept afterwards."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec
import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from puddle.engine.heard_clock import HeardClock
from puddle.kit import edits
from puddle.kit.edits import patterns
from puddle.kit.edits.recorded import (
    Struck,
    TimedStroke,
    cleared,
    joined,
    kept,
    last_phrase,
    played_order,
    recorded,
)
from puddle.kit.model.document import Kit, OwnValue, Pattern
from puddle.kit.model.pattern import bar_beats, grid_beats
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.schedule import pattern_beats
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.engine.engine import Engine

_REMEMBERED_S = 120.0
_TICK_MS = 15
_EARLY_BEATS = 0.5  # before the first beat of a take, in which a stroke counts for it


class _Waiting(msgspec.Struct, frozen=True):
    """A stroke that is put into the pattern once its time in this pass is over."""

    struck: Struck
    part_pattern: str
    origin: float
    after: float  # the beat of the groove from which on it is put
    pass_number: int


class Recording(QObject):
    """Remembers what is played by hand, and writes it into the pattern while it records."""

    changed = pyqtSignal()  # whether it records

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.on = False
        self._clock = HeardClock()
        self._played: deque[tuple[TimedStroke, float | None]] = deque(maxlen=4096)
        self._waiting: list[_Waiting] = []
        self._written: dict[str, Struck] = {}  # by pad, the last one
        self._cleared: set[tuple[int, str]] = set()
        self._turns: list[tuple[float, str]] = []  # the patterns that were chosen, and from when
        self._down: dict[tuple[str, int], float] = {}  # the beats of what is held
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self.tick)
        session.struck.connect(self._note)
        session.let_go.connect(self._note_release)
        session.player.repeater.struck.connect(self._note_repeat)
        session.started.connect(self._forget)
        session.grooving.chosen.connect(self._note_turn)

    def _forget(self) -> None:
        self._waiting, self._turns = [], []  # they are of the kit before
        self.stop()
        self._played.clear()

    # The clock.

    def heard_beat(self, moment_s: float) -> float:
        """The beat of the groove that was heard at a moment."""
        player = self._session.player
        engine, device = player.engine, player.device
        if engine is None or device is None:
            return 0.0
        self._see(engine)
        frame = self._clock.frame_at(moment_s, device.block, device.latency_frames)
        return engine.heard_beat(frame)

    def _see(self, engine: Engine) -> None:
        made = engine.clock
        self._clock.see(time.perf_counter(), made, engine.rate_hz)

    # Recording.

    def toggle(self) -> None:
        """Begins or ends a recording; it begins with the count-in where the groove rests."""
        if self.on:
            self.stop()
        else:
            self.start()

    def start(self) -> None:
        """Records from now on, after a count-in where the groove rests."""
        session = self._session
        if session.pattern is None and not session.kit.pads:
            session.told.emit("There is nothing to play yet: add a sound first.")
            return
        if session.pattern is None:
            made = session.make("New pattern", patterns.add_pattern)
            if made is not None:
                session.grooving.choose(made.id)
        self.on = True
        self._timer.start()
        pattern = session.pattern
        if not session.player.playing and pattern is not None:
            count = session.kit.count_in * bar_beats(pattern.meter)
            session.grooving.start(count)
        part = session.grooving.groove.part_at(max(0.0, session.player.beat))
        began = max(0.0, session.player.beat)
        self._turns = [(max(part.start, began), part.pattern.id)] if part is not None else []
        self.changed.emit()

    def _note_turn(self) -> None:
        """Another pattern was chosen: by hand, by a key or by a controller."""
        parts = self._session.grooving.groove.parts
        if not self.on or not parts:
            return
        start = parts[-1].start
        self._turns = [turn for turn in self._turns if turn[0] < start]
        self._turns.append((start, parts[-1].pattern.id))

    def stop(self) -> None:
        """Ends the recording; the groove plays on."""
        if not self.on:
            return
        self._write(everything=True)
        self.on = False
        self._timer.stop()
        self._cleared.clear()
        self._written.clear()
        self._session.settle()
        self._write_order()
        self.changed.emit()

    def _write_order(self) -> None:
        """Patterns that were chosen one after the other become the play order, if there is none."""
        session = self._session
        order = played_order(session.kit, self._turns, session.player.beat)
        self._turns = []
        if not order:
            return
        names = {pattern.id: pattern.name for pattern in session.kit.patterns}
        said = ", ".join(f"{names[play.pattern]} {play.times}×" for play in order)
        if session.kit.order or session.grooving.follows_order:
            session.told.emit(f"Played: {said}. The play order was left as it is.")
            return
        session.edit("Play order recorded", lambda kit: patterns.set_order(kit, order))
        session.settle()
        session.told.emit(f"Recorded as the play order: {said}.")

    def tick(self) -> None:
        """Follows the card's clock, and writes what is due."""
        engine = self._session.player.engine
        if engine is not None:
            self._see(engine)
        if self.on and not self._session.player.playing:
            self.stop()
        else:
            self._write()

    def _note(self, pad_id: str, velocity: float, note: int, values: tuple[OwnValue, ...]) -> None:
        """A stroke by hand."""
        now = self._session.input_clock.moment_s
        beat = self.heard_beat(now) if self._session.player.playing else None
        self._keep(pad_id, velocity, note, values, now, beat)

    def _note_repeat(self, pad_id: str, velocity: float, beat: float | None, frame: int) -> None:
        """A stroke of note repeat: the engine knows its beat."""
        engine = self._session.player.engine
        if engine is not None:
            now = time.perf_counter() + (frame - engine.clock) / engine.rate_hz
            self._keep(pad_id, velocity, NO_NOTE, (), now, beat)

    def _keep(
        self,
        pad_id: str,
        velocity: float,
        note: int,
        values: tuple[OwnValue, ...],
        now: float,
        beat: float | None,
    ) -> None:
        """Remembers a stroke at a moment, and puts it into the pattern while that is recorded."""
        playing = self._session.player.playing
        hard = max(1, min(127, round(velocity)))
        self._played.append((TimedStroke(pad_id, now, hard, note, values), beat))
        if not (self.on and playing and beat is not None) or beat < -_EARLY_BEATS:
            return
        part = self._session.grooving.groove.part_at(max(0.0, beat))
        if part is None:
            return
        beats = pattern_beats(part.pattern)
        number = int(max(0.0, beat - part.origin) // beats)
        self._down[pad_id, note] = beat
        struck = Struck(pad_id, max(beat, part.origin), hard, note, values=values)
        for other in self._waiting:  # a stroke so close is the flam of this one
            flammed = joined(other.struck, struck, self._session.kit.tempo_bpm)
            if flammed is not None:
                self._waiting.remove(other)
                struck = flammed
                break
        step = grid_beats(part.pattern.grid)
        self._waiting.append(
            _Waiting(struck, part.pattern.id, part.origin, beat + 0.75 * step, number)
        )

    def _note_release(self, pad_id: str, note: int) -> None:
        began = self._down.pop((pad_id, note), None)
        if began is None:
            return
        held = self.heard_beat(self._session.input_clock.moment_s) - began
        self._waiting = [
            replace(one, struck=replace(one.struck, beats=max(0.02, held)))
            if one.struck.pad == pad_id and one.struck.beat >= began - 1e-9
            else one
            for one in self._waiting
        ]

    def _write(self, *, everything: bool = False) -> None:
        """What is past goes into the pattern: at once it would be struck a second time."""
        if not self._waiting:
            return
        now = self._session.player.beat
        due = [one for one in self._waiting if everything or one.after < now]
        self._waiting = [one for one in self._waiting if one not in due]
        for one in due:
            self._put(one)

    def _put(self, one: _Waiting) -> None:
        session, settings = self._session, self._session.settings
        quantize = settings.record_quantize
        clears = settings.record_replaces and (one.pass_number, one.struck.pad) not in self._cleared
        self._cleared.add((one.pass_number, one.struck.pad))

        before = self._written.get(one.struck.pad)
        self._written[one.struck.pad] = one.struck

        def change(kit: Kit) -> Kit:
            def made(pattern: Pattern) -> Pattern:
                if clears:
                    pattern = cleared(pattern, one.struck.pad)
                return recorded(pattern, one.struck, one.origin, kit.tempo_bpm, quantize, before)

            return patterns.in_pattern(kit, one.part_pattern, made)

        session.edit(f"Recorded, pass {one.pass_number + 1}", change, ("record", one.pass_number))

    # Afterwards.

    def keep(self) -> None:
        """What was played in the last two minutes as a pattern, at the tempo that fits."""
        session = self._session
        recent = time.perf_counter() - _REMEMBERED_S
        played = [one for one in self._played if one[0].seconds >= recent]
        phrase = last_phrase([one for one, _ in played])
        if len(phrase) < 2:
            session.told.emit("Nothing was played on the pads lately: play, then keep it.")
            return
        beats = {one.seconds: beat for one, beat in played}
        with_groove = all(beats[one.seconds] is not None for one in phrase)
        first = beats[phrase[0].seconds]
        bpm, before = session.kit.tempo_bpm, 0.0
        if with_groove and first is not None:
            before = first % 4.0
        else:
            bpm = _tempo_of(phrase)

        def made(kit: Kit) -> tuple[Kit, Pattern]:
            kit, pattern = patterns.add_pattern(kit, kept(kit, phrase, bpm, before))
            return edits.set_kit(kit, tempo_bpm=bpm), pattern

        pattern = session.make("What was played, kept", made)
        if pattern is not None:
            session.grooving.choose(pattern.id)
            count = sum(len(lane.hits) for lane in pattern.lanes)
            session.told.emit(f"{count} strokes kept as pattern {pattern.name}, at {bpm:g} bpm.")


def _tempo_of(phrase: Sequence[TimedStroke]) -> float:
    """The tempo that strokes fit best, in bpm; 120 where they are too few to tell."""
    from puddle.measure.beats import beats_of

    seconds = np.array([one.seconds for one in phrase])
    levels = np.square([one.velocity / 127.0 for one in phrase])
    found = beats_of(seconds - seconds[0], levels)
    return round(found.bpm, 1) if found is not None else 120.0
