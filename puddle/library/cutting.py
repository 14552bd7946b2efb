"""A long recording looked at once, on two cores: its outline, its levels, and what may be hits.

It is read part by part, each with a margin around it and on its own, so that the result is the same
whichever core comes first, and memory holds two parts at a time.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from queue import SimpleQueue

import msgspec
import numpy as np

from puddle.errors import SoundFileError
from puddle.formats.recording_file import RecordingFile
from puddle.measure.envelope import mono_of
from puddle.measure.hits import Noted
from puddle.measure.onsets import (
    OUTLINE_FRAMES,
    Risen,
    all_of,
    hop_of,
    margin,
    part_edges,
    risen_in,
)
from puddle.tasks import check_cancelled, in_parallel

_CORES = 2
_ASKED_S = 0.05  # how often it is asked whether the look is still wanted
_FIRST = 4  # frames: what is loud in them began before
_FIRST_COLUMNS, _FIRST_FRAMES = 1200, 1024  # of the first look, and what each is read of


class Outline(msgspec.Struct, frozen=True, eq=False):
    """The lowest and highest value of each `size` frames: float32 (columns,) each."""

    size: float
    lows: np.ndarray
    highs: np.ndarray


class _Part(msgspec.Struct, frozen=True, eq=False):
    risen: Risen
    levels: np.ndarray
    clipped: np.ndarray
    lows: np.ndarray
    highs: np.ndarray


def first_look(file: RecordingFile, columns: int = _FIRST_COLUMNS) -> Outline:
    """An outline within a second, whatever the length: of a few frames from each column."""
    size = max(1.0, file.frames / columns)
    count = int(np.ceil(file.frames / size))
    lows, highs = np.zeros((2, count), np.float32)
    for n in range(count):
        check_cancelled()
        part = file.read(round(n * size), min(_FIRST_FRAMES, max(1, round(size))))
        if part.shape[0]:
            lows[n], highs[n] = part.min(), part.max()
    return Outline(size, lows, highs)


def looked_at(
    file: RecordingFile, tell: Callable[[float], None] = lambda share: None
) -> tuple[Noted, Outline]:
    """What is noted of a recording, and its outline. Raises SoundFileError where it goes away.

    A file that ends before it said so is as long as what could be read. `tell` is told the share
    that is done, 0 to 1.
    """
    edges = part_edges(file.frames, file.rate_hz)
    files = [file, *(file.again() for _ in range(min(_CORES, len(edges)) - 1))]
    try:
        parts = list(_in_order(files, edges, tell))
    finally:
        for other in files[1:]:
            other.close()
    frames = sum(part.levels.size for part in parts)
    if not frames:
        raise SoundFileError(f"{file.name} holds no sound that can be read.")
    levels = np.concatenate([part.levels for part in parts])
    outline = Outline(
        OUTLINE_FRAMES,
        np.concatenate([part.lows for part in parts]),
        np.concatenate([part.highs for part in parts]),
    )
    clipped = np.concatenate([part.clipped for part in parts])
    risen = all_of([part.risen for part in parts])
    hop = hop_of(file.rate_hz)
    end = min(file.frames, levels.size * hop)
    first = float(np.abs(file.read(0, _FIRST)).max(initial=0.0))
    return Noted(file.rate_hz, end, hop, risen, levels, clipped, first), outline


def _in_order(
    files: list[RecordingFile], edges: list[tuple[int, int]], tell: Callable[[float], None]
) -> Iterator[_Part]:
    """The parts as they follow one another; each file is read by one thread at a time."""
    free: SimpleQueue[RecordingFile] = SimpleQueue()
    for file in files:
        free.put(file)

    def look(edge: tuple[int, int]) -> _Part:
        own = free.get()
        try:
            return _part(own, *edge)
        finally:
            free.put(own)

    for n, part in enumerate(in_parallel(look, edges, len(files), "puddle-cutting")):
        yield part
        tell((n + 1) / len(edges))


def _part(file: RecordingFile, start: int, end: int) -> _Part:
    from puddle.kernels.hit_ends import level_by_ms, outline_of

    around = margin(file.rate_hz)
    first = max(0, start - around)
    audio = file.read(first, end + around - first)
    inside = audio[start - first : end - first]
    hop = hop_of(file.rate_hz)
    levels = np.zeros(-(-inside.shape[0] // hop), np.float32)
    clipped = np.zeros(levels.size, np.uint8)
    lows, highs = np.zeros((2, -(-inside.shape[0] // OUTLINE_FRAMES)), np.float32)
    if inside.shape[0]:
        level_by_ms(audio[: end - first], start - first, hop, levels, clipped)
        outline_of(inside, OUTLINE_FRAMES, lows, highs)
    mono = mono_of(audio).astype(np.float32)
    risen = risen_in(mono, file.rate_hz, first, (start, end))
    return _Part(risen, levels, clipped, lows, highs)
