"""What an index is asked: entries, words, folders, states of files, kits."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterable, Sequence

import numpy as np

from puddle.files import shown
from puddle.library.rows import Entry, entry_of

MANY = 500  # ids in one question
Folder = tuple[int, bytes, int, int]  # its id, path, parent, and how many entries are in it


class Answers:
    """Reads an index; `Index` opens and changes it."""

    lock: threading.RLock
    _db: sqlite3.Connection

    def rows(self, asked: str, values: Sequence[object] = ()) -> list[sqlite3.Row]:
        """What a question of SQL gives."""
        with self.lock:
            return self._db.execute(asked, values).fetchall()

    def entries(self, ids: Sequence[int]) -> list[Entry]:
        """Entries by id, in the order asked for; ids that are gone are left out."""
        found: dict[int, Entry] = {}
        for start in range(0, len(ids), MANY):
            part = [int(n) for n in ids[start : start + MANY]]
            marks = ",".join("?" * len(part))
            asked = (
                "SELECT f.*, s.measured, s.picture, s.beats, s.bpm, s.onset_ms,"
                " coalesce(f.role, s.role, 'effect') AS heard_as,"
                " coalesce(f.sure, s.sure, 0) AS how_sure"
                f" FROM files f LEFT JOIN sounds s ON s.hash = f.hash WHERE f.id IN ({marks})"
            )
            with self.lock:
                found |= {row["id"]: entry_of(row) for row in self._db.execute(asked, part)}
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
        for start in range(0, len(wanted), MANY):
            part = wanted[start : start + MANY]
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
        for start in range(0, len(wanted), MANY):
            part = wanted[start : start + MANY]
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

    def heard_roles(self) -> dict[int, tuple[str, float]]:
        """What the sound alone tells of the entries whose role nothing else tells."""
        asked = (
            "SELECT f.id, s.role, s.sure FROM files f JOIN sounds s ON s.hash = f.hash"
            " WHERE (f.role IS NULL OR f.sure < 1) AND f.synthesized = 0"
        )
        with self.lock:
            return {n: (role, sure) for n, role, sure in self._db.execute(asked)}

    def folders(self) -> list[Folder]:
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

    def contents_below(self, folder: bytes) -> dict[bytes, tuple[int, str]]:
        """The id and the content of each entry below a folder, by its path."""
        low, high = folder.rstrip(b"/") + b"/", folder.rstrip(b"/") + b"0"
        asked = "SELECT path, id, hash FROM files WHERE path >= ? AND path < ?"
        with self.lock:
            rows = self._db.execute(asked, (low, high)).fetchall()
        return {bytes(path): (entry, content) for path, entry, content in rows}

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
