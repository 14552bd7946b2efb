"""Memory that other processes can map: the rings through which commands reach the engine.

One anonymous file (memfd_create(2)) holds the ring headers and their commands behind them. A header
says how far behind the first header its commands begin, so that each process finds them wherever it
has mapped the file. Each ring has one producer: the window's is the first, the others are free.
"""

from __future__ import annotations

import mmap
import os
import threading
import weakref
from typing import NamedTuple

import numpy as np

from puddle.engine import layout

_COMMANDS_AT = 4096  # a page for the headers
_TRIES = 100  # of a reading; a write takes nanoseconds, unless its process died in it
_BYTES = _COMMANDS_AT + layout.RINGS * layout.RING_SIZE * layout.COMMAND.itemsize


class Shown(NamedTuple):
    """A layout.SHOWN as plain numbers: fields of an array's record are read four times slower."""

    writes: int
    clock: int
    rate: float
    playing: int
    bpm: float
    base_frame: int
    base_beat: float
    late: int


class SharedRings:
    """The rings: made here, or mapped from the file descriptor of those of another process."""

    def __init__(self, handle: int | None = None) -> None:
        """Raises OSError where the system has no memory left, or the handle is none of these."""
        self.handle = os.dup(handle) if handle is not None else os.memfd_create("puddle-rings")
        weakref.finalize(self, os.close, self.handle)
        if handle is None:
            os.ftruncate(self.handle, _BYTES)
        elif os.fstat(self.handle).st_size != _BYTES:
            raise OSError("not the rings of an engine of this version")
        self._memory = mmap.mmap(self.handle, _BYTES)
        self.headers = np.frombuffer(self._memory, layout.RING, layout.RINGS)
        shape = layout.RINGS, layout.RING_SIZE
        self._commands = np.ndarray(shape, layout.COMMAND, self._memory, _COMMANDS_AT)
        self._pushing, self._fence = threading.Lock(), threading.Lock()
        self._shown = np.frombuffer(self._memory, layout.SHOWN, 1, layout.SHOWN_AT)
        if handle is None:
            bytes_each = layout.RING_SIZE * layout.COMMAND.itemsize
            self.headers["commands"] = _COMMANDS_AT + bytes_each * np.arange(layout.RINGS)

    @property
    def address(self) -> int:
        """Where the headers lie in this process; whoever keeps it keeps the rings."""
        return int(self.headers.ctypes.data)

    def shown(self) -> Shown:
        """Where the groove is, as the engine wrote it with its last block."""
        for _ in range(_TRIES):
            found = Shown(*self._shown.item())
            if found.writes % 2 == 0 and self._shown.item()[0] == found.writes:
                break
        return found

    def push(
        self, ring: int, kind: int, a: int = 0, b: int = 0, x: float = 0.0, stamp: float = 0.0
    ) -> bool:
        """Puts a command into a ring, from any thread of this process; False where it is full.

        `stamp` is when it came, in s of the monotonic clock; 0 for as soon as possible.

        As the engine's own `push`, which is compiled: a process that only reads controllers starts
        in half the time without a compiler's library.
        """
        with self._pushing:
            header = self.headers[ring]
            written = int(header["written"])
            if written - int(header["read"]) >= layout.RING_SIZE:
                return False
            self._commands[ring, written % layout.RING_SIZE] = (kind, a, b, 0, x, 0, stamp)
            with self._fence:  # a command is there before it is counted, on every processor
                pass
            header["written"] = written + 1
            return True
