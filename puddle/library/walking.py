"""Sound files and kits below a folder, whatever else lies there."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator

import msgspec

from puddle.formats.kitfile import SUFFIX
from puddle.formats.sound import SUFFIXES
from puddle.tasks import check_cancelled

_SUFFIXES = tuple(suffix.encode() for suffix in (*SUFFIXES, SUFFIX))


class Seen(msgspec.Struct, frozen=True):
    """A regular file; its path as the bytes that the system knows it by."""

    path: bytes
    size: int
    changed_ns: int


def seen_below(folder: bytes) -> Iterator[Seen]:
    """Every sound file and kit below a folder, links to files followed and links to folders not.

    Pipes, sockets and devices are passed over, and so are hidden folders and what may not be read.
    """
    waiting = [folder]
    while waiting:
        try:
            with os.scandir(waiting.pop()) as found:
                for entry in found:
                    check_cancelled()
                    if entry.is_dir(follow_symlinks=False):
                        if not entry.name.startswith(b"."):
                            waiting.append(entry.path)
                    elif is_wanted(entry.name):
                        yield from _seen(entry)
        except OSError:
            continue


def is_wanted(name: bytes) -> bool:
    """Whether a name is that of a sound file or a kit, and not of a hidden one."""
    return name.lower().endswith(_SUFFIXES) and not name.startswith(b".")


def _seen(entry: os.DirEntry[bytes]) -> Iterator[Seen]:
    try:
        found = entry.stat()
    except OSError:
        return
    if stat.S_ISREG(found.st_mode):
        yield Seen(entry.path, found.st_size, found.st_mtime_ns)
