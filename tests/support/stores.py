"""Folders and stores of samples that go when a test ends."""

from __future__ import annotations

import contextlib
import tempfile
from collections.abc import Iterator
from pathlib import Path

from puddle.formats.store import SampleStore


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
