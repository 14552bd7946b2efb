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
import uuid
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from puddle.errors import FileError
from puddle.files import hold, let_go, shown
from puddle.kit.model.roles import named_role
from puddle.library.columns import FIGURES, LOOP, SYNTHESIZED, THERE, Columns
from puddle.library.kit_pads import KitPads, is_kit
from puddle.library.record import Record, Unreadable
from puddle.library.walking import Seen
from puddle.library.worker import Found

VERSION = 2
_SCHEMA = """
CREATE TABLE IF NOT EXISTS meta (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS folders (
    id INTEGER PRIMARY KEY, path BLOB UNIQUE NOT NULL, parent INTEGER NOT NULL);
CREATE TABLE IF NOT EXISTS sounds (
    hash TEXT PRIMARY KEY, measured TEXT NOT NULL, picture BLOB NOT NULL, likeness BLOB NOT NULL,
    length_ms REAL, brightness_hz REAL, pitch_hz REAL, loudness_lufs REAL, attack_ms REAL,
    decay_ms REAL, noisiness REAL, bpm REAL, beats INTEGER NOT NULL, onset_ms REAL NOT NULL,
    role TEXT NOT NULL, sure REAL NOT NULL) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS files (
    id INTEGER PRIMARY KEY, folder INTEGER NOT NULL, path BLOB UNIQUE NOT NULL, name TEXT NOT NULL,
    size INTEGER NOT NULL, changed_ns INTEGER NOT NULL, hash TEXT, reason TEXT,
    away INTEGER NOT NULL DEFAULT 0, synthesized INTEGER NOT NULL DEFAULT 0, role TEXT, sure REAL,
    kit INTEGER NOT NULL DEFAULT 0);
CREATE TABLE IF NOT EXISTS kits (
    id INTEGER PRIMARY KEY, path BLOB UNIQUE NOT NULL, name TEXT NOT NULL, size INTEGER NOT NULL,
    changed_ns INTEGER NOT NULL, reason TEXT);
CREATE TABLE IF NOT EXISTS uses (kit INTEGER NOT NULL, hash TEXT NOT NULL);
CREATE INDEX IF NOT EXISTS uses_hash ON uses (hash);
CREATE INDEX IF NOT EXISTS files_kit ON files (kit) WHERE kit > 0;
CREATE INDEX IF NOT EXISTS files_hash ON files (hash);
CREATE INDEX IF NOT EXISTS files_folder ON files (folder);
CREATE VIRTUAL TABLE IF NOT EXISTS words USING fts5 (text, tokenize = 'trigram');
"""
_ROW = """
SELECT f.id, f.folder, f.away, f.synthesized, f.reason, s.length_ms, s.brightness_hz, s.pitch_hz,
    s.loudness_lufs, s.attack_ms, s.decay_ms, s.noisiness, s.bpm, s.beats, s.likeness,
    coalesce(f.role, s.role, 'effect') AS role, coalesce(f.sure, s.sure, 0) AS sure
FROM files f LEFT JOIN sounds s ON s.hash = f.hash
"""
_WAIT_S = 10.0
_TAGS = "\n"  # between what a path tells and the tags
_MANY = 500  # ids in one question


class Entry(msgspec.Struct, frozen=True):
    """One entry, as a list shows it."""

    id: int
    path: bytes
    name: str
    hash: str
    reason: str
    away: bool
    synthesized: bool
    role: str
    sure: float
    measured: dict[str, Any]
    picture: bytes
    beats: int
    bpm: float
    onset_ms: float


