"""Which frame of a sound card is heard at a moment of the wall clock.

A card asks for a block at a time, so the engine's count of frames jumps: seen at any moment it
is up to a block ahead. Of many sightings the one that lies furthest ahead was made right after the
card had asked, when the first frame of its block was due.
"""

from __future__ import annotations

from collections import deque

_KEPT = 400  # sightings; of some seconds, in which two clocks do not drift apart


class HeardClock:
    """Fed with sightings of the engine's count of frames."""

    def __init__(self) -> None:
        self._ahead: deque[float] = deque(maxlen=_KEPT)
        self._rate_hz = 0.0

    def see(self, now_s: float, clock: int, rate_hz: float) -> None:
        """Notes how many frames the engine has made at a moment."""
        if rate_hz != self._rate_hz:
            self._ahead.clear()
            self._rate_hz = rate_hz
        ahead = clock - rate_hz * now_s
        if self._ahead and abs(ahead - self._ahead[-1]) > 0.2 * rate_hz:
            self._ahead.clear()  # the card was stopped, or another one was opened
        self._ahead.append(ahead)

    def frame_at(self, moment_s: float, block: int, latency_frames: float) -> float:
        """The frame that is heard then, of those that were delivered; 0 before any sighting."""
        if not self._ahead:
            return 0.0
        return self._rate_hz * moment_s + max(self._ahead) - block - latency_frames
