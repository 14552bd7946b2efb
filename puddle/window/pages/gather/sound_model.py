"""The rows of the list of sounds: any length, read in pieces as they are wanted."""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QAbstractTableModel, QMimeData, QModelIndex, Qt, QUrl

from puddle.files import shown
from puddle.library.marks import Mark
from puddle.library.rows import Entry, is_file
from puddle.units import note_from_hz, note_name, with_unit
from puddle.window.widgets.mime import SOUNDS_MIME
from puddle.window.widgets.promised_files import PromisedFiles, Writing

Ask = Callable[[object, Sequence[int], Callable[[list[Entry]], None]], None]
_BLOCK = 64
NONE = "–"
# Header, width, what it is sorted by, and the sentence of its tooltip.
COLUMNS = (
    ("", 26, "", "A filled dot: kept."),
    ("", 150, "", "The wave. Point at it to hear it."),
    ("Name", 190, "name", "The file's name, or the starting point's."),
    ("Role", 84, "role", "What it is taken for: by its name, by you, or by its sound."),
    ("Length", 76, "length_ms", "How long the file is."),
    ("Pitch", 62, "pitch_hz", "The settled fundamental."),
    ("Bright", 76, "brightness_hz", "The center of gravity of its spectrum."),
    ("Loud", 92, "loudness_lufs", "Its loudness by BS.1770."),
)
MARK, WAVE, NAME, ROLE, LENGTH, PITCH, BRIGHT, LOUD = range(len(COLUMNS))
ENTRY = Qt.ItemDataRole.UserRole


def figure_text(entry: Entry, column: int) -> str:
    """A cell's text."""
    told = entry.measured
    if column == NAME:
        return entry.name.rsplit(".", 1)[0] or entry.name
    if column == ROLE:
        return "loop" if entry.beats else entry.role
    if column == LENGTH:
        if entry.beats:
            return f"{entry.beats} beats"
        return _told(told.get("length_ms"), "ms", 0)
    if column == PITCH:
        hz = told.get("fundamental_hz")
        return note_name(round(note_from_hz(hz))) if hz else NONE
    if column == BRIGHT:
        return _told(told.get("centroid_hz"), "Hz", 0)
    return _told(told.get("loudness_lufs"), "LUFS", 1) if column == LOUD else ""


def _told(value: float | None, unit: str, decimals: int) -> str:
    if value is None or not math.isfinite(value):
        return NONE
    return with_unit(value, unit, decimals).removeprefix("+")


class SoundModel(QAbstractTableModel):
    """Ids in an order; entries come as they are wanted."""

    def __init__(
        self,
        ask: Ask,
        mark_of: Callable[[str], Mark],
        stands_for: Callable[[int], int],
        write: Callable[[list[Entry], Path], list[Path]],
    ) -> None:
        """`write` renders entries that are no files into a folder, on any thread."""
        super().__init__()
        self._write = write
        self._writing: Writing | None = None
        self._ask = ask
        self._stands_for = stands_for
        self.mark_of = mark_of
        self.ids = np.zeros(0, np.int64)
        self._entries: dict[int, Entry] = {}
        self._asked: set[int] = set()
        self._stale: set[int] = set()  # entries that may be others now

    def show(self, ids: np.ndarray, *, fresh: bool) -> None:
        """Shows other ids; entries that may be others now are shown until they are read again."""
        same = np.array_equal(ids, self.ids)
        if len(self._entries) > 64 * _BLOCK:
            self._entries = {}
        if fresh:
            self._stale = set(self._entries)
        if not same:
            self._asked = set()  # blocks of other ids
        if same:
            self.refresh()
            return
        self.beginResetModel()
        self.ids = ids
        self.endResetModel()

    def refresh(self) -> None:
        """Draws the rows anew, after marks have changed."""
        if self.ids.size:
            last = self.index(self.ids.size - 1, len(COLUMNS) - 1)
            self.dataChanged.emit(self.index(0, 0), last)

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else int(self.ids.size)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section][0]
        if role == Qt.ItemDataRole.ToolTipRole:
            return COLUMNS[section][3]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        return None

    def entry(self, row: int) -> Entry | None:
        """The entry of a row; None while it is read."""
        if not 0 <= row < self.ids.size:
            return None
        found = self._entries.get(int(self.ids[row]))
        if found is None or found.id in self._stale:
            self._want(row // _BLOCK)
        return found

    def _want(self, block: int) -> None:
        if block in self._asked:
            return
        self._asked.add(block)
        ids = self.ids[block * _BLOCK : (block + 1) * _BLOCK]

        def come(found: list[Entry]) -> None:
            self._entries |= {entry.id: entry for entry in found}
            self._stale -= set(ids.tolist())
            self._asked.discard(block)
            self.refresh()

        self._ask(block, ids.tolist(), come)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        entry = self.entry(index.row())
        if entry is None:
            return None
        if role == ENTRY:
            return entry
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            count = self._stands_for(entry.id) if index.column() == NAME else 1
            more = f"  ×{count}" if count > 1 else ""
            return figure_text(entry, index.column()) + more
        if role == Qt.ItemDataRole.ToolTipRole and index.column() == NAME:
            return shown(entry.path)
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsDragEnabled

    def close(self) -> None:
        """Removes what the last drag wrote."""
        if self._writing is not None:
            self._writing.remove()
            self._writing = None

    def mimeTypes(self) -> list[str]:
        return [SOUNDS_MIME, "text/uri-list"]

    def mimeData(self, indexes: Any) -> QMimeData:
        """Files as the desktop takes them: what is none is rendered; within the window by id."""
        rows = sorted({index.row() for index in indexes})
        found = [entry for row in rows if (entry := self.entry(row)) is not None]
        files = [Path(os.fsdecode(entry.path)) for entry in found if is_file(entry)]
        recipes = [entry for entry in found if not is_file(entry)]
        if not recipes:
            data = QMimeData()
            data.setUrls([QUrl.fromLocalFile(str(path)) for path in files])
            return data
        if self._writing is not None:
            self._writing.remove()
        self._writing = Writing(lambda folder: self._write(recipes, folder))
        return PromisedFiles(
            self._writing, files, sounds=b" ".join(b"%d" % entry.id for entry in found)
        )
