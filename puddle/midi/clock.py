"""A MIDI clock that comes in: its tempo, and which beat it is at, out of ticks that jitter.

24 ticks make a quarter (MIDI 1.0, system real time). A straight line through the latest ticks, by
least squares, is the clock: of n ticks with a jitter of s seconds its slope errs by
s sqrt(12 / n^3) a tick, its end by 2 s / sqrt(n). It leans on the last ten beats, and on fewer as
soon as the ticks leave it to one side: then the tempo has changed.
"""

from __future__ import annotations

from collections import deque

import numpy as np

TICKS = 24  # of a quarter
LOCKED = 2 * TICKS
_MOST = 10 * TICKS
_LEAST = 6
_LATEST = 8  # ticks that tell whether the tempo has changed
_ASIDE_S = 0.005  # by which their mean leaves the line then: with 3 ms of jitter it errs by 1.1
_GAP_S = 0.5  # between two ticks: the clock stood still


class ClockFollower:
    """Fed with ticks; tells tempo and beat. Times are seconds of one monotonic clock."""

    def __init__(self, bpm: float = 120.0) -> None:
        self._bpm = bpm  # until the ticks tell
        self._ticks: deque[tuple[int, float]] = deque(maxlen=_MOST)
        self._next = 0
        self._line: tuple[float, float] | None = None  # beats at time 0 of _zero, per second
        self._zero = 0.0

    @property
    def bpm(self) -> float:
        """The clock's tempo."""
        return 60.0 * self._line[1] if self._line is not None else self._bpm

    @property
    def locked(self) -> bool:
        """Whether two beats have told the tempo."""
        return len(self._ticks) >= LOCKED

    def place(self, beat: float) -> None:
        """The next tick is that of a beat: a start, or a song position."""
        shift = round(beat * TICKS) - self._next
        self._next += shift
        self._ticks = deque(((n + shift, at) for n, at in self._ticks), maxlen=_MOST)
        self._fit()

    def tick(self, at_s: float) -> None:
        """A tick came."""
        if self._ticks and at_s - self._ticks[-1][1] > _GAP_S:
            self._bpm = self.bpm
            self._ticks.clear()
        self._ticks.append((self._next, at_s))
        self._next += 1
        self._fit()
        if self._has_changed():
            while len(self._ticks) > _LATEST:
                self._ticks.popleft()
            self._fit()

    def beat_at(self, at_s: float) -> float:
        """The beat that falls at a time."""
        if self._line is not None:
            return self._line[0] + self._line[1] * (at_s - self._zero)
        if not self._ticks:
            return self._next / TICKS
        number, last = self._ticks[-1]
        return number / TICKS + (at_s - last) * self._bpm / 60.0

    def _fit(self) -> None:
        """The line through the ticks; of few of them at the tempo that was known before."""
        if len(self._ticks) < _LEAST:
            self._line = None
            return
        numbers, times = (np.array(column, float) for column in zip(*self._ticks, strict=True))
        self._zero = float(times[-1])
        x = times - self._zero
        spread = x - x.mean()
        slope = float(spread @ (numbers - numbers.mean()) / (spread @ spread)) / TICKS
        self._line = float(numbers.mean()) / TICKS - slope * float(x.mean()), slope

    def _has_changed(self) -> bool:
        if self._line is None or len(self._ticks) < 2 * _LATEST:
            return False
        latest = list(self._ticks)[-_LATEST:]
        away = [at - self._time_of(number) for number, at in latest]
        return abs(sum(away) / _LATEST) > _ASIDE_S

    def _time_of(self, number: int) -> float:
        assert self._line is not None
        return self._zero + (number / TICKS - self._line[0]) / self._line[1]
