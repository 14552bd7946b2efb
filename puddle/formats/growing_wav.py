"""A WAV file that is whole at any moment while it is written: a crash or a full disk loses no more
than the last moments.
"""

from __future__ import annotations

import os
import time
import wave
from pathlib import Path

import numpy as np

from puddle.errors import FileError
from puddle.files import shown
from puddle.formats.sound import quantized

_SYNC_S = 0.5
MOST_BYTES = (1 << 32) - (1 << 20)  # a RIFF file counts its bytes in 32 bits


class GrowingWav:
    """24 bits; its header says after each block how much there is."""

    def __init__(self, path: Path, rate_hz: float, channels: int) -> None:
        """Raises FileError; a file that is there already is never written over."""
        self.path, self.channels = path, channels
        self.frames = 0
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._file = path.open("xb")
        except OSError as error:
            raise FileError(f"{shown(path)} cannot be written: {error.strerror}.") from None
        self._wave = wave.Wave_write(self._file)
        self._wave.setnchannels(channels)
        self._wave.setsampwidth(3)
        self._wave.setframerate(round(rate_hz))
        self._synced = time.monotonic()

    def write(self, audio: np.ndarray) -> None:
        """Float32 (frames, channels) more. Raises FileError on a full disk or a full file."""
        if (self.frames + audio.shape[0]) * 3 * self.channels > MOST_BYTES:
            raise FileError(f"{shown(self.path)} is full: a WAV file holds 4 GiB at most.")
        whole = np.ascontiguousarray(quantized(audio, "24")).view(np.uint8)
        try:
            # Of each int32 the upper three bytes are the sample, little end first.
            self._wave.writeframes(whole.reshape(-1, 4)[:, 1:].tobytes())
            self._file.flush()
            if time.monotonic() - self._synced > _SYNC_S:
                self._synced = time.monotonic()
                os.fsync(self._file.fileno())
        except OSError as error:
            raise FileError(f"{shown(self.path)} cannot be written: {error.strerror}.") from None
        self.frames += audio.shape[0]

    def close(self) -> None:
        """Ends the file; one that holds nothing is removed."""
        try:
            self._wave.close()
            self._file.flush()
            os.fsync(self._file.fileno())
        except OSError:
            pass  # what was written before is there, and its header says so
        finally:
            self._file.close()
        if self.frames == 0:
            self.path.unlink(missing_ok=True)
