"""Copies of WAV files with cue points: frames with names, as other programs show them.

The chunks are those of Microsoft's *Multimedia Programming Interface and Data Specifications 1.0*
(1991): `cue ` with a point for each frame, and a `LIST` of the type `adtl` with their labels.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import BinaryIO

import msgspec

from puddle.errors import FileError
from puddle.files import open_regular, shown, write_aside
from puddle.tasks import check_cancelled

_MOST_BYTES = 4 << 30  # a RIFF file counts its bytes in 32 bits
_PART = 1 << 20
_POINT = 24  # bytes of a cue point
_MOST_POINTS = 10_000


class _Chunk(msgspec.Struct, frozen=True):
    name: bytes
    start: int  # of what it holds
    size: int


def write_with_cues(source: Path, path: Path, points: Sequence[tuple[int, str]]) -> None:
    """A copy of a WAV file with cue points instead of those it had: frames and their labels.

    A file that was cut off is copied as far as it goes. Raises FileError.
    """
    name = shown(source)
    with open_regular(source, _MOST_BYTES) as file:
        try:
            kept = list(_chunks(file))
        except OSError as error:
            raise FileError(f"{name} cannot be read: {error.strerror}.") from None
        if not any(chunk.name == b"data" for chunk in kept):
            raise FileError(f"{name} is no WAV file: only such a file takes cue points.")
        cues = _cue_chunks(sorted(points))
        size = 4 + sum(8 + chunk.size + chunk.size % 2 for chunk in kept) + len(cues)
        if size >= 1 << 32:
            raise FileError(f"{name} is too large for cue points.")
        head = b"RIFF" + struct.pack("<I", size) + b"WAVE"

        def parts() -> Iterator[bytes]:
            yield head
            for chunk in kept:
                yield from _copied(file, chunk)
            yield cues

        write_aside(path, parts())


def read_cues(path: Path) -> list[int]:
    """The frames of a WAV file's cue points, rising; none of another file. Raises FileError."""
    with open_regular(path, _MOST_BYTES) as file:
        try:
            body = _cue_chunk(file)
        except OSError as error:
            raise FileError(f"{shown(path)} cannot be read: {error.strerror}.") from None
    if len(body) < 4:
        return []
    count = min(struct.unpack("<I", body[:4])[0], (len(body) - 4) // _POINT)
    ends = [4 + _POINT * (n + 1) for n in range(count)]
    return sorted({struct.unpack("<I", body[end - 4 : end])[0] for end in ends})


def _cue_chunk(file: BinaryIO) -> bytes:
    """What the first `cue ` chunk of a WAV file holds; nothing where there is none."""
    end = os.fstat(file.fileno()).st_size
    head = file.read(12)
    at = 12 if head[:4] == b"RIFF" and head[8:] == b"WAVE" else end
    while at + 8 <= end:
        file.seek(at)
        name, size = struct.unpack("<4sI", file.read(8))
        if name == b"cue ":
            return file.read(min(size, 4 + _POINT * _MOST_POINTS))
        at += 8 + size + size % 2
    return b""


def _chunks(file: BinaryIO) -> Iterator[_Chunk]:
    """The chunks of a WAV file, without those of cue points; none of another file."""
    end = os.fstat(file.fileno()).st_size
    head = file.read(12)
    if head[:4] != b"RIFF" or head[8:] != b"WAVE":
        return
    at = 12
    while at + 8 <= end:
        file.seek(at)
        name, told = struct.unpack("<4sI", file.read(8))
        size = min(told, end - at - 8)
        labels = name == b"LIST" and file.read(4) == b"adtl"
        if name != b"cue " and not labels:
            yield _Chunk(name, at + 8, size)
        at += 8 + size + size % 2


def _copied(file: BinaryIO, chunk: _Chunk) -> Iterator[bytes]:
    yield struct.pack("<4sI", chunk.name, chunk.size)
    file.seek(chunk.start)
    left = chunk.size
    while left > 0:
        check_cancelled()
        part = file.read(min(_PART, left))
        if not part:
            raise FileError("It became shorter while it was read.")
        left -= len(part)
        yield part
    yield b"\0" * (chunk.size % 2)


def _cue_chunks(points: Sequence[tuple[int, str]]) -> bytes:
    table = b"".join(
        struct.pack("<II4sIII", n + 1, at, b"data", 0, 0, at) for n, (at, _) in enumerate(points)
    )
    told = b"adtl"
    for n, (_, text) in enumerate(points):
        data = struct.pack("<I", n + 1) + text.encode("utf-8") + b"\0"
        told += b"labl" + struct.pack("<I", len(data)) + data + b"\0" * (len(data) % 2)
    cues = b"cue " + struct.pack("<II", len(table) + 4, len(points)) + table
    return cues + b"LIST" + struct.pack("<I", len(told)) + told
