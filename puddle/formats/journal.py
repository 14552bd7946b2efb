"""The journal: an open kit's `kit.json` beside its store of samples, in the state folder.

Autosave writes it every few seconds while there is something new. A journal whose process has died
is what recovery finds.
"""

from __future__ import annotations

import json
import os
import shutil
import time
import uuid
from dataclasses import dataclass
from pathlib import Path

from puddle.errors import KitFileError
from puddle.formats.sound import write_aside
from puddle.formats.store import SampleStore
from puddle.kit.document import Kit
from puddle.kit.reading import kit_from_json, kit_json


@dataclass(frozen=True)
class Lost:
    """A journal that no living process holds."""

    folder: Path
    name: str
    path: str  # where the kit was last saved, or ""
    saved_at: float


class Journal:
    """The folder of one open kit."""

    def __init__(self, root: Path, folder: Path | None = None) -> None:
        self.folder = folder or root / uuid.uuid4().hex
        self.folder.mkdir(parents=True, exist_ok=True)
        (self.folder / "pid").write_text(f"{os.getpid()} {_started(os.getpid())}")
        self.store = SampleStore(self.folder / "samples")

    def write(self, kit: Kit, path: Path | None) -> None:
        """Writes the kit as it is now. Raises SoundFileError where the disk refuses."""
        where = {"name": kit.name, "path": str(path) if path else "", "time": time.time()}
        write_aside(self.folder / "kit.json", kit_json(kit))
        write_aside(self.folder / "where.json", json.dumps(where).encode())

    def forget_edits(self) -> None:
        """After a save: there is nothing to recover."""
        for name in ("kit.json", "where.json"):
            (self.folder / name).unlink(missing_ok=True)

    def close(self) -> None:
        """Removes the folder: the kit was saved, or its edits were given up."""
        self.store.close()
        shutil.rmtree(self.folder, ignore_errors=True)


def lost_journals(root: Path) -> list[Lost]:
    """Journals with edits whose process has died, newest first; empty ones are cleared away."""
    found = []
    for folder in root.iterdir() if root.is_dir() else ():
        if not folder.is_dir() or _held(folder):
            continue
        if not (folder / "kit.json").exists():
            shutil.rmtree(folder, ignore_errors=True)
            continue
        try:
            where = json.loads((folder / "where.json").read_text())
            lost = Lost(folder, str(where["name"]), str(where["path"]), float(where["time"]))
        except (OSError, ValueError, KeyError, TypeError):
            lost = Lost(folder, "a kit", "", (folder / "kit.json").stat().st_mtime)
        found.append(lost)
    return sorted(found, key=lambda lost: -lost.saved_at)


def recovered(lost: Lost, root: Path) -> tuple[Kit, Journal]:
    """The kit of a lost journal, which this process holds from now on. Raises KitFileError."""
    try:
        text = (lost.folder / "kit.json").read_bytes()
    except OSError as error:
        raise KitFileError(f"The journal of {lost.name} cannot be read: {error}.") from None
    return kit_from_json(text, f"the journal of {lost.name}"), Journal(root, lost.folder)


def _held(folder: Path) -> bool:
    """Whether the process that made a journal lives: its number and start time still agree."""
    try:
        pid, started = (folder / "pid").read_text().split()
        return _started(int(pid)) == started
    except (OSError, ValueError):
        return False


def _started(pid: int) -> str:
    """When a process was started, in the kernel's ticks; "" when there is none."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[19]
    except (OSError, IndexError):
        return ""
