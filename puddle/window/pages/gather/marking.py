"""What is said of sounds and done to them: marks, tags, collections, the trash; a row's menu."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu

from puddle.library.catalog import replace as replaced
from puddle.library.marks import Judged
from puddle.library.rows import is_file
from puddle.library.search import MEASURES
from puddle.window.pages.gather.sieve_panel import SievePanel, figures_of
from puddle.window.pages.gather.sound_list import SoundList
from puddle.window.pages.gather.trash import sure_to_trash
from puddle.window.session.librarian import Librarian
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.passing import popup_once, submenu


class Marking:
    """Works on the rows that are selected."""

    def __init__(
        self, session: Session, librarian: Librarian, sounds: SoundList, sieve: SievePanel
    ) -> None:
        self._session, self._librarian = session, librarian
        self._list, self._sieve = sounds, sieve
        self.marked_row: int | None = None  # from where the next sound is taken up

    def mark(self, judged: str) -> None:
        """Keeps or rejects the selected sounds, or takes that back where all are so already."""
        if judged == "tag":
            self.ask_tag()
            return
        ids = self._list.chosen_ids()
        if not ids:
            return
        entries = [self._list.sounds.entry(i.row()) for i in self._list.selectedIndexes()]
        marks = [self._librarian.mark_of(e.hash).judged for e in entries if e is not None]
        wanted: Judged = "" if all(m == judged for m in marks) else judged  # type: ignore[assignment]
        self.marked_row = self._list.currentIndex().row()
        self._librarian.judge(ids, wanted)
        if wanted == "rejected":
            count = "1 sound is" if len(ids) == 1 else f"{len(ids)} sounds are"
            self._session.told.emit(f"{count} hidden now, under Rejected. No file was touched.")

    def ask_tag(self) -> None:
        """Asks for a word for the selected sounds."""
        ids = self._list.chosen_ids()
        if ids:
            tag = ask_name(self._list, "Tag", "A word for the selected sounds:", "")
            if tag:
                self._librarian.tag(ids, tag, True)

    def collect(self, name: str) -> None:
        """Adds the selected sounds to a collection."""
        if not name:
            name = ask_name(self._list, "New collection", "Its name:", "") or ""
        if not name:
            return
        rows = {i.row() for i in self._list.selectedIndexes()}
        hashes = [e.hash for n in sorted(rows) if (e := self._list.sounds.entry(n)) is not None]
        catalog = self._librarian.catalog
        kept = tuple(dict.fromkeys((*catalog.collections.get(name, ()), *hashes)))
        self._librarian.set_catalog(
            replaced(catalog, collections={**catalog.collections, name: kept})
        )

    def open_menu(self, at: QPoint) -> None:
        entry = self._list.current
        if entry is None:
            return
        menu = QMenu(self._list)
        own = figures_of(entry)
        for measure in MEASURES:
            if measure.field in own:
                text = f"{measure.label} like this one"
                action = menu.addAction(text)
                if action is not None:
                    action.triggered.connect(lambda _, f=measure.field: self._sieve.near(f, own[f]))
        menu.addSeparator()
        for text, judged in (("Keep", "kept"), ("Reject", "rejected"), ("Tag …", "tag")):
            action = menu.addAction(text)
            if action is not None:
                action.triggered.connect(lambda _, j=judged: self.mark(j))
        cut = menu.addAction("Cut hits out of it")
        if cut is not None:
            path = Path(os.fsdecode(entry.path))
            cut.triggered.connect(lambda: self._session.recording_wanted.emit(path))
            cut.setEnabled(is_file(entry))
        trash = menu.addAction("Move to the trash …")
        if trash is not None:
            trash.triggered.connect(self.ask_trash)
            trash.setEnabled(is_file(entry))
        into = submenu(menu, "Add to collection")
        for name in (*self._librarian.catalog.collections, ""):
            action = into.addAction(name or "New collection …")
            if action is not None:
                action.triggered.connect(lambda _, n=name: self.collect(n))
        viewport = self._list.viewport()
        if viewport is not None:
            popup_once(menu, viewport.mapToGlobal(at))

    def ask_trash(self) -> None:
        """Moves the files of the selected sounds to the desktop's trash, after asking."""
        rows = sorted({i.row() for i in self._list.selectedIndexes()})
        entries = [e for n in rows if (e := self._list.sounds.entry(n)) is not None]
        files = [e for e in entries if is_file(e)]
        if files and sure_to_trash(self._list, [e.name for e in files]):
            self._librarian.trash(files)
