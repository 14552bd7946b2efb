"""The journal: an open kit's `kit.json` beside its store of samples, in the state folder.

Autosave writes it every few seconds while there is something new. The process that has a journal
holds a lock on it; a journal that nobody holds is what recovery finds.
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import tempfile
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec

from puddle.errors import FileError, KitFileError
from puddle.files import Stamp, hold, let_go, read_regular, shown, write_aside
from puddle.formats.store import SampleStore
from puddle.kit.codec.reading import MOST_JSON_BYTES, kit_from_json, kit_json
from puddle.kit.model.document import Kit

_LOCK = "lock"
_BEING_MADE = ".new-"
_OLD_S = 3600.0
_MOST_WHERE_BYTES = 1 << 16


class Lost(msgspec.Struct, frozen=True):
    """A journal that no living process holds."""

    folder: Path
    name: str
    path: str  # where the kit was last saved, or ""
    saved_at: float
    stamp: Stamp | None = None  # of that file as it was then


class Journal:
    """The folder of one open kit, for as long as anything is done with its samples."""

    def __init__(self, folder: Path, lock: int) -> None:
        """Of a folder whose lock is held; see `new_journal` and `recovered`."""
        self.folder = folder
        self._lock = lock
        self._uses = 0
        self._closing = self._gone = False
        self._counted = threading.Lock()
        self.store = SampleStore(folder / "samples")

    def write(self, kit: Kit, path: Path | None = None, stamp: Stamp | None = None) -> None:
        """Writes the kit as it is now, and where and over what it would be saved.

        Raises FileError where the disk refuses.
        """
        where = {
            "name": kit.name,
            "path": str(path) if path else "",
            "time": time.time(),
            "stamp": msgspec.structs.astuple(stamp) if stamp else None,
        }
        write_aside(self.folder / "kit.json", kit_json(kit))
        write_aside(self.folder / "where.json", json.dumps(where).encode())

    def forget_edits(self) -> None:
        """After a save: there is nothing to recover."""
        for name in ("kit.json", "where.json"):
            (self.folder / name).unlink(missing_ok=True)

    def borrow(self) -> Callable[[], None]:
        """Keeps the samples until what is returned is called, whatever is closed meanwhile."""
        with self._counted:
            self._uses += 1

        def give_back() -> None:
            with self._counted:
                self._uses -= 1
            self._remove_if_unused()

        return give_back

    @contextlib.contextmanager
    def in_use(self) -> Iterator[SampleStore]:
        """The store, borrowed for the time of some work."""
        give_back = self.borrow()
        try:
            yield self.store
        finally:
            give_back()

    @property
    def closing(self) -> bool:
        """Whether the kit was left: what is still done with its samples is done for others."""
        return self._closing

    def close(self) -> None:
        """Removes the folder once nothing uses it: the kit was saved, or its edits given up."""
        self._closing = True
        self._remove_if_unused()

    def _remove_if_unused(self) -> None:
        with self._counted:
            if not self._closing or self._uses or self._gone:
                return
            self._gone = True
        self.store.close()
        shutil.rmtree(self.folder, ignore_errors=True)
        let_go(self._lock)

    def abandon(self) -> None:
        """Leaves everything as a process that dies does."""
        self._gone = True
        self.store.close()
        let_go(self._lock)


def new_journal(root: Path) -> Journal:
    """A journal for a kit. Raises FileError where its folder cannot be made."""
    name = uuid.uuid4().hex
    making = root / f"{_BEING_MADE}{name}"
    try:
        making.mkdir(parents=True)
        lock = hold(making / _LOCK)
        assert lock is not None  # nobody else knows its name
        making.rename(root / name)  # nobody sees it before it is held
        return Journal(root / name, lock)
    except OSError as error:
        shutil.rmtree(making, ignore_errors=True)
        raise FileError(
            f"The folder {shown(root)} cannot be written: {error.strerror or error}."
        ) from None


def any_journal(root: Path) -> tuple[Journal, str]:
    """A journal, in the system's temporary folder where the root cannot be written: then a
    sentence says that nothing could be recovered. Raises FileError where neither can."""
    try:
        return new_journal(root), ""
    except FileError as error:
        note = f"{error} Your kit can be saved, but not be recovered after a crash."
        return new_journal(Path(tempfile.gettempdir()) / f"puddle-{os.getuid()}"), note


def lost_journals(root: Path) -> list[Lost]:
    """Journals with edits that nobody holds, newest first; empty ones are cleared away."""
    found = []
    for folder in root.iterdir() if root.is_dir() else ():
        if not folder.is_dir() or not _may_be_lost(folder):
            continue
        with contextlib.suppress(OSError):
            held = hold(folder / _LOCK)
            if held is None:
                continue
            try:
                if not (folder / "kit.json").exists():
                    shutil.rmtree(folder, ignore_errors=True)
                else:
                    found.append(_lost(folder))
            finally:
                let_go(held)
    return sorted(found, key=lambda lost: -lost.saved_at)


def _may_be_lost(folder: Path) -> bool:
    """One that is being made is not held yet: only when it was left long ago is it lost."""
    if not folder.name.startswith(_BEING_MADE):
        return True
    try:
        return time.time() - folder.stat().st_mtime > _OLD_S
    except OSError:
        return False


def _lost(folder: Path) -> Lost:
    try:
        where = json.loads(read_regular(folder / "where.json", _MOST_WHERE_BYTES))
        stamp = Stamp(*map(int, where["stamp"])) if where.get("stamp") else None
        return Lost(folder, str(where["name"]), str(where["path"]), float(where["time"]), stamp)
    except (FileError, ValueError, KeyError, TypeError):
        return Lost(folder, "a kit", "", (folder / "kit.json").stat().st_mtime)


def recovered(lost: Lost) -> tuple[Kit, Journal]:
    """The kit of a lost journal, which this process holds from now on.

    Raises KitFileError where it cannot be read, or where another window has recovered it.
    """
    try:
        held = hold(lost.folder / _LOCK)
    except OSError:
        raise KitFileError(f"{lost.name} is no longer there: it was recovered or left.") from None
    if held is None:
        raise KitFileError(f"{lost.name} is open in another window, which has recovered it.")
    try:
        text = read_regular(lost.folder / "kit.json", MOST_JSON_BYTES)
        kit = kit_from_json(text, f"the journal of {lost.name}")
        return kit, Journal(lost.folder, held)
    except (FileError, OSError) as error:
        let_go(held)
        raise KitFileError(f"The journal of {lost.name} cannot be read: {error}") from None
