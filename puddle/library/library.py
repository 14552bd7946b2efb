"""A library: its index, the marks of its sounds, and what a person has set up, in one folder."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

import msgspec
import numpy as np
from platformdirs import user_data_path

from puddle.kit.model.roles import Role
from puddle.library.catalog import CATALOG, Catalog, read_catalog, write_catalog
from puddle.library.columns import KEPT, REJECTED, ROLE_NAMES, USED
from puddle.library.doubles import fold
from puddle.library.index import Index
from puddle.library.kit_samples import PLACE
from puddle.library.marks import Judged, Mark, Marks, tagged
from puddle.library.rows import Entry
from puddle.library.search import Query, Sieve, Sieved

_BITS = {"kept": KEPT, "rejected": REJECTED}
replace = msgspec.structs.replace


def default_folder() -> Path:
    """Where the library of this person lies."""
    return user_data_path("puddle") / "library"


class Library:
    """Everything that Gather and the commands ask."""

    def __init__(self, folder: Path) -> None:
        """Opens it, or makes it. Raises FileError."""
        self.folder = folder
        self.index = Index(folder)
        self.marks = Marks(folder / "marks.jsonl")
        self.catalog = read_catalog(folder / CATALOG)
        self._sieve = Sieve(self.index)
        self._show(self.marks.every())
        self.counts = np.zeros(0, np.uint16)  # of each row; none until `fold_doubles`

    def close(self) -> None:
        """Keeps the columns and lets the files go."""
        self.index.close()

    def set_catalog(self, catalog: Catalog) -> None:
        """Keeps folders, collections and searches. Raises FileError."""
        write_catalog(self.folder / CATALOG, catalog)
        self.catalog = catalog

    # Marks.

    def refresh_marks(self) -> None:
        """Shows the marks on entries that have come meanwhile, and folds near-doubles."""
        self._show(self.marks.every())
        self.set_used(self.index.used_hashes())
        self.fold_doubles()

    def judge(self, ids: Sequence[int], judged: Judged) -> list[Mark]:
        """Keeps or rejects entries; returns the marks before. Raises FileError."""
        return self.mark([replace(m, judged=judged) for m in self._marks_of(ids)])

    def tag(self, ids: Sequence[int], tag: str, on: bool) -> list[Mark]:
        """Tags entries; returns the marks before. Raises FileError."""
        return self.mark([tagged(m, tag, on) for m in self._marks_of(ids)])

    def correct_role(self, ids: Sequence[int], role: Role) -> list[Mark]:
        """Says what entries are; returns the marks before. Raises FileError."""
        self.index.unlearned = True
        return self.mark([replace(m, role=role) for m in self._marks_of(ids)])

    def mark(self, marks: Iterable[Mark]) -> list[Mark]:
        """Sets marks; returns those before. Raises FileError."""
        wanted = list({m.hash: m for m in marks}.values())
        before = self.marks.set(wanted)
        self._show(wanted)
        return before

    def _marks_of(self, ids: Sequence[int]) -> list[Mark]:
        return [self.marks.of(e.hash) for e in self.index.entries(ids) if e.hash]

    def _show(self, marks: Sequence[Mark]) -> None:
        """Puts marks on the entries of their contents."""
        roles, tags = {}, {}
        by_hash = self.index.ids_by_hash(m.hash for m in marks)
        with self.index.lock:  # a scan may be making the columns longer
            columns = self.index.columns
            for mark in marks:
                ids = by_hash.get(mark.hash, [])
                columns.flag(ids, KEPT | REJECTED, False)
                if mark.judged:
                    columns.flag(ids, _BITS[mark.judged], True)
                for entry in ids:
                    tags[entry] = " ".join(mark.tags)
                    if mark.role is not None and self._role(entry) != (mark.role, 1000):
                        roles[entry] = (str(mark.role), 1.0)
        if self.index.writes:
            self.index.set_tags(tags)
            if roles:
                self.index.set_roles(roles)

    def _role(self, entry: int) -> tuple[str, int]:
        columns = self.index.columns
        return ROLE_NAMES[columns.roles[entry]], int(columns.sure[entry])

    def fold_doubles(self) -> None:
        """Finds near-doubles anew, after entries have come or gone."""
        with self.index.lock:
            columns = self.index.columns
            places = [row[0] for row in self.index.folders() if row[1] == PLACE]
            self.counts = fold(columns, np.isin(columns.folders, places))

    def stands_for(self, entry: int) -> int:
        """How many near-doubles a row stands for, itself among them."""
        return int(self.counts[entry]) if entry < self.counts.size else 1

    def set_used(self, hashes: Iterable[str]) -> None:
        """Notes contents that a kit uses."""
        with self.index.lock:
            self.index.columns.flag(self.index.with_hash(hashes), USED, True)

    # Questions.

    def sieved(self, query: Query) -> Sieved:
        """What remains."""
        if self.index.follow():
            self._show(self.marks.every())
        among = None
        if query.collection:
            among = frozenset(self.catalog.collections.get(query.collection, ()))
        with self.index.lock:
            return self._sieve.sieved(query, among)

    def ordered(self, ids: np.ndarray, by: str, down: bool = False) -> np.ndarray:
        """Ids in an order; see `Sieve.ordered`."""
        with self.index.lock:
            return self._sieve.ordered(ids, by, down)

    def nearest(self, row: np.ndarray, ids: np.ndarray, most: int) -> tuple[np.ndarray, np.ndarray]:
        """The nearest of some entries to a likeness row, and how far they lie."""
        with self.index.lock:
            return self._sieve.nearest(row, ids, most)

    def row_of(self, entry: int) -> np.ndarray:
        """The likeness row of an entry."""
        with self.index.lock:
            return np.array(self.index.columns.likeness[entry])

    def entries(self, ids: Sequence[int] | np.ndarray) -> list[Entry]:
        """Entries by id."""
        return self.index.entries([int(n) for n in ids])
