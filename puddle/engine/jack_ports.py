"""JACK's ports of this program: called Puddle, and after what leaves there.

PortAudio opens them by number. JACK lets any client give a port another name.
"""

from __future__ import annotations

import contextlib
import ctypes
import sys
from collections.abc import Sequence

_CLIENT = "Puddle"
_LIBRARY = "libportaudio.so.2"
_NAME = ctypes.create_string_buffer(_CLIENT.encode())  # PortAudio keeps its address


def introduce(*, again: bool = False) -> None:
    """Tells PortAudio what to call itself at JACK; only before it begins is it heard.

    It begins when it is loaded, or `again` when somebody has ended it and is about to.
    """
    if "sounddevice" in sys.modules and not again:
        return
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(_LIBRARY).PaJack_SetClientName(_NAME)


def port_names(pairs: Sequence[str]) -> list[str]:
    """The names of both ports of each pair, from what leaves there."""
    return [f"{name} {side}" for name in pairs for side in ("L", "R")]


def name_ports(names: Sequence[str]) -> bool:
    """Gives the outputs of this program these names, in their order; whether that was done.

    Not where another Puddle runs at the same server: whose ports are whose cannot be told.
    """
    import jack

    try:
        client = jack.Client(f"{_CLIENT} names", no_start_server=True)
    except jack.JackError:
        return False
    try:
        ports = [
            port
            for port in client.get_ports(f"^{_CLIENT}(-[0-9]+)?:", is_audio=True, is_output=True)
            if port.name.split(":")[0] != client.name
        ]
        if len({port.name.split(":")[0] for port in ports}) != 1:
            return False
        for port, name in zip(ports, names, strict=False):
            if port.shortname != name:
                jack._lib.jack_port_rename(client._ptr, port._ptr, name.encode())
        return True
    finally:
        client.close()
