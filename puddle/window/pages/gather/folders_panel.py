"""Folders, this kit, collections and kept searches, and how a scan comes along."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QMenu,
    QProgressBar,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from puddle.files import shown
from puddle.library.answers import Folder
from puddle.library.kit_samples import PLACE
from puddle.library.scanner import Progress
from puddle.library.search import Query
from puddle.library.synthesized import VOICES
from puddle.window.session.librarian import Librarian
from puddle.window.widgets.controls import button, elided, label
from puddle.window.widgets.passing import popup_once

_KIND, _VALUE = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
_NAME_ROLE = Qt.ItemDataRole.DisplayRole


class FoldersPanel(QWidget):
    """What a search looks into."""

    chosen = pyqtSignal(str, str)  # "all", "folder", "collection", "judged" or "search"; which

    def __init__(self, librarian: Librarian) -> None:
        super().__init__()
        self._librarian = librarian
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setColumnCount(2)
        self.tree.setIndentation(12)
        self.tree.setAccessibleName("Folders and collections")
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tree.customContextMenuRequested.connect(self._open_menu)
        self.tree.currentItemChanged.connect(self._tell)
        heads = self.tree.header()
        if heads is not None:
            heads.setStretchLastSection(False)
            heads.setSectionResizeMode(0, heads.ResizeMode.Stretch)
            heads.setSectionResizeMode(1, heads.ResizeMode.ResizeToContents)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.setSpacing(8)
        column.addWidget(label("Where", "title"))
        column.addWidget(self.tree, 1)
        column.addWidget(
            button("Add folder …", "Another folder whose sounds are found here.", self.ask_folder)
        )
        column.addWidget(self._scan_strip())
        self._filling = False
        self._parts: list[object] = []

    def _scan_strip(self) -> QWidget:
        self.strip = QWidget()
        row = QVBoxLayout(self.strip)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self._said = elided("", "soft")
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(7)
        self._bar.setAccessibleName("Sounds measured")
        self.pause = button("Pause", "Lets measuring rest, or go on.", self._pause)
        self.stop = button(
            "Stop", "Leaves measuring; what was measured stays.", self._librarian.scans.cancel
        )
        both = QHBoxLayout()
        both.addWidget(self.pause)
        both.addWidget(self.stop)
        for part in (self._said, self._bar):
            row.addWidget(part)
        row.addLayout(both)
        self.strip.hide()
        return self.strip

    def _pause(self) -> None:
        self._librarian.scans.pause(not self._librarian.scans.paused)
        self.pause.setText("Go on" if self._librarian.scans.paused else "Pause")

    def show_progress(self, progress: Progress | None) -> None:
        """How far a scan has come; None when it has ended."""
        self.strip.setVisible(progress is not None)
        if progress is None:
            self.pause.setText("Pause")  # whatever comes next goes on
            return
        self._bar.setRange(0, max(1, progress.of))
        self._bar.setValue(progress.done)
        left = f", {progress.per_second:.0f} a second" if progress.per_second else ""
        self._said.setText(f"{progress.done:,} of {progress.of:,}{left}")

    # The tree.

    def fill(self) -> None:
        """Asks for the folders as they are now, and shows them."""
        self._librarian.folders(self._show)

    def _show(self, known: list[Folder]) -> None:
        catalog = self._librarian.catalog
        parts = [known, catalog]
        if parts == self._parts:
            return
        self._parts = parts
        now = self.choice
        self._filling = True
        self.tree.clear()
        self._add(None, "Everything", "all", "", sum(row[3] for row in known))
        below: dict[int, list[Folder]] = {}
        for row in known:
            below.setdefault(row[2], []).append(row)
        favorites = {folder.path for folder in catalog.folders if folder.favorite}
        roots = {row[1]: row for row in below.get(0, [])}
        paths = sorted(catalog.folders, key=lambda f: (f.path not in favorites, f.path))
        for folder in paths:
            raw = os.path.realpath(folder.raw)
            row = roots.get(raw) or (0, raw, 0, 0)
            self._add_folder(None, row, below, favorite=folder.path in favorites)
        own = roots.get(PLACE)
        if own is not None:
            self._add(None, "This kit", "folder", shown(PLACE), own[3])
        voices = roots.get(VOICES)
        if voices is not None:
            self._add(None, "Starting points", "folder", shown(VOICES), voices[3])
        for name, which in (("Kept", "kept"), ("Rejected (hidden)", "rejected")):
            self._add(None, name, "judged", which, None)
        for name, hashes in catalog.collections.items():
            self._add(None, name, "collection", name, len(hashes))
        for name in catalog.searches:
            self._add(None, f"⌕ {name}", "search", name, None)
        self._filling = False
        self._restore(now)

    def _add_folder(
        self,
        parent: QTreeWidgetItem | None,
        row: Folder,
        below: dict[int, list[Folder]],
        *,
        favorite: bool = False,
    ) -> int:
        """Adds a folder with those below it; returns how many sounds are in all of them."""
        name = shown(os.path.basename(row[1]) or row[1])
        path = row[1].decode("utf-8", "surrogateescape")
        item = self._add(parent, f"★ {name}" if favorite else name, "folder", path, None)
        item.setToolTip(0, shown(row[1]))
        count = row[3]
        for child in sorted(below.get(row[0], []) if row[0] else [], key=lambda r: r[1].lower()):
            count += self._add_folder(item, child, below)
        item.setText(1, f"{count:,}")
        item.setExpanded(parent is None)
        return count

    def _add(
        self, parent: QTreeWidgetItem | None, name: str, kind: str, value: str, count: int | None
    ) -> QTreeWidgetItem:
        item = QTreeWidgetItem([name, "" if count is None else f"{count:,}"])
        item.setData(0, _KIND, kind)
        item.setData(0, _VALUE, value)
        item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if parent is None:
            self.tree.addTopLevelItem(item)
        else:
            parent.addChild(item)
        return item

    @property
    def choice(self) -> tuple[str, str]:
        """What is chosen."""
        item = self.tree.currentItem()
        return (item.data(0, _KIND), item.data(0, _VALUE)) if item is not None else ("all", "")

    def _restore(self, choice: tuple[str, str]) -> None:
        found = self._item_of(choice) or self.tree.topLevelItem(0)
        if found is not None:
            self._filling = True
            self.tree.setCurrentItem(found)
            self._filling = False

    def _item_of(self, choice: tuple[str, str]) -> QTreeWidgetItem | None:
        waiting = [self.tree.topLevelItem(n) for n in range(self.tree.topLevelItemCount())]
        while waiting:
            item = waiting.pop()
            if item is None:
                continue
            if (item.data(0, _KIND), item.data(0, _VALUE)) == choice:
                return item
            waiting += [item.child(n) for n in range(item.childCount())]
        return None

    def _tell(self) -> None:
        if not self._filling:
            self.chosen.emit(*self.choice)

    # What is done to folders.

    def ask_folder(self) -> None:
        """Asks for a folder."""
        name = QFileDialog.getExistingDirectory(self, "A folder of sounds")
        if name:
            self._librarian.add_folder(Path(name))

    def _open_menu(self, at: QPoint) -> None:
        kind, value = self.choice
        menu = QMenu(self)
        catalog = self._librarian.catalog
        root = next((f for f in catalog.folders if os.path.realpath(f.path) == value), None)
        if kind == "folder" and root is not None:
            said = "No favorite any more" if root.favorite else "A favorite"
            offers = [
                (said, lambda: self._librarian.set_favorite(root.path, not root.favorite)),
                ("Look through it again", lambda: self._librarian.scans.scan([root.raw])),
                ("Remove from the library", lambda: self._librarian.remove_folder(root.path)),
            ]
        elif kind == "search":
            offers = [("Forget this search", lambda: self._forget_search(value))]
        elif kind == "collection":
            offers = [("Forget this collection", lambda: self._forget_collection(value))]
        else:
            return
        for text, done in offers:
            action = menu.addAction(text)
            if action is not None:
                action.triggered.connect(lambda _, d=done: d())
        viewport = self.tree.viewport()
        if viewport is not None:
            popup_once(menu, viewport.mapToGlobal(at))

    def _forget_search(self, name: str) -> None:
        from puddle.library.catalog import replace

        catalog = self._librarian.catalog
        kept = {n: q for n, q in catalog.searches.items() if n != name}
        self._librarian.set_catalog(replace(catalog, searches=kept))

    def _forget_collection(self, name: str) -> None:
        from puddle.library.catalog import replace

        catalog = self._librarian.catalog
        kept = {n: h for n, h in catalog.collections.items() if n != name}
        self._librarian.set_catalog(replace(catalog, collections=kept))

    def place_of(self, query: Query) -> Query:
        """A query within what is chosen."""
        import msgspec

        kind, value = self.choice
        if kind == "folder":
            return msgspec.structs.replace(query, folder=value)
        if kind == "judged":
            return msgspec.structs.replace(query, judged=value)
        if kind == "collection":
            return msgspec.structs.replace(query, collection=value)
        return query
