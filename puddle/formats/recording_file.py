"""Long recordings, read from disk part by part: never held whole in memory.

Up to two hours, mono or stereo; files of more channels are mixed down to one. What a file's header
claims is checked against what can be read: a recording that was cut off, or that is still being
written, is as long as what is there.
"""

from __future__ import annotations

import os
import threading
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from puddle.errors import FileError, SoundFileError
from puddle.files import open_regular, shown
from puddle.formats.sound import HIGHEST_RATE, LOWEST_RATE, reason_of

MOST_HOURS = 2.0
MOST_CHANNELS = 64
_MOST_BYTES = 64 << 30


class RecordingFile:
    """A sound file that is open to be read anywhere; any thread may read."""

    def __init__(self, path: str | os.PathLike[str]) -> None:
        """Raises SoundFileError with one sentence naming the file."""
        import soundfile

        self.path = Path(path)
        self.name = shown(path)
        self._lock = threading.Lock()
        self._file = self._opened()
        try:
            self._sound: Any = soundfile.SoundFile(self._file)
        except (soundfile.LibsndfileError, RuntimeError, ValueError) as error:
            self._file.close()
            raise SoundFileError(
                f"{self.name} is not a sound file that can be read ({reason_of(error)})."
            ) from None
        try:
            self._check()
        except SoundFileError:
            self.close()
            raise
        self.rate_hz = float(self._sound.samplerate)
        self.file_channels = int(self._sound.channels)
        self.frames = int(self._sound.frames)

    def _opened(self) -> BinaryIO:
        try:
            return open_regular(self.path, _MOST_BYTES)
        except FileError as error:
            raise SoundFileError(str(error)) from None

    def _check(self) -> None:
        sound = self._sound
        if not LOWEST_RATE <= sound.samplerate <= HIGHEST_RATE:
            raise SoundFileError(
                f"{self.name} claims a rate of {sound.samplerate} Hz; "
                f"{LOWEST_RATE} to {HIGHEST_RATE} Hz can be read."
            )
        if sound.channels > MOST_CHANNELS:
            raise SoundFileError(f"{self.name} claims {sound.channels} channels.")
        if sound.frames > MOST_HOURS * 3600.0 * sound.samplerate:
            raise SoundFileError(f"{self.name} is longer than {MOST_HOURS:.0f} hours.")
        if sound.frames <= 0:
            raise SoundFileError(f"{self.name} holds no sound.")

    @property
    def channels(self) -> int:
        """How many channels are read: 1, or 2 of a file that has two."""
        return 2 if self.file_channels == 2 else 1

    @property
    def seconds(self) -> float:
        """How long it is."""
        return self.frames / self.rate_hz

    def read(self, start: int, count: int) -> np.ndarray:
        """Frames from a place on: float32 (count, channels), or fewer where the file ends.

        What is no number is silence. Raises SoundFileError where the file has gone.
        """
        import soundfile

        start, end = max(0, start), min(self.frames, start + count)
        if end <= start:
            return np.zeros((0, self.channels), np.float32)
        try:
            with self._lock:
                self._sound.seek(start)
                audio = self._sound.read(end - start, dtype="float32", always_2d=True)
        except (soundfile.LibsndfileError, RuntimeError, ValueError, OSError) as error:
            raise SoundFileError(
                f"{self.name} can no longer be read ({reason_of(error)})."
            ) from None
        return self._mixed(audio)

    def _mixed(self, audio: np.ndarray) -> np.ndarray:
        if self.file_channels > 2:
            audio = audio.mean(axis=1, keepdims=True, dtype=np.float64).astype(np.float32)
        # The sum is no number where any of them is none: one pass over what is nearly always well.
        if not np.isfinite(audio.sum(dtype=np.float64)):
            audio = np.nan_to_num(audio, nan=0.0, posinf=0.0, neginf=0.0)
        return audio

    def again(self) -> RecordingFile:
        """The same file, opened once more, to be read beside. Raises SoundFileError."""
        return RecordingFile(self.path)

    def close(self) -> None:
        """Lets the file go."""
        with self._lock:
            self._sound.close()
            self._file.close()

    def __enter__(self) -> RecordingFile:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()
