"""The library in the window: opened when first wanted, asked away from the window's thread."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import PuddleError
from puddle.kit.model.roles import Role
from puddle.library.answers import Folder
from puddle.library.catalog import Catalog, with_folder, without_folder
from puddle.library.kit_samples import show_kit_samples
from puddle.library.library import Library, default_folder
from puddle.library.marks import Judged, Mark
from puddle.library.pulls import Pulls
from puddle.library.question import Question, nearest
from puddle.library.rows import Entry
from puddle.library.search import Query, Sieved
from puddle.tasks import Cancelled
from puddle.window.session.scans import Scans
from puddle.window.session.session import Session

_LONGEST_MARK_S = 5.0
_NEAR = 16  # sounds that are told


class Answer(msgspec.Struct, frozen=True, eq=False):
    """What a query left, in the order asked for."""

    query: Query
    sieved: Sieved
    ordered: np.ndarray


class Librarian(QObject):
    """Owns the library of this window."""

    opened = pyqtSignal()  # it can be asked
    changed = pyqtSignal()  # entries, marks or folders are others

    def __init__(self, session: Session, folder: Path | None = None) -> None:
        super().__init__()
        self._session = session
        self._folder = folder
        self.library: Library | None = None
        self._opening = False
        self.scans = Scans(session)
        self.scans.changed.connect(self.changed)
        self._closed = False
        self._marked = 0
        self._marking: list[threading.Event] = []  # marks that are not kept yet
        self._contents: object = None  # of the kit, that were listed
        self._later: list[Path] = []  # folders that wait for the library

    # Opening.

    def open(self) -> None:
        """Opens the library, once; `opened` tells when it is there."""
        if self.library is not None or self._opening:
            return
        self._opening = True
        folder = self._folder or default_folder()

        def work() -> Library | str:
            try:
                return Library(folder)
            except PuddleError as error:
                return str(error)

        self._session.background.start(work, self._take, key="library", priority="low")

    def _take(self, made: Library | str) -> None:
        self._opening = False
        if isinstance(made, str):
            self._session.told.emit(made)
            return
        self.library = self.scans.library = made
        if made.index.rebuilt:
            self._session.told.emit(
                "The library's index is made anew: it was damaged, or of another version."
            )
        if not made.index.writes:
            self._session.told.emit(
                "Another Puddle keeps the library: this one follows it, and measures nothing."
            )
        self.opened.emit()
        later, self._later = self._later, []
        for path in later:
            self.add_folder(path)
        self.scans.follow_folders()
        self.scans.scan()

    def close(self) -> None:
        """Leaves a scan where it is, and closes the library once every mark is kept."""
        self._closed = True
        for marked in self._marking:
            marked.wait(_LONGEST_MARK_S)
        self.scans.close()
        if self.library is not None:
            self.library.close()
            self.library = None

    @property
    def catalog(self) -> Catalog:
        """Folders, collections and searches."""
        return self.library.catalog if self.library is not None else Catalog()

    # Folders.

    def add_folder(self, path: Path) -> None:
        """Looks into a folder from now on; once the library is open, where it is not yet."""
        if self.library is None:
            self._later.append(path)
            self.open()
            return
        chosen = str(path.resolve())
        if self._set(with_folder(self.catalog, chosen)):
            self.scans.scan([chosen.encode("utf-8", "surrogateescape")])

    def set_favorite(self, path: str, favorite: bool) -> None:
        """Whether a folder is one click away."""
        self._set(with_folder(self.catalog, path, favorite=favorite))

    def remove_folder(self, path: str) -> None:
        """Looks into a folder no more; its files stay where they are, their marks too."""
        library = self.library
        if library is not None and self._set(without_folder(self.catalog, path)):
            raw = path.encode("utf-8", "surrogateescape")
            self._ask("forget", lambda: library.index.forget_below(raw), self._note_change)

    def set_catalog(self, catalog: Catalog) -> bool:
        """Keeps collections and searches; False where it was refused, which is told."""
        return self._set(catalog)

    def _set(self, catalog: Catalog) -> bool:
        if self.library is None:
            return False
        try:
            self.library.set_catalog(catalog)
        except PuddleError as error:
            self._session.told.emit(str(error))
            return False
        self.changed.emit()
        self.scans.follow_folders()
        return True

    def show_kit(self) -> None:
        """Lists the kit's samples, and notes them as used."""
        library, session = self.library, self._session
        journal, contents = session.file.journal, session.kit.contents
        if library is None or journal is None or not library.index.writes:
            return
        if contents is self._contents:
            return
        self._contents = contents

        def decode(content: str) -> tuple[np.ndarray, float] | None:
            found = journal.store.decoded(content)
            return (found.audio, found.rate_hz) if found is not None else None

        def work() -> None:
            with journal.in_use(), contextlib.suppress(PuddleError):  # where another one writes
                show_kit_samples(library.index, contents, decode)
                library.set_used(content.hash for content in contents)
                library.fold_doubles()

        self._session.background.start(
            self._while_open(work), self._note_change, key="kit samples", priority="low"
        )

    # Asking.

    def ask(self, query: Query, by: str, down: bool, then: Callable[[Answer], None]) -> None:
        """What a query leaves, in an order; a newer question takes the place of an older one."""
        library = self.library
        if library is None:
            return

        def work() -> Answer:
            sieved = library.sieved(query)
            return Answer(query, sieved, library.ordered(sieved.ids, by, down))

        self._ask("query", work, then)

    def folders(self, then: Callable[[list[Folder]], None]) -> None:
        """The folders that hold entries, counted on a worker."""
        library = self.library
        if library is not None:
            self._ask("folders", library.index.folders, then)

    def entries(
        self, place: object, ids: Sequence[int], then: Callable[[list[Entry]], None]
    ) -> None:
        """Entries by id."""
        library = self.library
        if library is not None:
            wanted = [int(n) for n in ids]
            self._ask(("entries", place), lambda: library.entries(wanted), then)

    def nearest(
        self,
        asked: Callable[[Library], Question],
        query: Query,
        pulls: Pulls,
        unlike: Sequence[int],
        then: Callable[[tuple[Question, list[tuple[Entry, float]]]], None],
    ) -> None:
        """The sounds nearest to a question, which is made on a worker; then both."""
        library, away = self.library, list(unlike)
        if library is None:
            return

        def work() -> tuple[Question, list[tuple[Entry, float]]]:
            question = asked(library)
            return question, nearest(library, question, query, pulls, _NEAR, lambda: away)

        self._ask("nearest", work, then)

    def _ask(self, place: object, work: Callable[[], Any], then: Callable[[Any], None]) -> None:
        self._session.background.start(self._while_open(work), then, key=("library", place))

    def _while_open(self, work: Callable[[], Any]) -> Callable[[], Any]:
        def done() -> Any:
            try:
                return work()
            except Exception:
                if self._closed:  # it was closed in the middle of the work
                    raise Cancelled from None
                raise

        return done

    # Marks.

    def mark_of(self, content: str) -> Mark:
        """The mark of a content hash."""
        return self.library.marks.of(content) if self.library is not None else Mark(content)

    def judge(self, ids: Sequence[int], judged: Judged) -> None:
        """Keeps or rejects entries."""
        self._mark(lambda library: library.judge(ids, judged))

    def tag(self, ids: Sequence[int], tag: str, on: bool) -> None:
        """Tags entries."""
        self._mark(lambda library: library.tag(ids, tag, on))

    def correct_role(self, ids: Sequence[int], role: Role) -> None:
        """Sets the role of entries by hand."""
        # Once it is said, what is like them is learned.
        self._mark(lambda library: library.correct_role(ids, role), lambda: self.scans.scan([]))

    def _mark(
        self, change: Callable[[Library], object], then: Callable[[], None] = lambda: None
    ) -> None:
        library = self.library
        if library is None:
            return

        done = threading.Event()

        def work() -> str:
            try:
                change(library)
            except PuddleError as error:
                return str(error)
            finally:
                done.set()
            return ""

        self._marking = [*(one for one in self._marking if not one.is_set()), done]
        self._marked += 1  # one after the other, and none in the place of another

        def come(said: str) -> None:
            self._note_marked(said)
            then()

        key = ("library", "mark", self._marked)
        self._session.background.start(work, come, key=key, priority="low")

    def _note_marked(self, said: str) -> None:
        if said:
            self._session.told.emit(said)
        self.changed.emit()

    def trash(self, entries: Sequence[Entry]) -> None:
        """Moves files to the desktop's trash; they are listed no more."""
        library = self.library
        if library is None:
            return

        def work() -> str:
            from send2trash import send2trash

            gone, said = [], ""
            for entry in entries:
                try:
                    send2trash(os.fsdecode(entry.path))
                    gone.append(entry.id)
                except OSError as error:
                    said = f"{entry.name} cannot be moved to the trash: {error.strerror or error}."
            try:
                library.index.forget(gone)
            except PuddleError as error:
                said = str(error)
            return said

        self._session.background.start(
            work, self._note_marked, key=("library", "trash"), priority="low"
        )

    def _note_change(self, _: object) -> None:
        self.changed.emit()
