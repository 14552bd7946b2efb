"""Ports of JACK that MIDI comes in by.

A compiled function takes what has come once a period and wakes the thread that hands it on: the
server waits for no interpreter.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import threading

import numpy as np

from puddle.midi.jack_client import INPUT, MIDI_TYPE, POINTER, JackClient, Semaphore, jack_events
from puddle.midi.jack_names import JackNames
from puddle.midi.messages import ACTIVE_SENSE
from puddle.midi.ports import Opened, PortError, Receive

_PRIORITY = 10  # of real time, where the system lets us
_ENDS_S = 1.0


class JackPorts:
    """What comes in by JACK."""

    def __init__(self, looks: JackNames) -> None:
        self._looks = looks

    def names(self) -> list[str]:
        """Others' ports that can be listened to."""
        return list(self._looks.of(inputs=False))

    def open(self, name: str, receive: Receive) -> Opened:
        """Opens a port of our own that is connected to one. Raises PortError."""
        source = self._looks.of(inputs=False).get(name)
        if source is None:
            raise PortError(f"{name} is not there.")
        return _JackIn(source, receive)


class _JackIn:
    """A client of its own, with one port."""

    def __init__(self, source: str, receive: Receive) -> None:
        events = jack_events()
        self._events, self._receive = events, receive
        self._came, self._closed = Semaphore(), threading.Event()
        self._client = JackClient(b"Puddle")
        library, client = self._client.library, self._client.pointer
        port = library.jack_port_register(client, b"in", MIDI_TYPE, INPUT, 0)
        cells = self._cells = np.zeros(events.MEMORY, np.int64)
        self._client.keeps = cells, self._came
        cells[events.PORT] = port or 0
        cells[events.SERVER] = client or 0
        cells[events.RATE] = library.jack_get_sample_rate(client)
        cells[events.POST], cells[events.CAME] = Semaphore.post_address(), self._came.address
        for place, name in (
            (events.BUFFER_OF, "jack_port_get_buffer"),
            (events.COUNT_OF, "jack_midi_get_event_count"),
            (events.GET, "jack_midi_event_get"),
            (events.LAST_FRAME, "jack_last_frame_time"),
        ):
            cells[place] = ctypes.cast(getattr(library, name), POINTER).value or 0
        library.jack_set_process_callback(client, events.take_events.address, cells.ctypes.data)
        self._thread = threading.Thread(target=self._read, name="JACK", daemon=True)
        self._thread.start()
        if (
            not port
            or library.jack_activate(client)
            or library.jack_connect(client, source.encode("utf-8"), library.jack_port_name(port))
        ):
            self.close()
            raise PortError(f"{source} could not be opened; another program may hold it.")

    def _read(self) -> None:
        with contextlib.suppress(OSError, AttributeError):  # where it is not allowed
            os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(_PRIORITY))
        while True:
            self._came.wait()
            if self._closed.is_set():
                return
            for at, message in self._events.taken(self._cells):
                if message[0] != ACTIVE_SENSE:
                    self._receive(at, message)

    def close(self) -> None:
        """Lets it go; nothing comes afterwards."""
        self._client.close()
        self._closed.set()
        self._came.post()
        if threading.current_thread() is not self._thread:
            self._thread.join(_ENDS_S)
