"""Files of this machine: read through one gate, written aside and renamed, swept after a kill.

Whatever a kit, a command or a person names is read here: regular files only, their size looked at
first, the time bounded. What is written replaces the old file whole or not at all.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import shutil
import stat
import tempfile
import time
import uuid
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import BinaryIO

import msgspec
from platformdirs import user_state_path

from puddle.errors import FileError, ReadOnlyError

LONGEST_READ_S = 60.0
_CHUNK = 1 << 20
_ASIDE = ".puddle-"
_SCRATCH = "puddle-"
_LOCK = "lock"
_DEVICES = frozenset(
    ["CON", "PRN", "AUX", "NUL", *(f"{port}{n}" for port in ("COM", "LPT") for n in range(1, 10))]
)
_UMASK = os.umask(0)
os.umask(_UMASK)

AnyPath = str | bytes | os.PathLike[str]


def shown(path: AnyPath) -> str:
    """A path as it can be printed, whatever bytes it holds."""
    return os.fsencode(path).decode("utf-8", "backslashreplace")


def homely(path: Path) -> str:
    """A path as a person says it: what lies in their own folder begins with a tilde."""
    home = Path.home()
    return f"~/{shown(path.relative_to(home))}" if path.is_relative_to(home) else shown(path)


def writable(name: str) -> str:
    """A name that any system takes for a file, without a suffix: "sound" where nothing is left.

    Names that some systems keep for devices get a sign behind them.
    """
    kept = "".join(c if c not in '<>:"/\\|?*' and c.isprintable() else "-" for c in name)
    kept = kept.strip(" .")[:80].rstrip(" .") or "sound"
    return f"{kept}-" if kept.split(".")[0].upper() in _DEVICES else kept


def unused_folder(path: Path) -> Path:
    """The path, with a number where there is something already."""
    count, free = 1, path
    while os.path.lexists(free):
        count += 1
        free = path.with_name(f"{path.name} ({count})")
    return free


# Read.


class Stamp(msgspec.Struct, frozen=True):
    """Which file it is and in which state: another one, or a changed one, has another stamp."""

    device: int
    inode: int
    size: int
    changed_ns: int


def stamp_of(path: AnyPath) -> Stamp | None:
    """The stamp of a file, links followed; None where there is none."""
    try:
        return _stamp(os.stat(path))
    except (OSError, ValueError):
        return None


def _stamp(found: os.stat_result) -> Stamp:
    return Stamp(found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns)


def open_regular(path: AnyPath, most_bytes: int) -> BinaryIO:
    """A regular file, opened to be read: never a pipe, a device or a folder, never one too large.

    Raises FileError with one sentence naming the file.
    """
    name = shown(path)
    handle = -1
    try:
        # A pipe without a writer would wait here for ever; of a regular file the flag says nothing.
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        found = os.fstat(handle)
        if not stat.S_ISREG(found.st_mode):
            raise FileError(f"{name} is {_kind(found.st_mode)}, not a file that can be read.")
        if found.st_size > most_bytes:
            raise FileError(f"{name} is larger than {_size(most_bytes)}.")
        return os.fdopen(handle, "rb")
    except (OSError, ValueError) as error:
        _close(handle)
        raise FileError(f"{name} cannot be read: {_reason(error)}.") from None
    except FileError:
        _close(handle)
        raise


def _close(handle: int) -> None:
    if handle >= 0:
        os.close(handle)


def _kind(mode: int) -> str:
    kinds = ((stat.S_ISDIR, "a folder"), (stat.S_ISFIFO, "a pipe"), (stat.S_ISSOCK, "a socket"))
    return next((noun for test, noun in kinds if test(mode)), "a device")


def _size(count: int) -> str:
    return f"{count >> 20} MiB" if count >= 1 << 20 else f"{count >> 10} KiB"


def _reason(error: Exception) -> str:
    if isinstance(error, OSError):
        return error.strerror or str(error)
    return "its name holds a character that no file's name can"  # ValueError: a null byte


def chunks(file: BinaryIO, name: str, longest_s: float = LONGEST_READ_S) -> Iterator[bytes]:
    """What a file holds, no more than it held when it was opened. Raises FileError when it takes
    longer than `longest_s`, as on a drive that has gone away."""
    end = time.monotonic() + longest_s
    left = os.fstat(file.fileno()).st_size
    try:
        while left > 0:
            part = file.read(min(_CHUNK, left))
            if not part:
                return
            left -= len(part)
            yield part
            if time.monotonic() > end:
                raise FileError(f"{name} takes longer than {longest_s:.0f} s to be read.")
    except OSError as error:
        raise FileError(f"{name} cannot be read: {_reason(error)}.") from None


def read_regular(path: AnyPath, most_bytes: int, longest_s: float = LONGEST_READ_S) -> bytes:
    """All of a regular file of at most so many bytes. Raises FileError."""
    with open_regular(path, most_bytes) as file:
        return b"".join(chunks(file, shown(path), longest_s))


def copy_regular(path: AnyPath, to: Path, most_bytes: int) -> None:
    """Copies a regular file of at most so many bytes. Raises FileError, and leaves nothing then."""
    with open_regular(path, most_bytes) as file:
        try:
            with to.open("wb") as out:
                for part in chunks(file, shown(path)):
                    out.write(part)
        except OSError as error:
            to.unlink(missing_ok=True)
            raise FileError(f"{shown(path)} cannot be copied: {_reason(error)}.") from None
        except FileError:
            to.unlink(missing_ok=True)
            raise


# Written.


def refusal(path: AnyPath) -> FileError | None:
    """Why a place is not to be written to: ReadOnlyError where a person may say otherwise."""
    try:
        found = os.stat(path)
    except FileNotFoundError:
        return None
    except (OSError, ValueError) as error:
        return FileError(f"{shown(path)} cannot be written: {_reason(error)}.")
    if not stat.S_ISREG(found.st_mode):
        return FileError(f"{shown(path)} is {_kind(found.st_mode)}: no file can take its place.")
    if not found.st_mode & 0o222 or not os.access(path, os.W_OK):
        return ReadOnlyError(f"{shown(path)} is read-only.")
    return None


def write_aside(
    path: AnyPath, data: bytes | Iterable[bytes], *, over_read_only: bool = False
) -> Stamp:
    """Writes a file whole or not at all, and returns its stamp; of a long one part by part.

    A link keeps being one: the file that it leads to is replaced. Permissions, and where the
    system allows it the owner, are those of the file before. Raises FileError; ReadOnlyError where
    the file is read-only and `over_read_only` is not set.
    """
    refused = refusal(path)
    if refused is not None and not (over_read_only and isinstance(refused, ReadOnlyError)):
        raise refused
    try:
        target = os.path.realpath(os.fsdecode(path))
        before = os.stat(target) if os.path.exists(target) else None
        aside = os.path.join(os.path.dirname(target), f"{_ASIDE}{uuid.uuid4().hex}")
        with _noted(aside):  # before it is there, so that no kill leaves it unknown
            return _written(aside, target, data, before)
    except (OSError, ValueError) as error:
        raise FileError(f"{shown(path)} cannot be written: {_reason(error)}.") from None


def _written(
    aside: str, target: str, data: bytes | Iterable[bytes], before: os.stat_result | None
) -> Stamp:
    handle = os.open(aside, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
    try:
        with os.fdopen(handle, "wb") as file:
            for part in (data,) if isinstance(data, bytes) else data:
                file.write(part)
            file.flush()
            _take_over_owner(handle, before)
            os.fsync(handle)
            stamp = _stamp(os.fstat(handle))
        os.replace(aside, target)
    except BaseException:  # also where what makes the parts is left, or refuses
        with contextlib.suppress(OSError):
            os.unlink(aside)
        raise
    _sync_folder(os.path.dirname(target))
    return stamp


def _take_over_owner(handle: int, before: os.stat_result | None) -> None:
    if before is None:
        os.fchmod(handle, 0o666 & ~_UMASK)
        return
    with contextlib.suppress(OSError):  # only root may give files away
        os.fchown(handle, before.st_uid, before.st_gid)
    os.fchmod(handle, stat.S_IMODE(before.st_mode))


def _sync_folder(folder: str) -> None:
    """Puts the renaming on the disk too, where the file system can."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


