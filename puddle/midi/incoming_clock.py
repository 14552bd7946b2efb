"""Clock, start, stop and position of a controller or another program, as a beat to follow."""

from __future__ import annotations

from puddle.midi.clock import ClockFollower
from puddle.midi.following import Beat
from puddle.midi.messages import CLOCK, CONTINUE, START, STOP, song_position


class IncomingClock:
    """Fed with messages of one port."""

    def __init__(self, bpm: float = 120.0) -> None:
        self._ticks = ClockFollower(bpm)
        self._running = False
        self._position = 0.0  # from which *continue* goes on

    @property
    def locked(self) -> bool:
        """Whether two beats have told the tempo."""
        return self._ticks.locked

    def take(self, message: bytes, at_s: float) -> bool:
        """Takes a message in; whether it is one of time."""
        position = song_position(message)
        if position is not None:
            self._position = position
            if self._running:
                self._ticks.place(position)
            return True
        kind = message[0] if len(message) == 1 else 0
        if kind == CLOCK:
            self._ticks.tick(at_s)
        elif kind == START:
            self._position, self._running = 0.0, True
            self._ticks.place(0.0)
        elif kind == CONTINUE:
            self._running = True
            self._ticks.place(self._position)
        elif kind == STOP:
            self._position, self._running = max(0.0, self._ticks.beat_at(at_s)), False
        return kind in (CLOCK, START, CONTINUE, STOP)

    def beat(self, now_s: float) -> Beat:
        """Where it is now."""
        return Beat(self._running, self._ticks.beat_at(now_s), self._ticks.bpm)
