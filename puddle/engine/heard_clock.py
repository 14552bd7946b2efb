"""Which frame of a sound card is heard at a moment of the wall clock.

A card asks for a block at a time, so the engine's count of frames jumps: seen at any moment it
is up to a block ahead. Of many sightings the one that lies furthest ahead was made right after the
card had asked, when the first frame of its block was due.
"""

from __future__ import annotations

from collections import deque

_KEPT = 400  # sightings; of some seconds, in which two clocks do not drift apart
_GONE, _GONE_S = 12, 0.3  # sightings in a row that lie behind all before: what is late catches up


class HeardClock:
    """Fed with sightings of the engine's count of frames.

    Where a card runs dry it asks later from then on, by a block or more. So sightings that lie
    behind even the last of those before tell of frames that were never heard: a dozen of them in a
    row, over longer than a card's buffer, take the place of all others.
    """

    def __init__(self) -> None:
        self._ahead: deque[float] = deque(maxlen=_KEPT)
        self._behind: list[float] = []  # the last ones, as far as they lie behind all others
        self._behind_since = 0.0
        self._last = 0.0
        self._rate_hz = 0.0

    def see(self, now_s: float, clock: int, rate_hz: float) -> None:
        """Notes how many frames the engine has made at a moment: the count is read first.

        Else a thread that is put aside in between has seen a card that is too far ahead.
        """
        ahead = clock - rate_hz * now_s
        if rate_hz != self._rate_hz or abs(ahead - self._last) > 0.2 * rate_hz:
            self._ahead.clear()  # the card was stopped, or another one was opened
            self._behind.clear()
        self._rate_hz, self._last = rate_hz, ahead
        if not self._ahead or ahead >= min(self._ahead):
            self._ahead.extend(self._behind)
            self._ahead.append(ahead)
            self._behind.clear()
            return
        if not self._behind:
            self._behind_since = now_s
        self._behind.append(ahead)
        if len(self._behind) >= _GONE and now_s - self._behind_since >= _GONE_S:
            self._ahead.clear()
            self._ahead.extend(self._behind)
            self._behind.clear()

    def frame_at(self, moment_s: float, block: int, latency_frames: float) -> float:
        """The frame that is heard then, of those that were delivered; 0 before any sighting."""
        if not self._ahead:
            return 0.0
        return self._rate_hz * moment_s + max(self._ahead) - block - latency_frames
