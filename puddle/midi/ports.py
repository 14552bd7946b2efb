"""Ports that MIDI comes in by: the system's, and simulated ones, which are equals by name.

Whoever opens a port is called with each whole message and the time at which it arrived, in seconds
of `time.monotonic`, on a thread of the port's own.
"""

from __future__ import annotations

import contextlib
import os
import re
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from typing import Any, Protocol, TypeVar

from puddle.errors import PuddleError
from puddle.midi.messages import Messages

Receive = Callable[[float, bytes], None]
_ALSA_NUMBERS = re.compile(r" \d+:\d+$")
OWN = re.compile(r"Puddle(-\d+)?:(in|out)\b")  # what we have opened ourselves


class PortError(PuddleError):
    """A port that cannot be opened, with a sentence that says why."""


class Opened(Protocol):
    """A port that is open."""

    def close(self) -> None:
        """Lets it go; nothing comes afterwards."""


class Ports(Protocol):
    """Where ports come from."""

    def names(self) -> list[str]:
        """The names of the ports that are there now; two of one name are numbered."""

    def open(self, name: str, receive: Receive) -> Opened:
        """Opens a port. Raises PortError."""


def plain_name(name: str) -> str:
    """A port's name as it is again tomorrow: ALSA ends it with its client and port numbers."""
    return _ALSA_NUMBERS.sub("", name)


def numbered(names: Sequence[str]) -> list[str]:
    """Names of which none comes twice: a second *Pads* is *Pads (2)*."""
    found: list[str] = []
    for name in names:
        plain, count = name, 1
        while name in found:
            count += 1
            name = f"{plain} ({count})"
        found.append(name)
    return found


class AlsaSide:
    """The ports of ALSA, by RtMidi: one side."""

    def __init__(self, side: str) -> None:
        """`side` is RtMidi's MidiIn or MidiOut. Raises PortError where the system has none."""
        try:
            import rtmidi

            self._kind: Any = getattr(rtmidi, side)
            self._api = rtmidi.API_LINUX_ALSA
            self._looks = self._kind(self._api, name="Puddle")
        except Exception as error:  # RtMidi raises an error of its own for each system
            raise PortError("There is no ALSA MIDI on this system.") from error

    def names(self) -> list[str]:
        """As the system tells them, without our own; none where it has gone away."""
        return list(self._places())

    def _places(self) -> dict[str, int]:
        """Where RtMidi has each."""
        try:
            there = list(enumerate(self._looks.get_ports()))
        except Exception:
            return {}
        others = [(n, plain_name(name)) for n, name in there if not OWN.match(name)]
        names = numbered([name for _, name in others])
        return dict(zip(names, (n for n, _ in others), strict=True))

    def opened(self, name: str, own: str) -> Any:
        """RtMidi's port, opened, as `own` to others. Raises PortError."""
        places = self._places()
        if name not in places:
            raise PortError(f"{name} is not there.")
        port = self._kind(self._api, name="Puddle")
        try:
            port.open_port(places[name], name=own)
        except Exception as error:
            port.delete()
            raise PortError(f"{name} could not be opened; another program may hold it.") from error
        return port


class AlsaPorts(AlsaSide):
    """What comes in by ALSA."""

    def __init__(self) -> None:
        """Raises PortError where the system has none of it."""
        super().__init__("MidiIn")

    def open(self, name: str, receive: Receive) -> Opened:
        """Opens a port of the system. Raises PortError."""
        port = self.opened(name, "in")
        port.ignore_types(sysex=True, timing=False, active_sense=True)
        port.set_callback(lambda event, _: receive(time.monotonic(), bytes(event[0])))
        return _AlsaIn(port)


class _AlsaIn:
    def __init__(self, port: Any) -> None:
        self._port = port

    def close(self) -> None:
        """Lets it go."""
        self._port.cancel_callback()
        self._port.close_port()
        self._port.delete()


class SeveralPorts:
    """All ports of several kinds, by their names."""

    def __init__(self, kinds: Sequence[Ports]) -> None:
        self._kinds = kinds

    def names(self) -> list[str]:
        """One kind after the other."""
        return numbered([name for kind in self._kinds for name in kind.names()])

    def open(self, name: str, receive: Receive) -> Opened:
        """Opens a port of the kind that has it. Raises PortError."""
        own = [(kind, n) for kind in self._kinds for n in kind.names()]
        for shown, (kind, plain) in zip(numbered([n for _, n in own]), own, strict=True):
            if shown == name:
                return kind.open(plain, receive)
        raise PortError(f"{name} is not there.")


T = TypeVar("T")


def of_system(kinds: Sequence[Callable[[], T]]) -> list[T]:
    """One side of what this system has; empty where it has no MIDI."""
    found: list[T] = []
    with quiet():
        for kind in kinds:
            with contextlib.suppress(PortError):
                found.append(kind())
    return found


@contextlib.contextmanager
def quiet() -> Iterator[None]:
    """Keeps what the system's libraries print about what is not there from a terminal.

    On one thread: two would put each other's back in the wrong order.
    """
    kept, nowhere = os.dup(2), os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nowhere, 2)
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)
        os.close(nowhere)


SIMULATED = "Simulated pads"


class SimulatedPorts:
    """A controller that is played in a window of ours; while nobody has one there is no port."""

    def __init__(self) -> None:
        self.on = False
        self._receive: Receive | None = None

    def names(self) -> list[str]:
        """The one, while it is there."""
        return [SIMULATED] if self.on else []

    def open(self, name: str, receive: Receive) -> Opened:
        """Opens it. Raises PortError."""
        if name not in self.names():
            raise PortError(f"{name} is not there.")
        self._receive = receive
        return self

    def send(self, message: bytes) -> None:
        """A message of it arrives."""
        if self._receive is not None:
            self._receive(time.monotonic(), message)

    def close(self) -> None:
        """Lets it go."""
        self._receive = None


class ScriptedPorts:
    """Ports that play what was written: for tests, and to try a map without a controller.

    A script is bytes at rising times in seconds, as they would come over a cable: with running
    status, and broken where they are.
    """

    def __init__(self, scripts: dict[str, Sequence[tuple[float, bytes]]]) -> None:
        self.scripts = scripts

    def names(self) -> list[str]:
        """Those that have a script."""
        return list(self.scripts)

    def open(self, name: str, receive: Receive) -> Opened:
        """Begins to play a script. Raises PortError."""
        if name not in self.scripts:
            raise PortError(f"{name} is not there.")
        return _Scripted(self.scripts[name], receive)


class _Scripted:
    def __init__(self, script: Sequence[tuple[float, bytes]], receive: Receive) -> None:
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._play, args=(script, receive), daemon=True)
        self._thread.start()

    def _play(self, script: Sequence[tuple[float, bytes]], receive: Receive) -> None:
        messages = Messages()
        start = time.monotonic()
        for at, data in script:
            if self._ended.wait(max(0.0, start + at - time.monotonic())):
                return
            for message in messages.of(data):
                receive(time.monotonic(), message)

    def close(self) -> None:
        """Ends it."""
        self._ended.set()
        self._thread.join(1.0)
