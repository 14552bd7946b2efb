"""Ports of JACK that MIDI leaves by, each message on the frame at which it is due.

RtMidi hands over once a period what has come since, which makes a clock uneven by a period. Here a
message is written one period ahead, and JACK takes it with its frame (see `kernels.jack_events`).
"""

from __future__ import annotations

import ctypes

import numpy as np

from puddle.midi.jack_client import MIDI_TYPE, OUTPUT, POINTER, JackClient, jack_events
from puddle.midi.jack_names import JackNames
from puddle.midi.out_ports import OpenedOut
from puddle.midi.ports import PortError

_HALF = 1 << 31  # frames are counted in 32 bits
_LONGEST = 7  # bytes: all that leaves but exclusive messages, of which there are none


class JackOuts:
    """What leaves by JACK."""

    def __init__(self, looks: JackNames) -> None:
        self._looks = looks

    def names(self) -> list[str]:
        """Others' ports that can be sent to."""
        return list(self._looks.of(inputs=True))

    def open(self, name: str) -> OpenedOut:
        """Opens a port of our own that is connected to one. Raises PortError."""
        own = self._looks.of(inputs=True).get(name)
        if own is None:
            raise PortError(f"{name} is not there.")
        return _JackOut(own)


class _JackOut:
    """A client of its own, with one port."""

    def __init__(self, target: str) -> None:
        events = self._events = jack_events()
        self._client = JackClient(b"Puddle")
        library, client = self._client.library, self._client.pointer
        port = library.jack_port_register(client, b"out", MIDI_TYPE, OUTPUT, 0)
        cells = self._cells = np.zeros(events.MEMORY, np.int64)
        self._client.keeps = cells
        cells[events.CLIENT], cells[events.PORT] = client, port or 0
        for place, name in (
            (events.BUFFER_OF, "jack_port_get_buffer"),
            (events.CLEAR, "jack_midi_clear_buffer"),
            (events.WRITE, "jack_midi_event_write"),
            (events.TIME, "jack_last_frame_time"),
            (events.NOW_US, "jack_get_time"),
        ):
            cells[place] = ctypes.cast(getattr(library, name), POINTER).value or 0
        library.jack_set_process_callback(client, events.give_events.address, cells.ctypes.data)
        if (
            not port
            or library.jack_activate(client)
            or library.jack_connect(client, library.jack_port_name(port), target.encode("utf-8"))
        ):
            self.close()
            raise PortError(f"{target} could not be opened; another program may hold it.")

    @property
    def ahead_s(self) -> float:
        """By how much sooner than it is heard a message is to be given: a period."""
        library, client = self._client.library, self._client.pointer
        if self._client.lost:
            return 0.0
        frames: int = library.jack_get_buffer_size(client)
        rate: int = library.jack_get_sample_rate(client)
        return frames / rate if rate else 0.0

    def send(self, message: bytes) -> None:
        """It leaves a period from now; what finds no place is lost, as over a cable."""
        if self._client.lost or len(message) > _LONGEST:
            return
        frame = self._frame() + self._client.library.jack_get_buffer_size(self._client.pointer)
        data = int.from_bytes(message, "little")
        self._events.put_event(self._cells, frame, data, len(message))

    def _frame(self) -> int:
        """The frame that the server is at.

        JACK's own smooth count is wrong by seconds for half a minute after the server stood still:
        the period that runs tells it to within how late a period is asked for.
        """
        library, client = self._client.library, self._client.pointer
        smooth: int = library.jack_frame_time(client)
        period = int(self._cells[self._events.PERIOD])
        if not period:  # none has begun
            return smooth
        rate: int = library.jack_get_sample_rate(client)
        plain = self._events.frame_now(period, library.jack_get_time(), rate)
        apart = (smooth - plain + _HALF) % (2 * _HALF) - _HALF
        return smooth if abs(apart) < library.jack_get_buffer_size(client) // 2 else plain

    def close(self) -> None:
        """Lets it go."""
        self._client.close()