class Index:
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
        try:
            self._db = self._opened()
        except sqlite3.DatabaseError:
            if not self.writes:
                self.close()
                raise FileError(f"The library in {shown(folder)} is damaged.") from None
            self._put_aside()
            self.rebuilt = True
            self._db = self._opened()
        self.columns = Columns.load(folder, self.revision) or self._columns_of_all()

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
                db.executescript(_SCHEMA)
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
        for row in self._db.execute(_ROW):
            _put(made, row)
        return made

    def keep_columns(self) -> None:
        """Writes the flat file, if it is not the newest."""
        if self.writes and not Columns.kept(self.folder, self.revision):
            self.columns.save(self.folder, self.revision)

    def entries(self, ids: Sequence[int]) -> list[Entry]:
        """Entries by id, in the order asked for; ids that are gone are left out."""
        found: dict[int, Entry] = {}
        for start in range(0, len(ids), _MANY):
            part = [int(n) for n in ids[start : start + _MANY]]
            marks = ",".join("?" * len(part))
            asked = (
                "SELECT f.*, s.measured, s.picture, s.beats, s.bpm, s.onset_ms,"
                " coalesce(f.role, s.role, 'effect') AS heard_as,"
                " coalesce(f.sure, s.sure, 0) AS how_sure"
                f" FROM files f LEFT JOIN sounds s ON s.hash = f.hash WHERE f.id IN ({marks})"
            )
            with self.lock:
                found |= {row["id"]: _entry(row) for row in self._db.execute(asked, part)}
        return [found[int(n)] for n in ids if int(n) in found]

    def ids_with_words(self, words: str) -> np.ndarray:
        """Entries in whose name, folders or tags every word stands, as a part of it."""
        asked = [word for word in words.lower().split() if word]
        if not asked:
            return np.zeros(0, np.int64)
        long = [word for word in asked if len(word) >= 3]
        where, values = [], []
        if long:
            where.append("words MATCH ?")
            values.append(" ".join('"' + word.replace('"', '""') + '"' for word in long))
        for word in asked:
            if len(word) < 3:
                where.append("instr(lower(text), ?)")
                values.append(word)
        sql = f"SELECT group_concat(rowid) FROM words WHERE {' AND '.join(where)}"
        with self.lock:
            found = self._db.execute(sql, values).fetchone()[0]
        return np.fromstring(found or "", np.int64, sep=",")

    def with_hash(self, hashes: Iterable[str]) -> list[int]:
        """Entries that hold a content."""
        wanted = list(hashes)
        found: list[int] = []
        for start in range(0, len(wanted), _MANY):
            part = wanted[start : start + _MANY]
            marks = ",".join("?" * len(part))
            with self.lock:
                found += [
                    row[0]
                    for row in self._db.execute(
                        f"SELECT id FROM files WHERE hash IN ({marks})", part
                    )
                ]
        return found

    def ids_by_hash(self, hashes: Iterable[str]) -> dict[str, list[int]]:
        """The entries that hold each content."""
        wanted, found = list(hashes), dict[str, list[int]]()
        for start in range(0, len(wanted), _MANY):
            part = wanted[start : start + _MANY]
            marks = ",".join("?" * len(part))
            asked = f"SELECT hash, id FROM files WHERE hash IN ({marks})"
            with self.lock:
                for content, entry in self._db.execute(asked, part):
                    found.setdefault(content, []).append(entry)
        return found

    def known_hashes(self) -> frozenset[str]:
        """The contents that have been measured."""
        with self.lock:
            return frozenset(row[0] for row in self._db.execute("SELECT hash FROM sounds"))

    def sizes(self) -> list[tuple[int, str]]:
        """The size and content of every file that was measured."""
        asked = "SELECT DISTINCT size, hash FROM files WHERE hash IS NOT NULL AND synthesized = 0"
        with self.lock:
            return [(row[0], row[1]) for row in self._db.execute(asked)]

    def untold(self) -> list[int]:
        """Entries whose role is told by nothing but their sound."""
        asked = (
            "SELECT id FROM files WHERE (role IS NULL OR sure < 1) AND hash IS NOT NULL"
            " AND synthesized = 0"
        )
        with self.lock:
            return [row[0] for row in self._db.execute(asked)]

    def folders(self) -> list[tuple[int, bytes, int, int]]:
        """Each folder's id, path, the id of the one that it lies in (0 for none), and how many
        entries lie in it itself."""
        asked = (
            "SELECT d.id, d.path, d.parent, count(f.id) FROM folders d LEFT JOIN files f"
            " ON f.folder = d.id AND f.away = 0 AND f.reason IS NULL GROUP BY d.id"
        )
        with self.lock:
            return [(row[0], bytes(row[1]), row[2], row[3]) for row in self._db.execute(asked)]

    def by_name(self) -> list[int]:
        """All entries in the order of their names."""
        with self.lock:
            asked = "SELECT id FROM files ORDER BY name COLLATE NOCASE, id"
            return [row[0] for row in self._db.execute(asked)]

    def unreadable(self) -> list[tuple[str, str]]:
        """Files that could not be measured, and why."""
        asked = "SELECT path, reason FROM files WHERE reason IS NOT NULL AND away = 0"
        with self.lock:
            return [(shown(bytes(row[0])), row[1]) for row in self._db.execute(asked)]

    def states_below(self, folder: bytes) -> dict[bytes, tuple[int, int, int, bool]]:
        """What is known of the files below a folder: id, size, time, whether they are away."""
        low, high = folder.rstrip(b"/") + b"/", folder.rstrip(b"/") + b"0"
        asked = (
            "SELECT path, id, size, changed_ns, away FROM files WHERE path >= ? AND path < ?"
            " AND kit = 0"
        )
        with self.lock:
            return {
                bytes(row[0]): (row[1], row[2], row[3], bool(row[4]))
                for row in self._db.execute(asked, (low, high))
            }

    def kits_below(self, folder: bytes) -> dict[bytes, tuple[int, int, int, bool]]:
        """The same of kits; whether one is away is not known of it but of its pads."""
        low, high = folder.rstrip(b"/") + b"/", folder.rstrip(b"/") + b"0"
        asked = "SELECT path, id, size, changed_ns FROM kits WHERE path >= ? AND path < ?"
        with self.lock:
            rows = self._db.execute(asked, (low, high)).fetchall()
        return {bytes(row[0]): (row[1], row[2], row[3], False) for row in rows}

    def kits_using(self, content: str) -> list[str]:
        """The names of kits below the folders that use a content."""
        asked = "SELECT DISTINCT k.name FROM uses u JOIN kits k ON k.id = u.kit WHERE u.hash = ?"
        with self.lock:
            return [row[0] for row in self._db.execute(asked, (content,))]

    def used_hashes(self) -> list[str]:
        """The contents that kits below the folders use."""
        with self.lock:
            return [row[0] for row in self._db.execute("SELECT DISTINCT hash FROM uses")]

    # What changes it.

    @contextlib.contextmanager
    def _change(self) -> Iterator[sqlite3.Connection]:
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
        ids = []
        with self._change() as db:
            for seen, found in measured:
                if is_kit(seen.path) and not isinstance(found, Record | str):
                    ids += self._put_kit(db, seen, found, root)
                    continue
                assert not isinstance(found, KitPads)
                if isinstance(found, Record):
                    _insert_sound(db, found)
                ids.append(self._put_file(db, seen, found, root))
        self._renew(ids)

    def _put_kit(
        self, db: sqlite3.Connection, seen: Seen, found: KitPads | Unreadable, root: bytes
    ) -> list[int]:
        """Notes a kit with its pads, in the place of what it was; returns their ids."""
        readable = isinstance(found, KitPads)
        name = found.name if isinstance(found, KitPads) else shown(os.path.basename(seen.path))
        reason = None if isinstance(found, KitPads) else found.reason
        db.execute(
            "INSERT INTO kits (path, name, size, changed_ns, reason) VALUES (?, ?, ?, ?, ?)"
            " ON CONFLICT (path) DO UPDATE SET name = excluded.name, size = excluded.size,"
            " changed_ns = excluded.changed_ns, reason = excluded.reason",
            (seen.path, name, seen.size, seen.changed_ns, reason),
        )
        kit = db.execute("SELECT id FROM kits WHERE path = ?", (seen.path,)).fetchone()[0]
        self._drop_pads(db, kit)
        if not readable:
            return []
        assert isinstance(found, KitPads)
        db.executemany("INSERT INTO uses VALUES (?, ?)", [(kit, c) for c in found.contents])
        folder = self._folder(db, os.path.dirname(seen.path), root)
        ids = []
        for pad in found.pads:
            _insert_sound(db, pad.record)
            made = db.execute(
                "INSERT INTO files (folder, path, name, size, changed_ns, hash, synthesized, role,"
                " sure, kit) VALUES (?, ?, ?, 0, 0, ?, 1, ?, 1, ?)",
                (folder, seen.path + b"/" + pad.id.encode(), pad.name, pad.record.hash,
                 pad.record.role, kit),
            )  # fmt: skip
            ids.append(int(made.lastrowid or 0))
            words = f"{shown(os.path.dirname(seen.path))} {name} {pad.name}"
            db.execute("INSERT OR REPLACE INTO words (rowid, text) VALUES (?, ?)", (ids[-1], words))
        return ids

    def _drop_pads(self, db: sqlite3.Connection, kit: int) -> None:
        gone = [row[0] for row in db.execute("SELECT id FROM files WHERE kit = ?", (kit,))]
        db.executemany("DELETE FROM words WHERE rowid = ?", [(n,) for n in gone])
        db.execute("DELETE FROM files WHERE kit = ?", (kit,))
        db.execute("DELETE FROM uses WHERE kit = ?", (kit,))
        self.columns.drop(gone)

    def forget_kits(self, kits: Sequence[int]) -> None:
        """Removes kits with their pads."""
        with self._change() as db:
            for kit in kits:
                self._drop_pads(db, kit)
                db.execute("DELETE FROM kits WHERE id = ?", (kit,))

    def set_kits_away(self, folder: bytes, away: bool) -> None:
        """Notes that the kits below a folder are not there at present, or are there again."""
        low, high = folder.rstrip(b"/") + b"/", folder.rstrip(b"/") + b"0"
        asked = (
            "SELECT id FROM files WHERE away = ? AND kit IN"
            " (SELECT id FROM kits WHERE path >= ? AND path < ?)"
        )
        with self.lock:
            rows = self._db.execute(asked, (int(not away), low, high)).fetchall()
        if rows:
            self.set_away([row[0] for row in rows], away)

    def _put_file(
        self, db: sqlite3.Connection, seen: Seen, found: Record | Unreadable | str, root: bytes
    ) -> int:
        name = shown(os.path.basename(seen.path))
        inside = shown(os.path.relpath(os.path.dirname(seen.path), os.path.dirname(root)))
        reason = found.reason if isinstance(found, Unreadable) else None
        content = found if isinstance(found, str) else found.hash if not reason else None  # type: ignore[union-attr]
        told = told_role(name, inside)
        folder = self._folder(db, os.path.dirname(seen.path), root)
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

    def _folder(self, db: sqlite3.Connection, path: bytes, root: bytes) -> int:
        """The id of a folder, made with those that it lies in up to the root."""
        row = db.execute("SELECT id FROM folders WHERE path = ?", (path,)).fetchone()
        if row is not None:
            return int(row[0])
        below = path != root and path.startswith(root.rstrip(b"/") + b"/")
        parent = self._folder(db, os.path.dirname(path), root) if below else 0
        made = db.execute("INSERT INTO folders (path, parent) VALUES (?, ?)", (path, parent))
        return int(made.lastrowid or 0)

    def put_synthesized(
        self, made: Iterable[tuple[str, str, Record]], place: bytes, *, synthesized: bool = True
    ) -> None:
        """Notes sounds that are no files of a folder: an address, a name and the record each."""
        measured = list(made)  # before the index is held
        with self._change() as db:
            for _, _, record in measured:
                _insert_sound(db, record)
        named = [(address, name, record.hash) for address, name, record in measured]
        self._put_addresses(named, place, synthesized=synthesized)

    def put_contents(self, named: Iterable[tuple[str, str]], place: bytes) -> None:
        """Notes known contents that are no files of a folder: their hashes and names."""
        self._put_addresses([(content, name, content) for content, name in named], place)

    def _put_addresses(
        self, named: Sequence[tuple[str, str, str]], place: bytes, *, synthesized: bool = False
    ) -> None:
        ids = []
        if not named:
            return
        with self._change() as db:
            folder = self._folder(db, place, place)
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
        self.forget_kits([state[0] for state in self.kits_below(folder).values()])
        low, high = folder.rstrip(b"/") + b"/", folder.rstrip(b"/") + b"0"
        with self._change() as db:
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
        with self._change() as db:
            db.executemany(sql, values)

    def _renew(self, ids: Sequence[int]) -> None:
        for start in range(0, len(ids), _MANY):
            part = ids[start : start + _MANY]
            marks = ",".join("?" * len(part))
            with self.lock:
                for row in self._db.execute(f"{_ROW} WHERE f.id IN ({marks})", part).fetchall():
                    _put(self.columns, row)


