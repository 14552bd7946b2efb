"""Which MIDI ports a JACK server has: as soon and as long as one runs, and after it ran anew."""

from __future__ import annotations

import contextlib
import threading
import time

import numpy as np

from puddle.midi.jack_client import INPUT, MIDI_TYPE, OUTPUT, JackClient, jack_events, jack_library
from puddle.midi.ports import OWN, PortError, numbered

_TRIES_S = 2.0
_LOOKS_S = 0.25


class JackNames:
    """A client that only looks: by one thread, which calls `seek`, or by its own (`watch`)."""

    def __init__(self) -> None:
        """Raises PortError where JACK's library is missing."""
        jack_library()
        self._client: JackClient | None = None
        self._found: dict[bool, dict[str, str]] = {}  # of their inputs, of their outputs
        self._tries_at = -_TRIES_S
        self._ended = threading.Event()

    def of(self, *, inputs: bool) -> dict[str, str]:
        """What JACK calls each of others' inputs, or outputs, by a name that is theirs alone.

        As `seek` has seen them last, until the server ends: to ask takes no time.
        """
        client = self._client
        if client is None or client.lost:
            return {}
        return self._found.get(inputs, {})

    def watch(self) -> None:
        """Seeks again and again on a thread of its own: a server that stands still holds up none.

        That thread is left where it is when the process ends.
        """
        threading.Thread(target=self._watch, name="JACK ports", daemon=True).start()

    def close(self) -> None:
        """Looks no more."""
        self._ended.set()
        client, self._client, self._found = self._client, None, {}
        if client is not None:
            client.close()

    def seek(self) -> None:
        """Sees which ports there are, of a server that has come too.

        Without one it takes some 4 ms.
        """
        self._connect()
        client = self._client
        if client is not None:
            self._found = {inputs: _others(client, inputs) for inputs in (False, True)}

    def _watch(self) -> None:
        while not self._ended.is_set():
            self.seek()
            self._ended.wait(_LOOKS_S)

    def _connect(self) -> None:
        """What a server calls is loaded before anybody knows of it.

        Nothing else needs a compiler's library in a process that reads controllers.
        """
        if self._client is not None and self._client.lost:
            self._client, self._found = None, {}
        now = time.monotonic()
        if self._client is not None or now < self._tries_at + _TRIES_S:
            return
        self._tries_at = now
        with contextlib.suppress(PortError):
            client = JackClient(b"Puddle ports")
            client.library.jack_activate(client.pointer)
            events = jack_events()
            events.put_event(np.zeros(events.MEMORY, np.int64), 0, 0, 0)
            self._client = client


def _others(client: JackClient, inputs: bool) -> dict[str, str]:
    library, flags = client.library, INPUT if inputs else OUTPUT
    found = library.jack_get_ports(client.pointer, None, MIDI_TYPE, flags)
    names: list[str] = []
    while found and found[len(names)]:
        names.append(found[len(names)].decode("utf-8", "replace"))
    if found:
        library.jack_free(found)
    others = [name for name in names if not OWN.match(name)]
    return dict(zip(numbered(others), others, strict=True))
