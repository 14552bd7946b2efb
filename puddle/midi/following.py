"""The engine follows a beat from outside: it is started, stopped and paced, and never jumps.

Where the groove is ahead or behind, its tempo makes up for it within half a beat, by ten percent at
most: a tempo that bends a little moves strokes by less than is heard, a jump would drop or double
them. Only where it is a beat away or more is it set. Who stops it by hand has it stopped until the
outside starts again.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from puddle.engine import layout
from puddle.midi.engine_time import Runs

_MAKES_UP_BEATS = 0.5
_MOST_BEND = 0.1
_SET_BEATS = 1.0
_LEAST_BPM, _MOST_BPM = 20.0, 300.0
_SETTLES_S = 0.15  # after the engine was started or set it is not looked at for so long

Push = Callable[[int, float], bool]  # kind of command, value


class Beat(msgspec.Struct, frozen=True):
    """Where the outside is."""

    running: bool
    beat: float = 0.0  # now
    bpm: float = 120.0


class Follower:
    """Tells the engine what to do so that what is heard goes with a beat."""

    def __init__(self, push: Push) -> None:
        self._push = push
        self._set_at = -1e9
        self._ran = False  # the outside, when it was looked at last
        self.off_ms = 0.0  # how late the groove is

    def follow(self, outside: Beat, runs: Runs) -> None:
        """One look at both."""
        if not outside.running:
            if self._ran and runs.playing:
                self._push(layout.STOP, 0.0)
            self._ran = False
            return
        bpm = min(_MOST_BPM, max(_LEAST_BPM, outside.bpm))
        if not self._ran:
            self._ran = True
            self._set(outside, bpm, runs)
        elif runs.playing and runs.at_s - self._set_at > _SETTLES_S:
            behind = outside.beat - runs.beat
            self.off_ms = behind * 60000.0 / bpm
            if abs(behind) >= _SET_BEATS:
                self._set(outside, bpm, runs)
            else:
                bend = min(_MOST_BEND, max(-_MOST_BEND, behind / _MAKES_UP_BEATS))
                self._push(layout.PACE, bpm * (1.0 + bend))

    def _set(self, outside: Beat, bpm: float, runs: Runs) -> None:
        self._push(layout.PACE, bpm)
        self._push(layout.PLAY, outside.beat + runs.ahead_s * bpm / 60.0)
        self._set_at = runs.at_s
