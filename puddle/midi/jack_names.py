"""Which MIDI ports a JACK server has: as soon and as long as one runs, and after it ran anew."""

from __future__ import annotations

import contextlib
import time

import numpy as np

from puddle.midi.jack_client import INPUT, MIDI_TYPE, OUTPUT, JackClient, jack_events, jack_library
from puddle.midi.ports import OWN, PortError, numbered

_TRIES_S = 2.0


class JackNames:
    """A client that only looks."""

    def __init__(self) -> None:
        """Raises PortError where JACK's library is missing."""
        jack_library()
        self._client: JackClient | None = None
        self._tries_at = -_TRIES_S

    def of(self, *, inputs: bool) -> dict[str, str]:
        """What JACK calls each of others' inputs, or outputs, by a name that is theirs alone.

        Nothing until a server was sought: who keeps time asks here too, and waits for nobody.
        """
        client = self._client
        if client is None or client.lost:
            return {}
        library, flags = client.library, INPUT if inputs else OUTPUT
        found = library.jack_get_ports(client.pointer, None, MIDI_TYPE, flags)
        names: list[str] = []
        while found and found[len(names)]:
            names.append(found[len(names)].decode("utf-8", "replace"))
        if found:
            library.jack_free(found)
        others = [name for name in names if not OWN.match(name)]
        return dict(zip(numbered(others), others, strict=True))

    def close(self) -> None:
        """Looks no more."""
        client, self._client = self._client, None
        if client is not None:
            client.close()

    def seek(self) -> None:
        """Connects to a server if one has come; by one thread. Without one it takes some 4 ms.

        What a server calls is loaded before anybody knows of it: nothing else needs a compiler's
        library in a process that reads controllers.
        """
        if self._client is not None and self._client.lost:
            self._client = None
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
