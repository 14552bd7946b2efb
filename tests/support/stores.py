"""Folders and stores of samples that go when a test ends."""

from __future__ import annotations

import contextlib
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from puddle.formats.store import SampleStore
from puddle.render.samples import Decoded
from tests.support.sounds import RATE


@contextlib.contextmanager
def new_folder() -> Iterator[Path]:
    """A folder of its own."""
    with tempfile.TemporaryDirectory() as folder:
        yield Path(folder)


@contextlib.contextmanager
def new_store() -> Iterator[SampleStore]:
    """A store in a folder of its own."""
    with new_folder() as folder:
        yield SampleStore(folder)


class OneSample:
    """A store that holds one recording, under the name "a"."""

    def __init__(self, audio: np.ndarray, rate_hz: float = RATE) -> None:
        self.audio, self.rate_hz = audio, rate_hz

    def decoded(self, content: str) -> Decoded | None:
        return Decoded(self.audio, self.rate_hz) if content == "a" else None
