"""Gather: sounds found by what they are, heard in place, and put there."""

from __future__ import annotations

import random
from collections import deque
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from platformdirs import user_cache_path
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from puddle.demo.one_shots import write_one_shots
from puddle.kit.model.roles import Role
from puddle.library.catalog import replace as replaced
from puddle.library.gaps import Gap, Heard, gaps
from puddle.library.library import Library
from puddle.library.marks import Judged, Mark
from puddle.library.question import Question, of_entry, of_sound
from puddle.library.rows import Entry
from puddle.library.search import MEASURES, Query
from puddle.window.pages.gather.details import Details
from puddle.window.pages.gather.folders_panel import FoldersPanel
from puddle.window.pages.gather.sieve_panel import SievePanel, figures_of
from puddle.window.pages.gather.sound_list import BRIGHT, LOUD, SoundList, SoundModel
from puddle.window.pages.gather.trash import sure_to_trash
from puddle.window.session.hearing import WAYS, Hearing, Place, Way
from puddle.window.session.librarian import Answer, Librarian
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.controls import button, label, panel, tab
from puddle.window.widgets.page_view import PageView
from puddle.window.widgets.passing import popup_once

_CHANGED_MS = 250
_RECENT = 60
_SOON = 12  # sounds below the one at hand that are read ahead
_WAY_SAYS = {
    "plain": "As the file is.",
    "matched": "As loud as the pad's own sound, and at its pitch where both have one.",
    "in the groove": "In the place of the selected pad's source, with all its stages.",
}
_WIDE_PX, _TALL_PX = 1180, 520
_EMPTY = (
    "No folder is looked into yet. Add one of yours: its sounds are measured once, and found here "
    "by length, brightness, pitch and what they are like."
)