def told_role(name: str, inside: str) -> str | None:
    """The role that a file's name tells, else the nearest of the folders that tells one."""
    for part in (name, *reversed(inside.split("/"))):
        told = named_role(part)
        if told:
            return told
    return None


def _insert_sound(db: sqlite3.Connection, found: Record) -> None:
    told = found.figures
    values = {
        "length_ms": told["length_ms"],
        "brightness_hz": told["centroid_hz"],
        "pitch_hz": told["fundamental_hz"],
        "loudness_lufs": told["loudness_lufs"],
        "attack_ms": told["attack_ms"],
        "decay_ms": told["decay_60_ms"],
        "noisiness": told["flatness"],
        "bpm": found.bpm or None,
    }
    assert tuple(values) == FIGURES
    db.execute(
        f"INSERT OR REPLACE INTO sounds VALUES ({','.join('?' * 16)})",
        (found.hash, msgspec.json.encode(told).decode(), found.picture, found.likeness,
         *values.values(), found.beats, found.onset_ms, found.role, told["role_confidence"]),
    )  # fmt: skip


def _put(columns: Columns, row: sqlite3.Row) -> None:
    flags = 0 if row["away"] or row["reason"] else THERE
    flags |= LOOP if row["beats"] else 0
    flags |= SYNTHESIZED if row["synthesized"] else 0
    columns.put(row["id"], {**dict(row), "flags": flags}, row["likeness"] or b"")


def _entry(row: sqlite3.Row) -> Entry:
    return Entry(
        id=row["id"],
        path=bytes(row["path"]),
        name=row["name"],
        hash=row["hash"] or "",
        reason=row["reason"] or "",
        away=bool(row["away"]),
        synthesized=bool(row["synthesized"]),
        role=row["heard_as"],
        sure=row["how_sure"],
        measured=msgspec.json.decode(row["measured"]) if row["measured"] else {},
        picture=bytes(row["picture"] or b""),
        beats=row["beats"] or 0,
        bpm=row["bpm"] or 0.0,
        onset_ms=row["onset_ms"] or 0.0,
    )
