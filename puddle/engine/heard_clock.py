"""Which frame of a sound card is heard at a moment of the wall clock.

A card asks for a block at a time, so the engine's count of frames jumps: seen at any moment it
is up to a block ahead. Of many sightings the one that lies furthest ahead was made right after the
card had asked, when the first frame of its block was due.
"""

from __future__ import annotations

from collections import deque

_KEPT = 400  # sightings; of some seconds, in which two clocks do not drift apart
_GONE, _GONE_S = 12, 0.3  # sightings; a card that is only late catches up sooner


class HeardClock:
    """Fed with sightings of the engine's count of frames.

    A card that runs dry (an xrun) asks a block or more later from then on. Its sightings lie behind
    the furthest behind of all that are kept: a dozen of such in a row, over longer than a card's
    buffer lasts, replace what was kept.
    """

    def __init__(self) -> None:
        self._ahead: deque[float] = deque(maxlen=_KEPT)
        self._least = self._most = 0.0  # of them
        self._behind: list[float] = []  # the newest ones, while they lie behind all in _ahead
        self._behind_since = 0.0
        self._last = 0.0
        self._rate_hz = 0.0

    def see(self, now_s: float, clock: int, rate_hz: float) -> None:
        """Notes that the engine had made so many frames by a moment.

        The caller reads the count before the time. The other way round, a thread that is suspended
        between the two would see a card that is too far ahead.
        """
        ahead = clock - rate_hz * now_s
        if rate_hz != self._rate_hz or abs(ahead - self._last) > 0.2 * rate_hz:
            self._ahead.clear()  # the card was stopped, or another one was opened
            self._behind.clear()
        self._rate_hz, self._last = rate_hz, ahead
        if not self._ahead or ahead >= self._least:
            self._keep_behind()
            self._keep(ahead)
            return
        if not self._behind:
            self._behind_since = now_s
        self._behind.append(ahead)
        if len(self._behind) >= _GONE and now_s - self._behind_since >= _GONE_S:
            self._ahead.clear()
            self._keep_behind()

    def _keep_behind(self) -> None:
        for ahead in self._behind:
            self._keep(ahead)
        self._behind.clear()

    def _keep(self, ahead: float) -> None:
        full = len(self._ahead) == _KEPT
        first = self._ahead[0] if self._ahead else ahead
        self._ahead.append(ahead)
        if len(self._ahead) == 1 or (full and first in (self._least, self._most)):
            self._least, self._most = min(self._ahead), max(self._ahead)
        else:
            self._least, self._most = min(self._least, ahead), max(self._most, ahead)

    def frame_at(self, moment_s: float, block: int, latency_frames: float) -> float:
        """The frame that is heard then, of those that were delivered; 0 before any sighting."""
        if not self._ahead:
            return 0.0
        return self._rate_hz * moment_s + self._most - block - latency_frames