class GatherPage(PageView):
    """Folders on the left, the sieve over the list, the sound at hand on the right."""

    def __init__(self, session: Session, librarian: Librarian, hearing: Hearing) -> None:
        super().__init__()
        self._session, self.librarian, self.hearing = session, librarian, hearing
        self.folders, self.sieve, self.details = FoldersPanel(librarian), SievePanel(), Details()
        self.model = SoundModel(librarian.entries, self._mark_of, self._stands_for)
        self.list = SoundList(self.model)
        self._by, self._down = "name", False
        self._answer: Answer | None = None
        self._heard: deque[int] = deque(maxlen=_RECENT)
        self._seen = self._fresh = False
        self._asked: Callable[[Library], Question] | None = None  # what is like something
        self._of_pad = False  # whether it is a pad that others are like: of any role then
        self._unlike: list[int] = []
        self._changed = once_after(self, _CHANGED_MS, self._show_changed)
        self.whole = QSplitter(Qt.Orientation.Horizontal)
        for part in (panel(_in(self.folders)), self._middle(), panel(_in(self.details))):
            self.whole.addWidget(part)
        self.folders.setMinimumWidth(150)
        self.details.setMinimumWidth(216)
        self.whole.setSizes([196, 762, 274])
        self.whole.setStretchFactor(1, 1)
        self.whole.setHandleWidth(12)
        self.whole.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 12, 12, 10)
        outer.addWidget(self.whole)
        self._wire()

    def _middle(self) -> QWidget:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addWidget(self.sieve)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.list)
        self.stack.addWidget(self._empty_state())
        inner = QVBoxLayout()
        inner.setContentsMargins(6, 6, 6, 6)
        inner.addLayout(self._way_row())
        inner.addWidget(self.stack, 1)
        column.addWidget(panel(inner), 1)
        return middle

    def _way_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(6, 0, 6, 0)
        row.addWidget(label("Heard", "soft"))
        self._marks: list[QPushButton] = []  # in the menu of a row too, for narrow windows
        self.ways = {}
        for way in WAYS:
            made = tab(way)
            made.setToolTip(_WAY_SAYS[way])
            made.setChecked(way == self.hearing.way)
            made.clicked.connect(lambda _, w=way: self.hearing.set_way(w))
            self.ways[way] = made
            row.addWidget(made)
        row.addStretch(1)
        row.addWidget(self.sieve.count)
        row.addWidget(self.sieve.of)
        row.addWidget(
            button("Surprise me", "One of what remains that was not heard lately.", self.surprise)
        )
        self.gaps = button(
            "Gaps …", "What this kit lacks or has twice, each a search.", self.show_gaps
        )
        row.addWidget(self.gaps)
        row.addStretch(1)
        for text, says, judged in (
            ("Keep", "Marks the selected sounds as kept, or no longer. 1", "kept"),
            ("Reject", "Hides the selected sounds from now on; no file is deleted. 2", "rejected"),
        ):
            self._marks.append(button(text, says, partial(self.mark, judged)))
        tag = button("Tag …", "A word of yours on the selected sounds. 3", self.ask_tag)
        self._marks.append(tag)
        for made in self._marks:
            row.addWidget(made)
        return row

    def _empty_state(self) -> QWidget:
        self.empty = QWidget()
        column = QVBoxLayout(self.empty)
        column.addStretch(1)
        said = label(_EMPTY, "soft")
        said.setWordWrap(True)
        said.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(said)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(
            button("Add folder …", "A folder whose sounds are found here.", self.folders.ask_folder)
        )
        self.demo = button(
            "Make the demo's library", "Six hundred one-shots and loops, synthesized now.",
            self.make_demo,
        )  # fmt: skip
        row.addWidget(self.demo)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(2)
        return self.empty

    def _wire(self) -> None:
        librarian, session = self.librarian, self._session
        librarian.opened.connect(self._show_opened)
        librarian.changed.connect(self._note_changed)
        librarian.scans.progressed.connect(self.folders.show_progress)
        self.folders.chosen.connect(self._choose_place)
        self.sieve.asked.connect(self.ask)
        self.sieve.keep_wanted.connect(self.keep_search)
        self.list.sorted_by.connect(self._sort)
        self.list.current_changed.connect(self._show_current)
        self.list.pointed.connect(self._hear)
        self.list.taken.connect(self.take)
        self.list.marked.connect(self.mark)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._open_menu)
        self.details.put_wanted.connect(lambda place: self.take(self.details.entry, place))
        self.details.pulled.connect(self._ask_near)
        self.details.unlike_wanted.connect(self._less_like)
        self.details.near_chosen.connect(self._hear_near)
        self.details.role_corrected.connect(self._correct_role)
        self.hearing.changed.connect(self._show_way)
        for differs in (session.kit_changed, session.selection_changed):
            differs.connect(self._show_pad)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window marks are left to keys and to the menu of a row."""
        super().resizeEvent(event)
        wide = self.width() >= _WIDE_PX
        for made in self._marks:
            made.setVisible(wide)
        self.sieve.of.setVisible(wide)
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
        self.librarian.close()

    def entered(self) -> None:
        self.librarian.open()
        self._bring_demo()
        if self._fresh:
            self._show_changed()

    def _show_opened(self) -> None:
        self._show_changed()
        self._bring_demo()

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
        kept = self.list.current
        self.model.show(answer.ordered, fresh=fresh)
        nothing = not self.librarian.catalog.folders and not answer.sieved.of
        self.stack.setCurrentIndex(1 if nothing else 0)
        if kept is not None and self.list.current is None:
            rows = np.flatnonzero(answer.ordered == kept.id)
            if rows.size:
                self.list.blockSignals(True)
                self.list.selectRow(int(rows[0]))
                self.list.blockSignals(False)

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
            self._asked = lambda library: of_entry(library, entry)
            self._of_pad = False
            self._unlike = []
        self._ask_near()

    def _hear(self, entry: Entry) -> None:
        self._heard.append(entry.id)
        self.hearing.hear(entry)

    def _hear_near(self, entry: Entry) -> None:
        """What is near is heard and can be put; what it is near to stays the question."""
        self._hear(entry)
        self.details.show_entry(entry, self._session.pad)

    def _show_way(self) -> None:
        self.ways[self.hearing.way].setChecked(True)

    def set_way(self, way: Way) -> None:
        """How sounds are heard."""
        self.hearing.set_way(way)

    def surprise(self) -> None:
        """One of what remains that was not heard lately."""
        if self._answer is None or not self._answer.ordered.size:
            return
        rows = [n for n, i in enumerate(self._answer.ordered.tolist()) if i not in self._heard]
        row = random.choice(rows or range(self._answer.ordered.size))
        self.list.selectRow(row)
        self.list.scrollTo(self.model.index(row, 0))
        entry = self.model.entry(row)
        if entry is None:  # read only now: heard when it is there
            self.librarian.entries(
                "surprise", [int(self._answer.ordered[row])], lambda got: self._hear_near(got[0])
            )

    def _ask_near(self) -> None:
        asked = self._asked
        if asked is not None:
            query = Query() if self._of_pad else self.sieve.query
            self.librarian.nearest(asked, query, self.details.pulls, self._unlike, self._show_near)

    def _show_near(self, found: tuple[Question, list[tuple[Entry, float]]]) -> None:
        question, near = found
        self.details.show_near(question.name, near)

    def like_pad(self) -> None:
        """Asks for what is like the selected pad's sound, to be heard in its place."""
        pad = self._session.pad
        audio = self._session.renders.audio.get(self._session.pad_id)
        if pad is None or audio is None:
            self._session.told.emit("Select a pad with a sound first.")
            return
        rate, name = self._session.renders.takes.rate_hz, pad.name
        self._asked = lambda _: of_sound(name, audio, rate)
        self._of_pad = True
        self._unlike = []
        self.hearing.entry = None
        self.hearing.set_way("in the groove")
        self._ask_near()

    def _less_like(self) -> None:
        entry = self.details.entry
        if entry is not None:
            self._unlike.append(entry.id)
            self._ask_near()

    # Gaps.

    def show_gaps(self) -> None:
        """What the kit lacks or has twice."""
        session = self._session
        rate, sounds = session.renders.takes.rate_hz, dict(session.renders.audio)
        pads = [(p.name, p.role, sounds[p.id]) for p in session.kit.pads if p.id in sounds]

        def work() -> list[Gap]:
            return gaps([_heard(name, role, audio, rate) for name, role, audio in pads])

        session.background.ask("gaps", work, self._offer_gaps)

    def _offer_gaps(self, found: list[Gap]) -> None:
        if not found:
            self._session.told.emit("Nothing is missing, and nothing is there twice.")
            return
        menu = QMenu(self)
        for gap in found:
            action = menu.addAction(gap.said)
            if action is not None:
                action.triggered.connect(partial(self._mend, gap))
        popup_once(menu, self.gaps.mapToGlobal(self.gaps.rect().bottomLeft()))

    def _mend(self, gap: Gap) -> None:
        self.sieve.show_query(gap.query)

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

    def _mark_of(self, content: str) -> Mark:
        library = self.librarian.library
        return library.marks.of(content) if library is not None else Mark(content)

    def _stands_for(self, entry: int) -> int:
        library = self.librarian.library
        asked = self._answer.query.doubles if self._answer is not None else False
        return library.stands_for(entry) if library is not None and not asked else 1

    def mark(self, judged: str) -> None:
        """Keeps or rejects the selected sounds, or takes that back where all are so already."""
        if judged == "tag":
            self.ask_tag()
            return
        ids = self.list.chosen_ids()
        if not ids:
            return
        entries = [self.model.entry(i.row()) for i in self.list.selectedIndexes()]
        marks = [self._mark_of(e.hash).judged for e in entries if e is not None]
        wanted: Judged = "" if all(m == judged for m in marks) else judged  # type: ignore[assignment]
        self.librarian.judge(ids, wanted)
        if wanted == "rejected":
            count = "1 sound is" if len(ids) == 1 else f"{len(ids)} sounds are"
            self._session.told.emit(f"{count} hidden now, under Rejected. No file was touched.")

    def ask_tag(self) -> None:
        """Asks for a word for the selected sounds."""
        ids = self.list.chosen_ids()
        if ids:
            tag = ask_name(self, "Tag", "A word for the selected sounds:", "")
            if tag:
                self.librarian.tag(ids, tag, True)

    def _correct_role(self, role: str) -> None:
        entry = self.details.entry
        if entry is not None:
            wanted: Role = role  # type: ignore[assignment]
            self.librarian.correct_role([entry.id], wanted)

    def _collect(self, name: str) -> None:
        """Adds the selected sounds to a collection."""
        if not name:
            name = ask_name(self, "New collection", "Its name:", "") or ""
        if not name:
            return
        rows = {i.row() for i in self.list.selectedIndexes()}
        hashes = [e.hash for n in sorted(rows) if (e := self.model.entry(n)) is not None]
        catalog = self.librarian.catalog
        kept = tuple(dict.fromkeys((*catalog.collections.get(name, ()), *hashes)))
        self.librarian.set_catalog(
            replaced(catalog, collections={**catalog.collections, name: kept})
        )

    def _open_menu(self, at: QPoint) -> None:
        entry = self.list.current
        if entry is None:
            return
        menu = QMenu(self)
        own = figures_of(entry)
        for measure in MEASURES:
            if measure.field in own:
                text = f"{measure.label} like this one"
                action = menu.addAction(text)
                if action is not None:
                    action.triggered.connect(lambda _, f=measure.field: self.sieve.near(f, own[f]))
        menu.addSeparator()
        for text, judged in (("Keep", "kept"), ("Reject", "rejected"), ("Tag …", "tag")):
            action = menu.addAction(text)
            if action is not None:
                action.triggered.connect(lambda _, j=judged: self.mark(j))
        trash = menu.addAction("Move to the trash …")
        if trash is not None:
            trash.triggered.connect(self.ask_trash)
            trash.setEnabled(_is_file(entry))
        into = menu.addMenu("Add to collection")
        if into is not None:
            for name in (*self.librarian.catalog.collections, ""):
                action = into.addAction(name or "New collection …")
                if action is not None:
                    action.triggered.connect(lambda _, n=name: self._collect(n))
        viewport = self.list.viewport()
        if viewport is not None:
            popup_once(menu, viewport.mapToGlobal(at))

    def ask_trash(self) -> None:
        """Moves the files of the selected sounds to the desktop's trash, after asking."""
        rows = sorted({i.row() for i in self.list.selectedIndexes()})
        entries = [e for n in rows if (e := self.model.entry(n)) is not None]
        files = [e for e in entries if _is_file(e)]
        if files and sure_to_trash(self, [e.name for e in files]):
            self.librarian.trash(files)

    # The demo.

    def make_demo(self) -> None:
        """Makes the demo's library, with its progress, and looks into it."""
        self.librarian.scans.make(demo_folder(), write_one_shots, self.librarian.add_folder)


def demo_folder() -> Path:
    """Where the demo's library lies."""
    return user_cache_path("puddle") / "Larkmoor library"


def _is_file(entry: Entry) -> bool:
    """Whether it is a sound file, and no recipe or sample of a kit."""
    return not entry.synthesized and not entry.path.startswith(b"puddle:")


def _heard(name: str, role: Role, audio: np.ndarray, rate_hz: float) -> Heard:
    asked = of_sound(name, audio, rate_hz)
    length, brightness = (float(asked.figures[n]) for n in (0, 1))
    return Heard(name, role, length, brightness, asked.row)


def _in(widget: QWidget) -> QVBoxLayout:
    layout = QVBoxLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(widget)
    return layout
