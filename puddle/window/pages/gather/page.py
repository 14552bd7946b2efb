"""Gather: sounds found by what they are, heard in place, and put there."""

from __future__ import annotations

import random
from collections import deque
from pathlib import Path

import numpy as np
from platformdirs import user_cache_path
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from puddle.demo.one_shots import write_one_shots
from puddle.kit.model.roles import Role
from puddle.library.catalog import replace as replaced
from puddle.library.rows import Entry
from puddle.window.pages.gather.alike import Alike
from puddle.window.pages.gather.details import Details
from puddle.window.pages.gather.folders_panel import FoldersPanel
from puddle.window.pages.gather.gap_menu import GapMenu
from puddle.window.pages.gather.list_panel import ListPanel
from puddle.window.pages.gather.marking import Marking
from puddle.window.pages.gather.sieve_panel import SievePanel
from puddle.window.pages.gather.sound_list import SoundList
from puddle.window.pages.gather.sound_model import BRIGHT, LOUD, SoundModel
from puddle.window.session.hearing import Hearing, Place
from puddle.window.session.librarian import Answer, Librarian
from puddle.window.session.session import Session
from puddle.window.session.shelf import Shelf
from puddle.window.session.timing import once_after
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.controls import panel
from puddle.window.widgets.page_view import PageView

_CHANGED_MS = 250
_RECENT = 60
_SOON = 12  # sounds below the one at hand that are read ahead
_WIDE_PX, _TALL_PX = 1180, 520
_ROOMY_PX = 1250  # marks have room beside counts of five digits


