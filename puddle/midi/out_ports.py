"""Ports that MIDI leaves by: the system's, and the lights of the simulated controller."""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Callable
from typing import Any, Protocol

from puddle.midi.ports import SIMULATED, PortError, numbered, plain_name, quiet


class OpenedOut(Protocol):
    """A port that is open for sending."""

    def send(self, message: bytes) -> None:
        """Sends a whole message, now."""

    def close(self) -> None:
        """Lets it go."""


class Outs(Protocol):
    """Where such ports come from."""

    def names(self) -> list[str]:
        """The names of those that are there now."""

    def open(self, name: str) -> OpenedOut:
        """Opens one. Raises PortError."""


class SystemOuts:
    """The ports of ALSA or of JACK, by RtMidi."""

    def __init__(self, api: str) -> None:
        """Raises PortError where the system has none of it."""
        try:
            import rtmidi

            self._rtmidi: Any = rtmidi
            self._api = {"ALSA": rtmidi.API_LINUX_ALSA, "JACK": rtmidi.API_UNIX_JACK}[api]
            self._looks = rtmidi.MidiOut(self._api, name="Puddle")
        except Exception as error:  # RtMidi raises an error of its own for each system
            raise PortError(f"There is no {api} MIDI on this system.") from error

    def names(self) -> list[str]:
        """As the system tells them; none where it has gone away."""
        try:
            return numbered([plain_name(name) for name in self._looks.get_ports()])
        except Exception:
            return []

    def open(self, name: str) -> OpenedOut:
        """Opens a port of the system. Raises PortError."""
        names = self.names()
        if name not in names:
            raise PortError(f"{name} is not there.")
        port = self._rtmidi.MidiOut(self._api, name="Puddle")
        try:
            port.open_port(names.index(name), name="out")
        except Exception as error:
            port.delete()
            raise PortError(f"{name} could not be opened; another program may hold it.") from error
        return _SystemOut(port)


class _SystemOut:
    def __init__(self, port: Any) -> None:
        self._port = port

    def send(self, message: bytes) -> None:
        """Sends it; what cannot be sent is lost, as over a cable."""
        with contextlib.suppress(Exception):
            self._port.send_message(message)

    def close(self) -> None:
        """Lets it go."""
        with contextlib.suppress(Exception):
            self._port.close_port()
            self._port.delete()


def system_outs() -> list[Outs]:
    """What this system has; empty where it has no MIDI."""
    os.environ["JACK_NO_START_SERVER"] = "1"
    found: list[Outs] = []
    with quiet():
        for api in ("ALSA", "JACK"):
            with contextlib.suppress(PortError):
                found.append(SystemOuts(api))
    return found


class SimulatedOuts:
    """The simulated controller's lights: told to whoever shows them."""

    def __init__(self, tell: Callable[[float, bytes], None]) -> None:
        self.on = False
        self._tell = tell

    def names(self) -> list[str]:
        """The one, while it is there."""
        return [SIMULATED] if self.on else []

    def open(self, name: str) -> OpenedOut:
        """Opens it. Raises PortError."""
        if name not in self.names():
            raise PortError(f"{name} is not there.")
        return self

    def send(self, message: bytes) -> None:
        """Tells it."""
        self._tell(time.monotonic(), message)

    def close(self) -> None:
        """There is nothing to let go of."""
