"""A process that measures files for the library: requests on its input, records on its output.

It runs at the lowest priority and ends with its input. A file that brings a reader down takes this
process with it and nothing else.
"""

from __future__ import annotations

import contextlib
import os
import signal
import sys
from typing import BinaryIO

import msgspec

from puddle import framed
from puddle.library.kit_pads import KitPads, is_kit, measured_kit
from puddle.library.record import Record, Unreadable, measured_file


class Request(msgspec.Struct, frozen=True, tag=True):
    """A file, and the hashes of known contents that it may be a copy of."""

    path: bytes
    known: tuple[str, ...] = ()


class Copy(msgspec.Struct, frozen=True, tag=True):
    """A file holds a known content."""

    hash: str


class Measured(msgspec.Struct, frozen=True, tag=True):
    """A file was measured."""

    record: Record


class MeasuredKit(msgspec.Struct, frozen=True, tag=True):
    """A kit's pads were measured."""

    kit: KitPads


class Refused(msgspec.Struct, frozen=True, tag=True):
    """A file could not be."""

    reason: str


Reply = Copy | Measured | MeasuredKit | Refused
Found = Record | KitPads | Unreadable | str  # a text is the hash of a known content


def send(file: BinaryIO, message: Request | Reply) -> None:
    """Writes a message with its length before it."""
    framed.send(file, msgspec.msgpack.encode(message))


def received_request(file: BinaryIO) -> Request:
    """Raises EOFError."""
    return msgspec.msgpack.decode(framed.received(file), type=Request)


def received_reply(file: BinaryIO) -> Found:
    """Raises EOFError."""
    reply: Reply = msgspec.msgpack.decode(framed.received(file), type=Reply)
    if isinstance(reply, Copy):
        return reply.hash
    if isinstance(reply, MeasuredKit):
        return reply.kit
    return reply.record if isinstance(reply, Measured) else Unreadable(reply.reason)


def found_in(path: bytes, known: frozenset[str]) -> Found:
    """What is measured of a sound file or a kit."""
    return measured_kit(path) if is_kit(path) else measured_file(path, known)


def _reply(request: Request) -> Reply:
    found = found_in(request.path, frozenset(request.known))
    if isinstance(found, str):
        return Copy(found)
    if isinstance(found, KitPads):
        return MeasuredKit(found)
    return Measured(found) if isinstance(found, Record) else Refused(found.reason)


def main() -> None:
    """Answers requests until there are no more."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever started this one ends it
    os.nice(19)
    source, target = sys.stdin.buffer, os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # so that nothing that a library prints comes between
    with contextlib.suppress(EOFError, BrokenPipeError):
        while True:
            send(target, _reply(received_request(source)))


if __name__ == "__main__":
    main()
