"""Ports of JACK that MIDI comes in by, by RtMidi."""

from __future__ import annotations

from typing import Any

from puddle.midi.jack_names import JackNames
from puddle.midi.ports import Opened, PortError, Receive, opened, received


class JackPorts:
    """What comes in by JACK."""

    def __init__(self, looks: JackNames) -> None:
        self._looks = looks

    def names(self) -> list[str]:
        """Others' ports that can be listened to; looks for a server before."""
        self._looks.seek()
        return list(self._looks.of(inputs=False))

    def open(self, name: str, receive: Receive) -> Opened:
        """Opens a port of our own that is connected to one. Raises PortError."""
        own = self._looks.of(inputs=False).get(name)
        try:
            import rtmidi

            port: Any = rtmidi.MidiIn(rtmidi.API_UNIX_JACK, name="Puddle")
            there = list(port.get_ports())
        except Exception as error:  # RtMidi raises an error of its own for each system
            raise PortError("JACK does not answer.") from error
        if own not in there:
            port.delete()
            raise PortError(f"{name} is not there.")
        opened(port, there.index(own), name, "in")
        return _JackIn(received(port, receive), self._looks)


class _JackIn:
    """What is listened to; left as it is where its server has ended, as `JackClient` is."""

    def __init__(self, port: Opened, looks: JackNames) -> None:
        self._port, self._looks, self._server = port, looks, looks.servers

    def close(self) -> None:
        """Lets it go."""
        if self._looks.is_there(self._server):
            self._port.close()
        else:
            _left.append(self._port)


_left: list[Opened] = []
