"""What leaves as MIDI while the groove plays: clock with start, stop and position, notes, lights.

Whoever owns it calls `send_due` again and again and sleeps until `due_s` in between: everything
leaves at the moment at which it is heard.
"""

from __future__ import annotations

import heapq
import math
from bisect import bisect_right
from collections.abc import Callable, Sequence

import msgspec

from puddle.midi.clock import TICKS
from puddle.midi.engine_time import Runs
from puddle.midi.messages import CLOCK, CONTINUE, NOTE_OFF, NOTE_ON, SONG_POSITION, START, STOP

_JUMP_BEATS = 0.05  # backward, or by more than a beat forward: the groove was set elsewhere
_HALF_TICK = 0.5 / TICKS
_SIXTEENTH = 0.25  # beats: a song position counts them
_LOOKS_S = 0.002
_MOST_POSITION = 16383


class Note(msgspec.Struct, frozen=True, order=True):
    """A note of the groove, at a beat of it."""

    beat: float
    note: int
    velocity: int
    channel: int
    beats: float


class Output:
    """One port and what leaves by it."""

    def __init__(self, send: Callable[[bytes], None]) -> None:
        self._send = send
        self.clock = False
        self._notes: list[Note] = []
        self._beats: list[float] = []
        self._ends: list[tuple[float, int, int]] = []  # time, channel, note: of what sounds
        self._was: Runs | None = None
        self._beat = -math.inf  # until which all has left
        self._told_start = False
        self._free_tick_s = 0.0  # while the groove rests

    def play(self, notes: Sequence[Note]) -> None:
        """What leaves from now on; what sounds ends in its time."""
        self._notes = sorted(notes)
        self._beats = [note.beat for note in self._notes]

    def end(self) -> None:
        """Ends what sounds, and the clock's run."""
        self._end_notes(math.inf)
        if self.clock and self._told_start:
            self._send(bytes([STOP]))
        self._told_start = False

    def send_due(self, runs: Runs) -> None:
        """Sends all that is due."""
        self._end_notes(runs.at_s)
        if runs.playing:
            self._run(runs)
        else:
            if self._was is not None and self._was.playing:
                self.end()
            self._rest(runs)
        self._was = runs

    def due_s(self, runs: Runs) -> float:
        """When something is due next, at the latest in two milliseconds."""
        found = [runs.at_s + _LOOKS_S]
        if self._ends:
            found.append(self._ends[0][0])
        if runs.playing:
            if self.clock:
                found.append(runs.time_of((math.floor(self._beat * TICKS) + 1) / TICKS))
            at = bisect_right(self._beats, self._beat)
            if at < len(self._beats):
                found.append(runs.time_of(self._beats[at]))
        elif self.clock:
            found.append(self._free_tick_s)
        return max(runs.at_s, min(found))

    def _run(self, runs: Runs) -> None:
        beat = runs.beat
        jumped = beat < self._beat - _JUMP_BEATS or beat > self._beat + 1.0
        if self._was is None or not self._was.playing or jumped:
            self._begin(beat)
        if self.clock:
            self._send_ticks(beat)
        for n in range(bisect_right(self._beats, self._beat), len(self._beats)):
            if self._beats[n] > beat:
                break
            self._strike(self._notes[n], runs)
        self._beat = max(self._beat, beat)

    def _begin(self, beat: float) -> None:
        """The groove has begun, or was set elsewhere: what lies ahead is still to be sent."""
        self.end()
        self._beat = beat - 1e-9
        if self.clock and 0.0 <= beat < _SIXTEENTH:
            # Seen late, as on a busy machine: what counts ticks from the start is caught up with.
            self._send(bytes([START]))
            self._told_start = True
            self._beat = -1e-9

    def _send_ticks(self, beat: float) -> None:
        """Ticks that are due; a start half a tick before the first beat, or a sixteenth."""
        for _ in range(math.floor(beat * TICKS) - math.floor(self._beat * TICKS)):
            self._send(bytes([CLOCK]))
        if self._told_start:
            return
        sixteenth = max(0, math.ceil((beat - 1e-6) * 4.0))
        if beat >= sixteenth / 4.0 - 1.0 / TICKS and beat + _HALF_TICK >= sixteenth / 4.0:
            if sixteenth:
                place = min(_MOST_POSITION, sixteenth)
                self._send(bytes([SONG_POSITION, place & 0x7F, place >> 7]))
            self._send(bytes([CONTINUE if sixteenth else START]))
            self._told_start = True

    def _rest(self, runs: Runs) -> None:
        """The clock ticks on at the tempo, so that others know it before the start."""
        if not self.clock:
            return
        tick_s = 60.0 / runs.bpm / TICKS
        if abs(self._free_tick_s - runs.at_s) > 2.0 * tick_s:
            self._free_tick_s = runs.at_s
        if runs.at_s >= self._free_tick_s:
            self._send(bytes([CLOCK]))
            self._free_tick_s += tick_s

    # Notes.

    def _strike(self, note: Note, runs: Runs) -> None:
        for end in [e for e in self._ends if e[1:] == (note.channel, note.note)]:
            self._ends.remove(end)
            heapq.heapify(self._ends)
            self._send(bytes([NOTE_OFF | note.channel, note.note, 0]))
        self._send(bytes([NOTE_ON | note.channel, note.note, note.velocity]))
        end_s = runs.time_of(note.beat + note.beats)
        heapq.heappush(self._ends, (end_s, note.channel, note.note))

    def _end_notes(self, now_s: float) -> None:
        while self._ends and self._ends[0][0] <= now_s:
            _, channel, note = heapq.heappop(self._ends)
            self._send(bytes([NOTE_OFF | channel, note, 0]))
