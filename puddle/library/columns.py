"""The figures that a sieve looks at, by entry: arrays in memory, kept in a flat file beside the
index.

Row n belongs to the entry with the id n. The file only repeats what the index holds: its header
tells the revision of the index that it was written at, and where that is another one it is made
anew. Likeness rows are mapped, not read.
"""

from __future__ import annotations

import contextlib
import math
import os
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from puddle.kit.model.roles import ROLES
from puddle.measure.likeness import WIDTH

FIGURES = (
    "length_ms",
    "brightness_hz",
    "pitch_hz",
    "loudness_lufs",
    "attack_ms",
    "decay_ms",
    "noisiness",
    "bpm",
)
ROLE_NAMES = tuple(ROLES)
# Bits of `flags`.
THERE, LOOP, SYNTHESIZED, USED, KEPT, REJECTED, DOUBLE = (1 << n for n in range(7))
_MARKED = USED | KEPT | REJECTED | DOUBLE  # not by the index
_HEADER = 64
_MAGIC = b"PUDDLIB1"
_FEWEST = 256


class Columns:
    """Figures and likeness rows of all entries. One thread at a time may change them."""

    def __init__(self, count: int = 0) -> None:
        self.count = count  # rows in use, with that of the id 0, which nothing has
        room = max(_FEWEST, count)
        self._figures = np.full((len(FIGURES), room), np.nan, np.float32)
        self._folders = np.zeros(room, np.uint32)
        self._flags = np.zeros(room, np.uint8)
        self._roles = np.zeros(room, np.uint8)
        self._sure = np.zeros(room, np.uint16)
        self._likeness = np.zeros((room, WIDTH), np.float32)

    @property
    def figures(self) -> np.ndarray:
        """float32 (FIGURES, count), a row for each figure; NaN where there is none."""
        return self._figures[:, : self.count]

    @property
    def folders(self) -> np.ndarray:
        """uint32 (count,): the id of the folder that an entry lies in."""
        return self._folders[: self.count]

    @property
    def flags(self) -> np.ndarray:
        """uint8 (count,): bits."""
        return self._flags[: self.count]

    @property
    def roles(self) -> np.ndarray:
        """uint8 (count,): places in ROLE_NAMES."""
        return self._roles[: self.count]

    @property
    def sure(self) -> np.ndarray:
        """uint16 (count,): how sure the role is, in thousandths."""
        return self._sure[: self.count]

    @property
    def likeness(self) -> np.ndarray:
        """float32 (count, WIDTH)."""
        return self._likeness[: self.count]

    def put(self, entry: int, row: Mapping[str, Any], likeness: bytes) -> None:
        """Sets an entry's row, as the index gives it."""
        self._reach(entry)
        for n, name in enumerate(FIGURES):
            value = row[name]
            self._figures[n, entry] = math.nan if value is None else value
        self._folders[entry] = row["folder"]
        self._flags[entry] = row["flags"] | (self._flags[entry] & _MARKED)
        self._roles[entry] = ROLE_NAMES.index(row["role"])
        self._sure[entry] = round(1000.0 * row["sure"])
        self._likeness[entry] = np.frombuffer(likeness, np.float32) if likeness else 0.0

    def drop(self, entries: Iterable[int]) -> None:
        """Forgets entries."""
        for entry in entries:
            if entry < self.count:
                self._flags[entry] = 0

    def flag(self, entries: Iterable[int], bits: int, on: bool) -> None:
        """Sets or clears bits of entries."""
        for entry in entries:
            if entry < self.count:
                kept = int(self._flags[entry]) & ~bits
                self._flags[entry] = kept | bits if on else kept

    def _reach(self, entry: int) -> None:
        self.count = max(self.count, entry + 1)
        room = self._flags.shape[0]
        if self.count <= room:
            return
        more = max(self.count, 2 * room) - room
        self._figures = np.pad(self._figures, ((0, 0), (0, more)), constant_values=np.nan)
        self._likeness = np.pad(self._likeness, ((0, more), (0, 0)))
        for name in ("_folders", "_flags", "_roles", "_sure"):
            setattr(self, name, np.pad(getattr(self, name), (0, more)))

    # The flat file.

    def save(self, folder: Path, revision: str) -> None:
        """Writes the flat file; what goes wrong is left for the next time."""
        parts = (
            self.figures, self.folders, self.flags, self.roles, self.sure, self.likeness,
        )  # fmt: skip
        with contextlib.suppress(OSError):
            aside = folder / f"columns.{os.getpid()}"
            with aside.open("wb") as file:
                file.write(_header(revision, self.count))
                for part in parts:
                    np.ascontiguousarray(part).tofile(file)
            os.replace(aside, folder / "columns")

    @classmethod
    def kept(cls, folder: Path, revision: str) -> bool:
        """Whether the flat file is of a revision of the index."""
        try:
            with (folder / "columns").open("rb") as file:
                return _count_of(file.read(_HEADER), revision) is not None
        except OSError:
            return False

    @classmethod
    def load(cls, folder: Path, revision: str) -> Columns | None:
        """What was saved at a revision of the index; None where there is none, or another one."""
        try:
            with (folder / "columns").open("rb") as file:
                head = file.read(_HEADER)
                count = _count_of(head, revision)
                if count is None or os.fstat(file.fileno()).st_size != _HEADER + count * _PER_ROW:
                    return None
                made = cls(count)
                made._figures = _read(file, (len(FIGURES), count), np.float32)
                made._folders = _read(file, (count,), np.uint32)
                made._flags = _read(file, (count,), np.uint8)
                made._roles = _read(file, (count,), np.uint8)
                made._sure = _read(file, (count,), np.uint16)
                where = file.tell()
            made._likeness = np.memmap(
                folder / "columns", np.float32, "c", where, (count, WIDTH)
            )  # private to this process: what is changed is not written
        except (OSError, ValueError):
            return None
        return made


_PER_ROW = 4 * len(FIGURES) + 4 + 1 + 1 + 2 + 4 * WIDTH


def _read(file: Any, shape: tuple[int, ...], kind: Any) -> np.ndarray:
    return np.fromfile(file, kind, math.prod(shape)).reshape(shape)


def _header(revision: str, count: int) -> bytes:
    body = msgspec.json.encode([revision, count, WIDTH])
    return (_MAGIC + body).ljust(_HEADER)


def _count_of(head: bytes, revision: str) -> int | None:
    try:
        told, count, width = msgspec.json.decode(head[len(_MAGIC) :], type=tuple[str, int, int])
    except msgspec.MsgspecError:
        return None
    same = head.startswith(_MAGIC) and told == revision and width == WIDTH
    return count if same and count >= 1 else None
