"""Records an input to disk as it comes: waits for the first sound over a threshold, if one is set.

What comes is put into a queue by the input's thread and written by one of the recorder's own, so
that a slow disk holds up nothing. A full disk, or an input that goes away, ends the recording; what
was written until then is there.
"""

from __future__ import annotations

import queue
import threading
from collections import deque
from copy import copy
from pathlib import Path

import msgspec
import numpy as np

from puddle.engine.inputs import InputInfo, open_input
from puddle.errors import PuddleError
from puddle.formats.growing_wav import GrowingWav
from puddle.units import gain_from_db

MOST_S = 2 * 3600.0
_BEFORE_S = 0.25  # that is kept of what came before the threshold was passed
_CLIPPED = 0.999


class Recorded(msgspec.Struct):
    """How a recording stands, for the eye."""

    seconds: float = 0.0
    waiting: bool = False  # for a sound over the threshold
    peaks: tuple[float, float] = (0.0, 0.0)  # since they were last asked for
    clipped: int = 0  # blocks that came to full scale
    ended: str = ""  # why it ended by itself


class Recorder:
    """One recording, from when it is made until it is stopped."""

    def __init__(
        self, info: InputInfo, rate_hz: float, path: Path | None, threshold_db: float | None
    ) -> None:
        """Without a path it only listens. Raises DeviceError and FileError."""
        self.path, self._rate = path, rate_hz
        self._threshold = None if threshold_db is None else gain_from_db(threshold_db)
        self._queue: queue.SimpleQueue[np.ndarray | None] = queue.SimpleQueue()
        self._before: deque[np.ndarray] = deque()
        self._lock = threading.Lock()
        self._state = Recorded(waiting=threshold_db is not None)
        self._file: GrowingWav | None = None
        channels = min(2, info.channels)
        if path is not None:
            self._file = GrowingWav(path, rate_hz, channels)
        self._thread = threading.Thread(target=self._run, name="puddle-recorder", daemon=True)
        self._thread.start()
        try:
            self._input = open_input(info, rate_hz, self._queue.put, self._end)
        except PuddleError:
            self._queue.put(None)
            self._thread.join()
            if self._file is not None:
                self._file.close()
            raise

    def state(self) -> Recorded:
        """How it stands; the peaks are those since the last call."""
        with self._lock:
            found = copy(self._state)
            self._state.peaks = (0.0, 0.0)
        return found

    def _end(self, why: str) -> None:
        with self._lock:
            self._state.ended = self._state.ended or why

    def _run(self) -> None:
        while (block := self._queue.get()) is not None:
            peaks = np.abs(block).max(axis=0, initial=0.0)
            left, right = float(peaks[0]), float(peaks[-1])
            with self._lock:
                old = self._state.peaks
                self._state.peaks = max(old[0], left), max(old[1], right)
                self._state.clipped += int(max(left, right) >= _CLIPPED)
                ended = bool(self._state.ended)
            if self._file is not None and not ended:
                self._keep(block, max(left, right))

    def _keep(self, block: np.ndarray, peak: float) -> None:
        assert self._file is not None
        if self._state.waiting:
            self._before.append(block)
            while sum(b.shape[0] for b in self._before) > _BEFORE_S * self._rate + block.shape[0]:
                self._before.popleft()
            if peak < (self._threshold or 0.0):
                return
            block = np.concatenate(list(self._before))
            self._before.clear()
            with self._lock:
                self._state.waiting = False
        try:
            self._file.write(block)
        except PuddleError as error:
            self._end(str(error))
            return
        with self._lock:
            self._state.seconds = self._file.frames / self._rate
        if self._state.seconds >= MOST_S:
            self._end("Two hours are recorded: that is the most of one recording.")

    def stop(self) -> Path | None:
        """Ends it; the file, if there is anything in it."""
        self._input.close()
        self._queue.put(None)
        self._thread.join()
        if self._file is None:
            return None
        self._file.close()
        return self.path if self._file.frames else None
