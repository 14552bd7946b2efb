"""Messages between processes over pipes: each with its length before it."""

from __future__ import annotations

import struct
from typing import BinaryIO

_LENGTH = struct.Struct("<I")
_MOST = 16 << 20


def send(file: BinaryIO, data: bytes) -> None:
    """Writes a message. Raises OSError where nobody reads any more."""
    file.write(_LENGTH.pack(len(data)) + data)
    file.flush()


def received(file: BinaryIO) -> bytes:
    """The next message. Raises EOFError where there is none."""
    head = file.read(_LENGTH.size)
    if len(head) < _LENGTH.size:
        raise EOFError
    length = _LENGTH.unpack(head)[0]
    data = file.read(length) if length <= _MOST else b""
    if len(data) < length or not data:
        raise EOFError
    return data
