"""The window's side of the reading process: starts it, tells it what to read, hears what came."""

from __future__ import annotations

import contextlib
import logging
import queue
import subprocess
import sys
import threading
from collections.abc import Callable, Sequence

import msgspec

from puddle import framed
from puddle.midi.controller_map import ControllerMap
from puddle.midi.table import Table
from puddle.midi.wishes import (
    Ended,
    Hat,
    InTime,
    Leave,
    Read,
    Scripts,
    Send,
    Simulate,
    Simulated,
    Told,
    Unsend,
    Wish,
)

log = logging.getLogger(__name__)

_ENDS_S = 2.0
_STARTS = 3  # how often a process that dies is started anew


def read_wish(port: str, made: ControllerMap, table: Table, hats: tuple[Hat, ...] = ()) -> Read:
    """The message that has a port read, with its map as a kit's pads answer to it."""
    return Read(
        port,
        table.slots.tobytes(),
        table.as_key.tobytes(),
        table.velocities.tobytes(),
        made.double_ms,
        made.crosstalk_ms,
        made.sustain,
        made.pressure_chokes,
        made.foot,
        hats,
    )


class Link:
    """A reading process, started and heard on a thread of the link's own: no call waits for it."""

    def __init__(self, handle: int, hear: Callable[[Told], None]) -> None:
        """`handle` is the file of an engine's rings."""
        self._handle = handle
        self._hear = hear
        self._lock = threading.Lock()
        self._ports: dict[str, Read] = {}
        self._scripts = Scripts({})
        self._simulates = Simulate(False)
        self._in_time = InTime()
        self._sends: dict[str, Send] = {}
        self._closed = False
        self._saying: queue.SimpleQueue[Wish | None] = queue.SimpleQueue()
        self._thread = threading.Thread(target=self._run, name="controllers", daemon=True)
        self._thread.start()

    def read(self, wish: Read) -> None:
        """Reads a port from now on, or differently; what is read so already goes on."""
        with self._lock:
            if self._ports.get(wish.port) == wish:
                return
            self._ports[wish.port] = wish
            self._say(wish)

    def leave(self, port: str) -> None:
        """Reads a port no more."""
        with self._lock:
            self._ports.pop(port, None)
            self._say(Leave(port))

    def play(self, scripts: dict[str, Sequence[tuple[float, bytes]]]) -> None:
        """Has ports that play what was written, from when they are read."""
        with self._lock:
            self._scripts = Scripts({name: list(script) for name, script in scripts.items()})
            self._say(self._scripts)

    def simulate(self, on: bool) -> None:
        """Has the simulated controller there, or not."""
        with self._lock:
            self._simulates = Simulate(on)
            self._say(self._simulates)

    def play_simulated(self, message: bytes) -> None:
        """A message of the simulated controller."""
        with self._lock:
            self._say(Simulated(message))

    def keep_time(self, wish: InTime) -> None:
        """Follows a clock from now on, or none."""
        with self._lock:
            if wish != self._in_time:
                self._in_time = wish
                self._say(wish)

    def send(self, wish: Send) -> None:
        """What leaves by a port from now on."""
        with self._lock:
            if self._sends.get(wish.port) != wish:
                self._sends[wish.port] = wish
                self._say(wish)

    def unsend(self, port: str) -> None:
        """Nothing leaves by a port any more."""
        with self._lock:
            if self._sends.pop(port, None) is not None:
                self._say(Unsend(port))

    def close(self, *, wait: bool = True) -> None:
        """Ends the process; every held note is let go."""
        with self._lock:
            self._closed = True
            self._saying.put(None)
        if wait:
            self._thread.join(_ENDS_S)

    def _say(self, wish: Wish) -> None:
        """Called with the lock. Nobody waits for a process that does not listen."""
        self._saying.put(wish)

    def _run(self) -> None:
        for _ in range(_STARTS):
            process = self._started()
            if process is None:
                return
            self._listen(process)
            saying = self._saying
            saying.put(None)
            _end(process)
            if self._closed:
                return
            self._hear(Ended())

    def _started(self) -> subprocess.Popen[bytes] | None:
        """A process that has been told all wishes so far; None where none is wanted or starts."""
        with self._lock:
            if self._closed:
                return None
            try:
                process = subprocess.Popen(
                    [sys.executable, "-m", "puddle.midi.reader", str(self._handle)],
                    stdin=subprocess.PIPE,
                    stdout=subprocess.PIPE,
                    pass_fds=(self._handle,),
                )
            except OSError:
                log.exception("no process reads controllers")
                return None
            self._saying = queue.SimpleQueue()  # what was said so far is said again
            self._say(self._scripts)
            self._say(self._simulates)
            self._say(self._in_time)
            for read in self._ports.values():
                self._say(read)
            for send in self._sends.values():
                self._say(send)
            said = threading.Thread(target=_say_all, args=(process, self._saying), daemon=True)
            said.start()
            return process

    def _listen(self, process: subprocess.Popen[bytes]) -> None:
        if process.stdout is None:
            return
        with process.stdout as source, contextlib.suppress(EOFError, OSError, ValueError):
            while True:
                told: Told = msgspec.msgpack.decode(framed.received(source), type=Told)  # type: ignore[arg-type]
                self._hear(told)


def _say_all(process: subprocess.Popen[bytes], saying: queue.SimpleQueue[Wish | None]) -> None:
    """Says what there is to be said until nothing more comes; then the process ends."""
    if process.stdin is None:
        return
    with process.stdin as target, contextlib.suppress(OSError, ValueError):
        while (wish := saying.get()) is not None:
            framed.send(target, msgspec.msgpack.encode(wish))  # type: ignore[arg-type]


def _end(process: subprocess.Popen[bytes]) -> None:
    """Waits for a process that has said its last; one that stays is killed."""
    try:
        process.wait(_ENDS_S)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