class GatherPage(PageView):
    """Folders on the left, the sieve over the list, the sound at hand on the right."""

    def __init__(
        self, session: Session, librarian: Librarian, hearing: Hearing, shelf: Shelf
    ) -> None:
        super().__init__()
        self._session, self.librarian, self.hearing = session, librarian, hearing
        self.folders, self.sieve, self.details = FoldersPanel(librarian), SievePanel(), Details()
        self.model = SoundModel(
            librarian.entries, librarian.mark_of, self._stands_for, hearing.write_files
        )
        self.list = SoundList(self.model)
        self.marking = Marking(session, librarian, self.list, self.sieve)
        self.alike = Alike(session, librarian, hearing, self.sieve, self.details, shelf)
        self.gaps = GapMenu(session, self.sieve)
        self._by, self._down = "name", False
        self._answer: Answer | None = None
        self._heard: deque[int] = deque(maxlen=_RECENT)
        self._seen = self._fresh = False
        self._changed = once_after(self, _CHANGED_MS, self._show_changed)
        self.sounds = ListPanel(self.list, self.sieve, self.marking, hearing, self.gaps.button)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addWidget(self.sieve)
        column.addWidget(self.sounds, 1)
        self.folders.setMinimumWidth(150)
        self.details.setMinimumWidth(216)
        parts = (panel(_in(self.folders)), middle, panel(_in(self.details)))
        self.whole = self.side_by_side(parts, [196, 762, 274], growing=1)
        self._wire()

    def _wire(self) -> None:
        librarian, session = self.librarian, self._session
        librarian.opened.connect(self._show_changed)
        librarian.opened.connect(self._bring_demo)
        librarian.changed.connect(self._note_changed)
        librarian.scans.progressed.connect(self.folders.show_progress)
        self.folders.chosen.connect(self._choose_place)
        self.sieve.asked.connect(self.ask)
        self.sieve.keep_wanted.connect(self.keep_search)
        self.list.sorted_by.connect(self._sort)
        self.list.current_changed.connect(self._show_current)
        self.list.pointed.connect(self._hear)
        self.list.taken.connect(self.take)
        session.sounds_dropped.connect(
            lambda ids, place: librarian.entries(
                ("dropped", place), ids, lambda got: self.hearing.land(got, place)
            )
        )
        self.list.marked.connect(self.marking.mark)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self.marking.open_menu)
        self.details.put_wanted.connect(lambda place: self.take(self.details.entry, place))
        self.details.pulled.connect(self.alike.ask)
        self.details.unlike_wanted.connect(self.alike.less_like)
        self.details.other_wanted.connect(self.alike.ask_other)
        self.details.near_chosen.connect(self._hear_near)
        self.details.role_corrected.connect(self._correct_role)
        self.sounds.surprise_wanted.connect(self.surprise)
        self.sounds.folder_wanted.connect(self.folders.ask_folder)
        self.sounds.demo_wanted.connect(self.make_demo)
        for differs in (session.kit_changed, session.selection_changed):
            differs.connect(self._show_pad)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window marks are left to keys and to the menu of a row."""
        super().resizeEvent(event)
        self.sounds.set_wide(self.width() >= _ROOMY_PX)
        for column, least in ((LOUD, _WIDE_PX), (BRIGHT, _WIDE_PX - 130)):
            self.list.setColumnHidden(column, self.width() < least)
        tall = self.height() >= _TALL_PX
        for part in self.sieve.ranges.values():
            part.set_tall(tall)

    # Seen.

    def splitters(self) -> dict[str, QSplitter]:
        return {"gather": self.whole}

    def watch(self, seen: bool) -> None:
        self._seen = seen
        self._show_pad()
        if not seen:
            self.hearing.leave()

    def end(self) -> None:
        self.model.close()
        self.librarian.close()

    def entered(self) -> None:
        self.librarian.open()
        self._bring_demo()
        if self._fresh:
            self._show_changed()

    def _bring_demo(self) -> None:
        """The demo brings a library, where there is no folder yet."""
        opened = self.librarian.library is not None
        if opened and self._session.file.is_demo and not self.librarian.catalog.folders:
            self.make_demo()

    def _note_changed(self) -> None:
        if not self._changed.isActive():
            self._changed.start()

    def _show_changed(self) -> None:
        if not self._seen:
            self._fresh = True
            return
        self._fresh = False
        self.librarian.show_kit()
        self.folders.fill()
        self.ask(fresh=True)

    # Asking.

    def ask(self, *, fresh: bool = False) -> None:
        """Asks for what the sieve lets through in the place that is chosen."""
        query = self.folders.place_of(self.sieve.query)
        self.librarian.ask(
            query, self._by, self._down, lambda answer: self._show_answer(answer, fresh)
        )

    def _show_answer(self, answer: Answer, fresh: bool) -> None:
        self._answer = answer
        self.sieve.show_answer(answer.sieved)
        kept = self.list.show_ids(answer.ordered, fresh=fresh)
        nothing = not self.librarian.catalog.folders and not answer.sieved.of
        self.sounds.show_nothing(nothing)
        if kept == "untouched":
            return
        row, self.marking.marked_row = self.marking.marked_row, None
        if kept == "gone" and row is not None and answer.ordered.size:
            self.list.selectRow(min(row, answer.ordered.size - 1))  # the next one

    def _sort(self, by: str, down: bool) -> None:
        self._by, self._down = by, down
        self.ask()

    def _choose_place(self, kind: str, value: str) -> None:
        if kind == "search":
            self.sieve.show_query(self.librarian.catalog.searches[value])
        else:
            self.ask()

    def keep_search(self) -> None:
        """Keeps what is asked for under a name."""
        name = ask_name(self, "Keep this search", "Its name:", "")
        if name:
            query = self.folders.place_of(self.sieve.query)
            catalog = self.librarian.catalog
            self.librarian.set_catalog(
                replaced(catalog, searches={**catalog.searches, name: query})
            )

    # Hearing.

    def _show_current(self, entry: Entry | None) -> None:
        if entry is None:
            return
        self._hear(entry)
        self._show_details(entry)
        row = self.list.currentIndex().row()
        soon = [self.model.entry(n) for n in range(row + 1, row + 1 + _SOON)]
        self.hearing.ready([e for e in soon if e is not None])

    def _show_details(self, entry: Entry | None) -> None:
        self.details.show_entry(entry, self._session.pad)
        if entry is not None:
            self.alike.like(entry)

    def _hear(self, entry: Entry) -> None:
        self._heard.append(entry.id)
        self.hearing.hear(entry)

    def _hear_near(self, entry: Entry) -> None:
        """What is near is heard and can be put; what it is near to stays the question."""
        self._hear(entry)
        self.details.show_entry(entry, self._session.pad)

    def surprise(self) -> None:
        """One of what remains that was not heard lately."""
        if self._answer is None or not self._answer.ordered.size:
            return
        ids = self._answer.ordered
        rows = np.flatnonzero(~np.isin(ids, list(self._heard)))
        row = int(random.choice(rows if rows.size else range(ids.size)))
        self.list.selectRow(row)
        self.list.scrollTo(self.model.index(row, 0))
        entry = self.model.entry(row)
        if entry is None:  # read only now: heard when it is there
            self.librarian.entries(
                "surprise", [int(self._answer.ordered[row])], lambda got: self._hear_near(got[0])
            )

    # Taking.

    def take(self, entry: Entry | None, place: Place) -> None:
        """Puts a sound into the kit."""
        if entry is not None:
            self.hearing.put(entry, place)

    def _show_pad(self) -> None:
        if self._seen:
            self.librarian.show_kit()
            self.details.show_pad(self._session.pad)

    # Marks.

    def _stands_for(self, entry: int) -> int:
        library = self.librarian.library
        asked = self._answer.query.doubles if self._answer is not None else False
        return library.stands_for(entry) if library is not None and not asked else 1

    def _correct_role(self, role: str) -> None:
        entry = self.details.entry
        if entry is not None:
            wanted: Role = role  # type: ignore[assignment]
            self.librarian.correct_role([entry.id], wanted)

    # The demo.

    def make_demo(self) -> None:
        """Makes the demo's library, with its progress, and looks into it."""
        self.librarian.scans.make(demo_folder(), write_one_shots, self.librarian.add_folder)


def demo_folder() -> Path:
    """Where the demo's library lies."""
    return user_cache_path("puddle") / "Larkmoor library"


def _in(widget: QWidget) -> QVBoxLayout:
    layout = QVBoxLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(widget)
    return layout
