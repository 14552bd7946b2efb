"""What a person says of sounds: keep, reject, tags, the role. Kept by the hash of the content.

A file of its own, one JSON object a line, only ever added to: a damaged line costs one mark, and
two Puddles may add at once. When it has grown long it is written anew, with one line for each
sound.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
from pathlib import Path
from typing import Literal

import msgspec

from puddle.errors import FileError
from puddle.files import read_regular, shown, write_aside
from puddle.kit.model.roles import Role

Judged = Literal["", "kept", "rejected"]
_MOST_BYTES = 256 << 20
_LONG = 4  # lines for each sound, before the file is written anew
_MOST_TAGS = 32


class Mark(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What is said of one sound."""

    hash: str
    judged: Judged = ""
    tags: tuple[str, ...] = ()
    role: Role | None = None  # where what was heard or told is wrong


class Marks:
    """The marks in a file."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._marks: dict[str, Mark] = {}
        lines = self._read()
        if lines > 256 and lines > _LONG * len(self._marks):
            self._write_anew()

    def _read(self) -> int:
        """Reads the file; a line that cannot be read is passed over. Returns how many there are."""
        try:
            lines = read_regular(self.path, _MOST_BYTES).splitlines()
        except FileError:
            return 0
        decoder = msgspec.json.Decoder(Mark)
        for line in lines:
            with contextlib.suppress(msgspec.MsgspecError, ValueError):
                mark = decoder.decode(line)
                self._marks[mark.hash] = mark
        return len(lines)

    def _write_anew(self) -> None:
        with contextlib.suppress(FileError):
            write_aside(self.path, b"".join(_line(mark) for mark in self._marks.values()))

    def of(self, content: str) -> Mark:
        """What is said of a content; nothing, if nothing was."""
        return self._marks.get(content) or Mark(content)

    def every(self) -> tuple[Mark, ...]:
        """All that say something."""
        return tuple(m for m in self._marks.values() if m != Mark(m.hash))

    def set(self, marks: list[Mark]) -> list[Mark]:
        """Sets marks, and returns what they were before. Raises FileError."""
        before = [self.of(mark.hash) for mark in marks]
        changed = [mark for mark, was in zip(marks, before, strict=True) if mark != was]
        if changed:
            self._add(b"".join(_line(mark) for mark in changed))
            self._marks |= {mark.hash: mark for mark in changed}
        return before

    def _add(self, data: bytes) -> None:
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            handle = os.open(self.path, os.O_RDWR | os.O_APPEND | os.O_CREAT | os.O_CLOEXEC, 0o600)
            try:
                fcntl.flock(handle, fcntl.LOCK_EX)
                size = os.fstat(handle).st_size
                if size and os.pread(handle, 1, size - 1) != b"\n":
                    data = b"\n" + data  # a line that a full disk cut off
                _write_all(handle, data, size)
            finally:
                os.close(handle)
        except OSError as error:
            raise FileError(f"{shown(self.path)} cannot be written: {error.strerror}.") from None


def _write_all(handle: int, data: bytes, size: int) -> None:
    """Writes all of it, or leaves the file as long as it was."""
    try:
        if os.write(handle, data) != len(data):
            raise OSError(28, os.strerror(28))
        os.fsync(handle)
    except OSError:
        os.ftruncate(handle, size)
        raise


def _line(mark: Mark) -> bytes:
    return msgspec.json.encode(mark) + b"\n"


def tagged(mark: Mark, tag: str, on: bool) -> Mark:
    """A mark with a tag more, or without it."""
    tags = tuple(t for t in mark.tags if t != tag)
    if on:
        tags = (*tags, tag)[-_MOST_TAGS:]
    return msgspec.structs.replace(mark, tags=tags)
