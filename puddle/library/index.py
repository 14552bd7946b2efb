"""The index of a library: one SQLite file, a flat file of columns beside it, one writer.

What is measured is kept by the hash of the content, in `sounds`; where it lies, in `files`. So a
file that is moved, renamed or copied is not measured again. The marks that a person sets are not
here (`marks`): an index that is damaged is put aside and made anew.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import threading
import time
import uuid
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

from puddle.errors import FileError
from puddle.files import hold, let_go, shown
from puddle.kit.model.roles import named_role
from puddle.library.answers import MANY, Answers
from puddle.library.columns import Columns
from puddle.library.kit_entries import forget_kits, put_kit
from puddle.library.kit_pads import KitPads, is_kit
from puddle.library.record import Record, Unreadable
from puddle.library.rows import ROW, SCHEMA, insert_sound, put_row, told_role
from puddle.library.walking import Seen
from puddle.library.worker import Found

VERSION = 3  # also when what is measured changes: then all is measured anew
_WAIT_S = 10.0
_FOLLOW_S = 5.0
_TAGS = "\n"  # between what a path tells and the tags


class Index(Answers):
    """The index in a folder. Any thread may use it; `put` and the like need `writes`."""

    def __init__(self, folder: Path) -> None:
        """Opens it, or makes it anew where there is none that can be read. Raises FileError."""
        self.folder = folder
        self.lock = threading.RLock()  # held while the index, or the columns, change
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._held = hold(folder / "writer")
        except OSError as error:
            raise FileError(f"{shown(folder)} cannot hold a library: {error.strerror}.") from None
        self.writes = self._held is not None  # False where another Puddle has it
        self.rebuilt = False
        self.unlearned = False  # whether roles may be learned from what is told since
        try:
            self._db = self._opened()
        except sqlite3.DatabaseError:
            if not self.writes:
                self.close()
                raise FileError(f"The library in {shown(folder)} is damaged.") from None
            self._put_aside()
            self.rebuilt = True
            self._db = self._opened()
        kept = Columns.load(folder, self.revision)
        self.columns = kept or self._columns_of_all()
        self.unlearned = kept is None  # it was not closed, or is new
        self._read_at, self._read = time.monotonic(), self.revision

    def _opened(self) -> sqlite3.Connection:
        db = sqlite3.connect(
            self.folder / "index.sqlite", timeout=_WAIT_S, check_same_thread=False,
            isolation_level=None,
        )  # fmt: skip
        try:
            db.row_factory = sqlite3.Row
            db.execute("PRAGMA journal_mode = WAL")
            db.execute("PRAGMA synchronous = NORMAL")
            db.execute("PRAGMA cache_size = -16000")
            with contextlib.suppress(sqlite3.OperationalError):  # there is none yet
                told = db.execute("SELECT value FROM meta WHERE key = 'version'").fetchone()
                if told is not None and told[0] != str(VERSION):
                    raise sqlite3.DatabaseError("another version")
            if self.writes:
                db.executescript(SCHEMA)
                db.execute("INSERT OR IGNORE INTO meta VALUES ('version', ?)", (str(VERSION),))
                self._revise(db)
                now = db.execute("SELECT value FROM meta WHERE key = 'revision'").fetchone()[0]
                clean = Columns.kept(self.folder, now)  # it was closed, and has not changed since
                if not clean and db.execute("PRAGMA quick_check(1)").fetchone()[0] != "ok":
                    raise sqlite3.DatabaseError("damaged")
        except sqlite3.DatabaseError:
            db.close()
            raise
        return db

    @staticmethod
    def _revise(db: sqlite3.Connection) -> None:
        db.execute("INSERT OR IGNORE INTO meta VALUES ('revision', ?)", (uuid.uuid4().hex,))

    def _put_aside(self) -> None:
        for name in ("index.sqlite", "index.sqlite-wal", "index.sqlite-shm", "columns"):
            with contextlib.suppress(OSError):
                os.replace(self.folder / name, self.folder / f"damaged-{name}")

    def close(self) -> None:
        """Writes the columns and lets the files go."""
        with self.lock:
            if hasattr(self, "_db"):
                self.keep_columns()
                self._db.close()
            if self._held is not None:
                let_go(self._held)
                self._held = None
                self.writes = False

    # What it holds.

    @property
    def revision(self) -> str:
        """Another one after each change."""
        with self.lock:
            found = self._db.execute("SELECT value FROM meta WHERE key = 'revision'").fetchone()
        return str(found[0]) if found else ""

    def _columns_of_all(self) -> Columns:
        last = self._db.execute("SELECT max(id) FROM files").fetchone()[0] or 0
        made = Columns(last + 1)
        for row in self._db.execute(ROW):
            put_row(made, row)
        return made

    def follow(self) -> bool:
        """Reads the columns anew where another Puddle has changed the index; whether it did.

        At most every few seconds: it may be measuring.
        """
        if self.writes or time.monotonic() - self._read_at < _FOLLOW_S:
            return False
        self._read_at = time.monotonic()
        now = self.revision
        if now == self._read:
            return False
        with self.lock:
            self.columns = Columns.load(self.folder, now) or self._columns_of_all()
            self._read = now
        return True

    def keep_columns(self) -> None:
        """Writes the flat file, if it is not the newest."""
        if self.writes and not Columns.kept(self.folder, self.revision):
            self.columns.save(self.folder, self.revision)

    # What changes it.

    @contextlib.contextmanager
    def change(self) -> Iterator[sqlite3.Connection]:
        """One change, whole or not at all. Raises FileError where another Puddle writes."""
        if not self.writes:
            raise FileError("Another Puddle keeps the library; it cannot be changed from here.")
        with self.lock:
            self._db.execute("BEGIN IMMEDIATE")
            try:
                yield self._db
                self._db.execute(
                    "UPDATE meta SET value = ? WHERE key = 'revision'", (uuid.uuid4().hex,)
                )
                self._db.execute("COMMIT")
            except BaseException:
                self._db.execute("ROLLBACK")
                raise

    def put(self, measured: Iterable[tuple[Seen, Found]], root: bytes) -> None:
        """Notes what was measured of files below a root."""
        told = list(measured)
        if not told:
            return
        self.unlearned = True
        ids = []
        with self.change() as db:
            for seen, found in told:
                if is_kit(seen.path) and not isinstance(found, Record | str):
                    ids += put_kit(self, db, seen, found, root)
                    continue
                assert not isinstance(found, KitPads)
                if isinstance(found, Record):
                    insert_sound(db, found)
                ids.append(self._put_file(db, seen, found, root))
        self._renew(ids)

    def _put_file(
        self, db: sqlite3.Connection, seen: Seen, found: Record | Unreadable | str, root: bytes
    ) -> int:
        name = shown(os.path.basename(seen.path))
        inside = shown(os.path.relpath(os.path.dirname(seen.path), os.path.dirname(root)))
        reason = found.reason if isinstance(found, Unreadable) else None
        content = found if isinstance(found, str) else found.hash if not reason else None  # type: ignore[union-attr]
        told = told_role(name, inside)
        folder = self.folder_of(db, os.path.dirname(seen.path), root)
        db.execute(
            "INSERT INTO files (folder, path, name, size, changed_ns, hash, reason, role, sure)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (path) DO UPDATE SET"
            " size = excluded.size, changed_ns = excluded.changed_ns, hash = excluded.hash,"
            " reason = excluded.reason, away = 0, folder = excluded.folder",
            (folder, seen.path, name, seen.size, seen.changed_ns, content, reason, told,
             1.0 if told else None),
        )  # fmt: skip
        found_id = db.execute("SELECT id FROM files WHERE path = ?", (seen.path,)).fetchone()[0]
        db.execute("INSERT OR REPLACE INTO words (rowid, text) VALUES (?, ?)",
                   (found_id, f"{inside} {name}"))  # fmt: skip
        return int(found_id)

    def folder_of(self, db: sqlite3.Connection, path: bytes, root: bytes) -> int:
        """The id of a folder, made with those that it lies in up to the root."""
        row = db.execute("SELECT id FROM folders WHERE path = ?", (path,)).fetchone()
        if row is not None:
            return int(row[0])
        below = path != root and path.startswith(root.rstrip(b"/") + b"/")
        parent = self.folder_of(db, os.path.dirname(path), root) if below else 0
        made = db.execute("INSERT INTO folders (path, parent) VALUES (?, ?)", (path, parent))
        return int(made.lastrowid or 0)

    def put_synthesized(
        self, made: Iterable[tuple[str, str, Record]], place: bytes, *, synthesized: bool = True
    ) -> None:
        """Notes sounds that are no files of a folder: an address, a name and the record each."""
        measured = list(made)  # before the index is held
        if not measured:
            return
        with self.change() as db:
            for _, _, record in measured:
                insert_sound(db, record)
        named = [(address, name, record.hash) for address, name, record in measured]
        self.put_contents(named, place, synthesized=synthesized)

    def put_contents(
        self, named: Sequence[tuple[str, str, str]], place: bytes, *, synthesized: bool = False
    ) -> None:
        """Notes known contents that are no files of a folder: an address, a name, a hash each."""
        ids = []
        if not named:
            return
        with self.change() as db:
            folder = self.folder_of(db, place, place)
            for address, name, content in named:
                path = place + b"/" + address.encode()
                told = None if synthesized else named_role(name)
                db.execute(
                    "INSERT INTO files (folder, path, name, size, changed_ns, hash, synthesized,"
                    " role, sure) VALUES (?, ?, ?, 0, 0, ?, ?, ?, ?) ON CONFLICT (path) DO UPDATE"
                    " SET hash = excluded.hash, away = 0",
                    (folder, path, name, content, synthesized, told, 1.0 if told else None),
                )
                row = db.execute("SELECT id FROM files WHERE path = ?", (path,)).fetchone()
                words = f"{shown(place).partition(':')[2]} {address.rpartition('/')[0]} {name}"
                db.execute("INSERT OR REPLACE INTO words (rowid, text) VALUES (?, ?)",
                           (row[0], words))  # fmt: skip
                ids.append(int(row[0]))
        self._renew(ids)

    def set_away(self, ids: Sequence[int], away: bool) -> None:
        """Notes that files are not there at present, or are there again."""
        self._on_each("UPDATE files SET away = ? WHERE id = ?", [(int(away), n) for n in ids])
        self._renew(ids)

    def forget(self, ids: Sequence[int]) -> None:
        """Removes entries; what was measured stays, for where their content turns up again."""
        self._on_each("DELETE FROM files WHERE id = ?", [(n,) for n in ids])
        self._on_each("DELETE FROM words WHERE rowid = ?", [(n,) for n in ids])
        with self.lock:
            self.columns.drop(ids)

    def forget_below(self, folder: bytes) -> None:
        """Removes a folder with all entries below it."""
        self.forget([state[0] for state in self.states_below(folder).values()])
        forget_kits(self, [state[0] for state in self.kits_below(folder).values()])
        low, high = folder.rstrip(b"/") + b"/", folder.rstrip(b"/") + b"0"
        with self.change() as db:
            db.execute("DELETE FROM folders WHERE path = ? OR (path >= ? AND path < ?)",
                       (folder, low, high))  # fmt: skip

    def set_roles(self, roles: dict[int, tuple[str, float]]) -> None:
        """Sets the roles of entries, and how sure they are."""
        self._on_each(
            "UPDATE files SET role = ?, sure = ? WHERE id = ?",
            [(role, sure, n) for n, (role, sure) in roles.items()],
        )
        self._renew(list(roles))

    def set_tags(self, tags: dict[int, str]) -> None:
        """Lets words find entries by their tags too."""
        with self.lock:
            now = {
                n: row[0]
                for n in tags
                if (
                    row := self._db.execute(
                        "SELECT text FROM words WHERE rowid = ?", (n,)
                    ).fetchone()
                )
            }
        told = {
            n: text.split(_TAGS)[0] + (_TAGS + tags[n] if tags[n] else "")
            for n, text in now.items()
        }
        changed = [(text, n) for n, text in told.items() if text != now[n]]
        if changed:
            self._on_each("UPDATE words SET text = ? WHERE rowid = ?", changed)

    def _on_each(self, sql: str, values: list[tuple[Any, ...]]) -> None:
        if values:
            with self.change() as db:
                db.executemany(sql, values)

    def _renew(self, ids: Sequence[int]) -> None:
        for start in range(0, len(ids), MANY):
            part = ids[start : start + MANY]
            marks = ",".join("?" * len(part))
            with self.lock:
                for row in self._db.execute(f"{ROW} WHERE f.id IN ({marks})", part).fetchall():
                    put_row(self.columns, row)
