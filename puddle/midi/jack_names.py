"""Which MIDI ports a JACK server has: as soon and as long as one runs, and after it ran anew.

libjack is called directly. A client whose server has ended is left as it is: to close it would
bring the process down.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import time
from functools import lru_cache
from typing import Any

from puddle.midi.ports import OWN, PortError, numbered, quiet

_TRIES_S = 2.0
_LIBRARY = "libjack.so.0"
_NO_START = 1  # JackNoStartServer
_INPUT, _OUTPUT = 1, 2  # JackPortIsInput, JackPortIsOutput
MIDI_TYPE = b"8 bit raw midi"
POINTER, FRAMES = ctypes.c_void_p, ctypes.c_uint32
_SHUTDOWN = ctypes.CFUNCTYPE(None, ctypes.c_void_p)
_SAYS = ctypes.CFUNCTYPE(None, ctypes.c_char_p)
_mute = _SAYS(lambda _: None)


@lru_cache(1)
def jack_library() -> Any:
    """libjack, its functions with their types (jack.h). Raises PortError where it is missing."""
    os.environ["JACK_NO_START_SERVER"] = "1"  # to look for ports starts no server
    names = ctypes.POINTER(ctypes.c_char_p)
    text, whole, flags = ctypes.c_char_p, ctypes.c_int, ctypes.c_ulong
    try:
        library = ctypes.CDLL(_LIBRARY)
        for name, returns, arguments in (
            ("jack_client_open", POINTER, (text, whole, POINTER)),
            ("jack_client_close", whole, (POINTER,)),
            ("jack_get_ports", names, (POINTER, text, text, flags)),
            ("jack_free", None, (names,)),
            ("jack_port_register", POINTER, (POINTER, text, text, flags, flags)),
            ("jack_port_name", text, (POINTER,)),
            ("jack_set_process_callback", whole, (POINTER, POINTER, POINTER)),
            ("jack_on_shutdown", None, (POINTER, _SHUTDOWN, POINTER)),
            ("jack_activate", whole, (POINTER,)),
            ("jack_connect", whole, (POINTER, text, text)),
            ("jack_get_buffer_size", FRAMES, (POINTER,)),
            ("jack_get_sample_rate", FRAMES, (POINTER,)),
            ("jack_frame_time", FRAMES, (POINTER,)),
            ("jack_set_error_function", None, (_SAYS,)),
            ("jack_set_info_function", None, (_SAYS,)),
        ):
            function = getattr(library, name)
            function.restype, function.argtypes = returns, arguments
    except (OSError, AttributeError) as error:
        raise PortError("There is no JACK on this system.") from error
    library.jack_set_error_function(_mute)
    library.jack_set_info_function(_mute)
    return library


class JackClient:
    """A client of the server that runs."""

    def __init__(self, name: bytes) -> None:
        """Raises PortError where none runs."""
        self.library = jack_library()
        self.lost = False  # the server has ended
        self.keeps: object = None  # memory that the library may use
        status = ctypes.c_int()
        with quiet():
            self.pointer = self.library.jack_client_open(name, _NO_START, ctypes.byref(status))
        if not self.pointer:
            raise PortError("JACK does not answer.")
        self._end = _SHUTDOWN(self._ended)
        self.library.jack_on_shutdown(self.pointer, self._end, None)

    def _ended(self, _: object) -> None:
        self.lost = True
        _left.append(self)  # what the library still holds of it stays

    def close(self) -> None:
        """Lets it go."""
        pointer, self.pointer = self.pointer, None
        if pointer and not self.lost:
            self.library.jack_client_close(pointer)


_left: list[JackClient] = []


class JackNames:
    """A client that only looks."""

    def __init__(self) -> None:
        """Raises PortError where JACK's library is missing."""
        jack_library()
        self._client: JackClient | None = None
        self._tries_at = -_TRIES_S
        self.servers = 0  # that have come so far

    def of(self, *, inputs: bool) -> dict[str, str]:
        """What JACK calls each of others' inputs, or outputs, by a name that is theirs alone.

        Nothing until a server was sought: who keeps time asks here too, and waits for nobody.
        """
        client = self._client
        if client is None or client.lost:
            return {}
        library, flags = client.library, _INPUT if inputs else _OUTPUT
        found = library.jack_get_ports(client.pointer, None, MIDI_TYPE, flags)
        names: list[str] = []
        while found and found[len(names)]:
            names.append(found[len(names)].decode("utf-8", "replace"))
        if found:
            library.jack_free(found)
        others = [name for name in names if not OWN.match(name)]
        return dict(zip(numbered(others), others, strict=True))

    def is_there(self, server: int) -> bool:
        """Whether the server of a count is still there."""
        client = self._client
        return server == self.servers and client is not None and not client.lost

    def close(self) -> None:
        """Looks no more."""
        client, self._client = self._client, None
        if client is not None:
            client.close()

    def seek(self) -> None:
        """Connects to a server if one has come; by one thread. Without one it takes some 4 ms."""
        if self._client is not None and self._client.lost:
            self._client = None
        now = time.monotonic()
        if self._client is not None or now < self._tries_at + _TRIES_S:
            return
        self._tries_at = now
        with contextlib.suppress(PortError):
            client = JackClient(b"Puddle ports")
            client.library.jack_activate(client.pointer)
            self.servers += 1
            self._client = client