# After a kill.


def hold(lock: Path) -> int | None:
    """Locks a file for as long as this process lives, or None where another holds it.

    The kernel lets go of a lock (flock(2)) when its process ends, however it ends.
    """
    handle = os.open(lock, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        os.close(handle)
        if error.errno in (errno.EWOULDBLOCK, errno.EACCES):
            return None
        raise
    return handle


def let_go(handle: int) -> None:
    """Ends a `hold`."""
    os.close(handle)


def _records() -> Path:
    return user_state_path("puddle") / "asides"


@contextlib.contextmanager
def _noted(aside: str) -> Iterator[None]:
    """Notes where a half-written file lies while it is written: after a kill it is swept."""
    record = _records() / os.path.basename(aside)
    held = None
    with contextlib.suppress(OSError):  # a file can be written all the same
        record.parent.mkdir(parents=True, exist_ok=True)
        held = hold(record)
        record.write_bytes(os.fsencode(aside))
    try:
        yield
    finally:
        if held is not None:
            with contextlib.suppress(OSError):
                record.unlink()
            let_go(held)


@contextlib.contextmanager
def aside_folder(beside: Path) -> Iterator[Path]:
    """A folder in another, for what is made there and moved to its place; gone afterwards.

    After a kill it is swept. Raises FileError.
    """
    aside = beside / f"{_ASIDE}{uuid.uuid4().hex}"
    with _noted(str(aside)):
        try:
            aside.mkdir(0o700)
        except OSError as error:
            raise FileError(f"{shown(beside)} cannot be written: {_reason(error)}.") from None
        try:
            yield aside
        finally:
            shutil.rmtree(aside, ignore_errors=True)


@contextlib.contextmanager
def scratch_folder() -> Iterator[Path]:
    """A folder for the time of some work."""
    with tempfile.TemporaryDirectory(prefix=_SCRATCH) as name:
        held = hold(Path(name) / _LOCK)
        try:
            yield Path(name)
        finally:
            if held is not None:
                let_go(held)


def sweep() -> None:
    """Removes half-written files and scratch folders of processes that were killed."""
    for record in _listed(_records(), f"{_ASIDE}*"):
        with _unheld(record) as left, contextlib.suppress(OSError):
            if left:
                aside = Path(os.fsdecode(record.read_bytes()))
                if aside.name == record.name:
                    if aside.is_dir() and not aside.is_symlink():
                        shutil.rmtree(aside, ignore_errors=True)
                    aside.unlink(missing_ok=True)
                record.unlink(missing_ok=True)
    for lock in _listed(Path(tempfile.gettempdir()), f"{_SCRATCH}*/{_LOCK}"):
        with _unheld(lock) as left:
            if left:
                shutil.rmtree(lock.parent, ignore_errors=True)


def _listed(folder: Path, pattern: str) -> list[Path]:
    try:
        return sorted(folder.glob(pattern))
    except OSError:
        return []


@contextlib.contextmanager
def _unheld(lock: Path) -> Iterator[bool]:
    """Whether no living process holds a lock; it is held here meanwhile."""
    try:
        held = hold(lock)
    except OSError:
        held = None
    try:
        yield held is not None
    finally:
        if held is not None:
            let_go(held)
