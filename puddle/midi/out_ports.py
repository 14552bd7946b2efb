"""Ports that MIDI leaves by: the system's, and the lights of the simulated controller."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable
from typing import Any, Protocol

from puddle.midi.ports import SIMULATED, AlsaSide, PortError


class OpenedOut(Protocol):
    """A port that is open for sending."""

    @property
    def ahead_s(self) -> float:
        """By how much sooner than it is heard a message is to be given."""

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


class AlsaOuts(AlsaSide):
    """What leaves by ALSA."""

    def __init__(self) -> None:
        """Raises PortError where the system has none of it."""
        super().__init__("MidiOut")

    def open(self, name: str) -> OpenedOut:
        """Opens a port of the system. Raises PortError."""
        return _AlsaOut(self.opened(name, "out"))


class _AlsaOut:
    ahead_s = 0.0

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


class SimulatedOuts:
    """The simulated controller's lights: told to whoever shows them."""

    ahead_s = 0.0

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
