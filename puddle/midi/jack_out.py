"""Ports of JACK that MIDI leaves by, each message on the frame at which it is due.

RtMidi hands over once a period what has come since, which makes a clock uneven by a period. Here a
message is written one period ahead, and JACK takes it with its frame (see `jack_events`).
"""

from __future__ import annotations

import ctypes
from typing import Any

import numpy as np

from puddle.midi.out_ports import OpenedOut
from puddle.midi.ports import PortError, SystemSide

_LIBRARY = "libjack.so.0"
_NO_START = 1  # JackNoStartServer
_OUTPUT = 2  # JackPortIsOutput
_MIDI = b"8 bit raw midi"
_SHUTDOWN = ctypes.CFUNCTYPE(None, ctypes.c_void_p)
_LONGEST = 7  # bytes: all that leaves but exclusive messages, of which there are none
_POINTER, _FRAMES = ctypes.c_void_p, ctypes.c_uint32


class JackOuts(SystemSide):
    """What leaves by JACK."""

    def __init__(self) -> None:
        """Raises PortError where the system has no JACK."""
        super().__init__("JACK", "MidiOut")
        try:
            self._library = _library()
        except (OSError, AttributeError) as error:
            raise PortError("There is no JACK on this system.") from error
        from puddle.kernels import jack_events

        # Compiled now: later others would wait for it.
        jack_events.put_event(np.zeros(jack_events.MEMORY, np.int64), 0, 0, 0)

    def open(self, name: str) -> OpenedOut:
        """Opens a port of our own that is connected to one. Raises PortError."""
        return _JackOut(self._library, self.own_name(name))


def _library() -> Any:
    """libjack, its functions with their types (jack.h, midiport.h)."""
    library = ctypes.CDLL(_LIBRARY)
    for name, returns, arguments in (
        ("jack_client_open", _POINTER, (ctypes.c_char_p, ctypes.c_int, _POINTER)),
        ("jack_client_close", ctypes.c_int, (_POINTER,)),
        ("jack_port_register", _POINTER, (_POINTER, ctypes.c_char_p, ctypes.c_char_p,
                                          ctypes.c_ulong, ctypes.c_ulong)),
        ("jack_port_name", ctypes.c_char_p, (_POINTER,)),
        ("jack_set_process_callback", ctypes.c_int, (_POINTER, _POINTER, _POINTER)),
        ("jack_on_shutdown", None, (_POINTER, _SHUTDOWN, _POINTER)),
        ("jack_activate", ctypes.c_int, (_POINTER,)),
        ("jack_connect", ctypes.c_int, (_POINTER, ctypes.c_char_p, ctypes.c_char_p)),
        ("jack_get_buffer_size", _FRAMES, (_POINTER,)),
        ("jack_get_sample_rate", _FRAMES, (_POINTER,)),
        ("jack_frame_time", _FRAMES, (_POINTER,)),
    ):  # fmt: skip
        function = getattr(library, name)
        function.restype, function.argtypes = returns, arguments
    return library


class _JackOut:
    """A client of its own, with one port."""

    def __init__(self, library: Any, target: str) -> None:
        from puddle.kernels import jack_events as events

        self._library, self._events = library, events
        self._gone = False
        status = ctypes.c_int()
        self._client = library.jack_client_open(b"Puddle", _NO_START, ctypes.byref(status))
        if not self._client:
            raise PortError("JACK does not answer.")
        port = library.jack_port_register(self._client, b"out", _MIDI, _OUTPUT, 0)
        cells = self._cells = np.zeros(events.MEMORY, np.int64)
        cells[events.CLIENT], cells[events.PORT] = self._client, port or 0
        for place, name in (
            (events.BUFFER_OF, "jack_port_get_buffer"),
            (events.CLEAR, "jack_midi_clear_buffer"),
            (events.WRITE, "jack_midi_event_write"),
            (events.TIME, "jack_last_frame_time"),
        ):
            cells[place] = ctypes.cast(getattr(library, name), _POINTER).value or 0
        self._end = _SHUTDOWN(self._ended)
        library.jack_on_shutdown(self._client, self._end, None)
        library.jack_set_process_callback(
            self._client, events.give_events.address, cells.ctypes.data
        )
        if (
            not port
            or library.jack_activate(self._client)
            or library.jack_connect(
                self._client, library.jack_port_name(port), target.encode("utf-8")
            )
        ):
            self.close()
            raise PortError(f"{target} could not be opened; another program may hold it.")

    def _ended(self, _: object) -> None:
        self._gone = True  # the server has ended

    @property
    def ahead_s(self) -> float:
        """By how much sooner than it is heard a message is to be given: a period."""
        if self._gone:
            return 0.0
        library, client = self._library, self._client
        frames: int = library.jack_get_buffer_size(client)
        rate: int = library.jack_get_sample_rate(client)
        return frames / rate if rate else 0.0

    def send(self, message: bytes) -> None:
        """It leaves a period from now; what finds no place is lost, as over a cable."""
        if self._gone or len(message) > _LONGEST:
            return
        library, client = self._library, self._client
        frame = library.jack_frame_time(client) + library.jack_get_buffer_size(client)
        data = int.from_bytes(message, "little")
        self._events.put_event(self._cells, frame, data, len(message))

    def close(self) -> None:
        """Lets it go."""
        client, self._client = self._client, None
        if client:
            self._gone = True
            self._library.jack_client_close(client)
