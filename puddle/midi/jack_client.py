"""A client of a JACK server, by libjack itself.

What libjack calls on threads of its own is compiled or of the C library, never Python: it ends such
threads where they stand (pthread_cancel(3)), and one that is ended while it holds the interpreter
stops the whole process for ever.
"""

from __future__ import annotations

import ctypes
import os
import threading
from functools import lru_cache
from types import ModuleType
from typing import Any

from puddle.midi.ports import PortError

MIDI_TYPE = b"8 bit raw midi"
INPUT, OUTPUT = 1, 2  # JackPortIsInput, JackPortIsOutput
POINTER, FRAMES = ctypes.c_void_p, ctypes.c_uint32
_LIBRARY = "libjack.so.0"
_NO_START = 1  # JackNoStartServer
_SEMAPHORE_CELLS = 4  # int64: a sem_t takes 32 bytes at most
_loading = threading.Lock()


@lru_cache(1)
def _c_library() -> Any:
    return ctypes.CDLL(None)


def _address(function: Any) -> int:
    return ctypes.cast(function, POINTER).value or 0


class Semaphore:
    """A POSIX semaphore (sem_overview(7)): posted by what is compiled, awaited by a thread."""

    def __init__(self) -> None:
        self._cells = (ctypes.c_int64 * _SEMAPHORE_CELLS)()
        _c_library().sem_init(self._cells, 0, 0)

    @property
    def address(self) -> int:
        """Where it lies; whoever keeps it keeps the semaphore."""
        return ctypes.addressof(self._cells)

    @property
    def is_posted(self) -> bool:
        """Whether it was posted more often than awaited."""
        value = ctypes.c_int()
        _c_library().sem_getvalue(self._cells, ctypes.byref(value))
        return value.value > 0

    def post(self) -> None:
        """Lets one who waits go on."""
        _c_library().sem_post(self._cells)

    def wait(self) -> None:
        """Waits until it is posted, or until a signal came."""
        _c_library().sem_wait(self._cells)

    @staticmethod
    def post_address() -> int:
        """sem_post, which takes a semaphore's address, for whoever calls C functions."""
        return _address(_c_library().sem_post)


def jack_events() -> ModuleType:
    """What JACK calls, compiled (`kernels.jack_events`): loaded by one thread at a time."""
    with _loading:
        from puddle.kernels import jack_events
    return jack_events


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
            ("jack_on_shutdown", None, (POINTER, POINTER, POINTER)),
            ("jack_activate", whole, (POINTER,)),
            ("jack_connect", whole, (POINTER, text, text)),
            ("jack_get_buffer_size", FRAMES, (POINTER,)),
            ("jack_get_sample_rate", FRAMES, (POINTER,)),
            ("jack_frame_time", FRAMES, (POINTER,)),
            ("jack_get_time", ctypes.c_int64, ()),
            ("jack_frames_since_cycle_start", FRAMES, (POINTER,)),
            ("jack_transport_query", whole, (POINTER, POINTER)),
            ("jack_transport_locate", whole, (POINTER, FRAMES)),
            ("jack_transport_start", None, (POINTER,)),
            ("jack_transport_stop", None, (POINTER,)),
            ("jack_set_timebase_callback", whole, (POINTER, whole, POINTER, POINTER)),
            ("jack_release_timebase", whole, (POINTER,)),
            ("jack_set_error_function", None, (POINTER,)),
            ("jack_set_info_function", None, (POINTER,)),
        ):
            function = getattr(library, name)
            function.restype, function.argtypes = returns, arguments
    except (OSError, AttributeError) as error:
        raise PortError("There is no JACK on this system.") from error
    does_nothing = _address(_c_library().strlen)  # that there is no server is nothing to be printed
    library.jack_set_error_function(does_nothing)
    library.jack_set_info_function(does_nothing)
    return library


class JackClient:
    """A client of the server that runs.

    One whose server has ended is left as it is: to close it would bring the process down.
    """

    def __init__(self, name: bytes) -> None:
        """Raises PortError where none runs."""
        self.library = jack_library()
        self.keeps: object = None  # memory that the library may use
        status = ctypes.c_int()
        self.pointer = self.library.jack_client_open(name, _NO_START, ctypes.byref(status))
        if not self.pointer:
            raise PortError("JACK does not answer.")
        self._ended = Semaphore()
        post = Semaphore.post_address()
        self.library.jack_on_shutdown(self.pointer, post, self._ended.address)
        _open.append(self)

    @property
    def lost(self) -> bool:
        """Whether the server has ended."""
        return self._ended.is_posted

    def close(self) -> None:
        """Lets it go."""
        pointer, self.pointer = self.pointer, None
        if pointer and not self.lost:
            self.library.jack_client_close(pointer)
            _open.remove(self)


_open: list[JackClient] = []  # what the library still holds of them stays
