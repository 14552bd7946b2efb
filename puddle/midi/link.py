"""The window's side of the reading process: starts it, tells it what to read, hears what came."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import threading
from collections.abc import Callable, Sequence

import msgspec

from puddle import framed
from puddle.midi.controller_map import ControllerMap, Table
from puddle.midi.reader import Leave, Read, Scripts, Simulate, Simulated, Told, Wish

_ENDS_S = 2.0
_STARTS = 3  # how often a process that dies is started anew


def read_wish(port: str, made: ControllerMap, table: Table, count: int) -> Read:
    """What the process is told of a port: its map as a kit of so many pads answers to it."""
    return Read(
        port,
        table.pads.tobytes(),
        table.as_key.tobytes(),
        table.velocities.tobytes(),
        count,
        made.double_ms,
        made.crosstalk_ms,
    )


class Link:
    """A reading process. What it tells is heard on a thread of the link's own."""

    def __init__(self, handle: int, hear: Callable[[Told], None]) -> None:
        """`handle` is the file of an engine's rings. Raises OSError where none starts."""
        self._handle = handle
        self._hear = hear
        self._lock = threading.Lock()
        self._wishes: dict[str, Read] = {}
        self._scripts: Scripts | None = None
        self._starts = 0
        self._simulates = False
        self._closed = False
        self._process = self._started()
        self._thread = threading.Thread(target=self._run, name="controllers", daemon=True)
        self._thread.start()

    def read(self, wish: Read) -> None:
        """Reads a port from now on, or differently."""
        with self._lock:
            self._wishes[wish.port] = wish
        self._say(wish)

    def leave(self, port: str) -> None:
        """Reads a port no more."""
        with self._lock:
            self._wishes.pop(port, None)
        self._say(Leave(port))

    def play(self, scripts: dict[str, Sequence[tuple[float, bytes]]]) -> None:
        """Has ports that play what was written, from when they are read."""
        self._scripts = Scripts({name: list(script) for name, script in scripts.items()})
        self._say(self._scripts)

    def simulate(self, on: bool) -> None:
        """Has the simulated controller there, or not."""
        self._simulates = on
        self._say(Simulate(on))

    def play_simulated(self, message: bytes) -> None:
        """A message of the simulated controller."""
        self._say(Simulated(message))

    def close(self) -> None:
        """Ends the process; every held note is let go."""
        self._closed = True
        process = self._process
        with contextlib.suppress(OSError):
            if process.stdin is not None:
                process.stdin.close()
        try:
            process.wait(_ENDS_S)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()
        self._thread.join(_ENDS_S)

    def _say(self, wish: Wish) -> None:
        with self._lock, contextlib.suppress(OSError, ValueError):
            if self._process.stdin is not None:
                framed.send(self._process.stdin, msgspec.msgpack.encode(wish))  # type: ignore[arg-type]

    def _started(self) -> subprocess.Popen[bytes]:
        self._starts += 1
        return subprocess.Popen(
            [sys.executable, "-m", "puddle.midi.reader", str(self._handle)],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            pass_fds=(self._handle,),
        )

    def _run(self) -> None:
        while True:
            process = self._process
            self._listen(process)
            if not self._closed:
                _forget(process)
            if self._closed or self._starts >= _STARTS:
                return
            with self._lock:  # it died: another one reads what this one did
                self._process = self._started()
                wishes: list[Wish] = [Simulate(self._simulates), *self._wishes.values()]
                if self._scripts is not None:
                    wishes.insert(0, self._scripts)
            for wish in wishes:
                self._say(wish)

    def _listen(self, process: subprocess.Popen[bytes]) -> None:
        if process.stdout is None:
            return
        with process.stdout as source, contextlib.suppress(EOFError, OSError, ValueError):
            while True:
                told: Told = msgspec.msgpack.decode(framed.received(source), type=Told)  # type: ignore[arg-type]
                self._hear(told)


def _forget(process: subprocess.Popen[bytes]) -> None:
    """Leaves nothing of a process that has died."""
    process.kill()
    process.wait()
    with contextlib.suppress(OSError):
        if process.stdin is not None:
            process.stdin.close()
