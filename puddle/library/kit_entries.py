"""Kits in the index: their pads are entries, and their samples are used."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Sequence
from contextlib import AbstractContextManager
from typing import Protocol

from puddle.files import shown
from puddle.library.columns import Columns
from puddle.library.kit_pads import KitPads
from puddle.library.record import Unreadable
from puddle.library.rows import insert_sound
from puddle.library.walking import Seen


class Holder(Protocol):
    """What is needed of the index."""

    columns: Columns

    def change(self) -> AbstractContextManager[sqlite3.Connection]:
        """One change, whole or not at all."""

    def folder_of(self, db: sqlite3.Connection, path: bytes, root: bytes) -> int:
        """The id of a folder."""

    def rows(self, asked: str, values: Sequence[object] = ()) -> list[sqlite3.Row]:
        """What a question of SQL gives."""

    def set_away(self, ids: Sequence[int], away: bool) -> None:
        """Notes that entries are not there at present, or are again."""


def put_kit(
    index: Holder, db: sqlite3.Connection, seen: Seen, found: KitPads | Unreadable, root: bytes
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
    _drop_pads(index, db, kit)
    if not readable:
        return []
    assert isinstance(found, KitPads)
    db.executemany("INSERT INTO uses VALUES (?, ?)", [(kit, c) for c in found.contents])
    folder = index.folder_of(db, os.path.dirname(seen.path), root)
    ids = []
    for pad in found.pads:
        insert_sound(db, pad.record)
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


def _drop_pads(index: Holder, db: sqlite3.Connection, kit: int) -> None:
    gone = [row[0] for row in db.execute("SELECT id FROM files WHERE kit = ?", (kit,))]
    db.executemany("DELETE FROM words WHERE rowid = ?", [(n,) for n in gone])
    db.execute("DELETE FROM files WHERE kit = ?", (kit,))
    db.execute("DELETE FROM uses WHERE kit = ?", (kit,))
    index.columns.drop(gone)


def forget_kits(index: Holder, kits: Sequence[int]) -> None:
    """Removes kits with their pads."""
    if not kits:
        return
    with index.change() as db:
        for kit in kits:
            _drop_pads(index, db, kit)
            db.execute("DELETE FROM kits WHERE id = ?", (kit,))


def set_kits_away(index: Holder, folder: bytes, away: bool) -> None:
    """Notes that the kits below a folder are not there at present, or are there again."""
    low, high = folder.rstrip(b"/") + b"/", folder.rstrip(b"/") + b"0"
    asked = (
        "SELECT id FROM files WHERE away = ? AND kit IN"
        " (SELECT id FROM kits WHERE path >= ? AND path < ?)"
    )
    rows = index.rows(asked, (int(not away), low, high))
    if rows:
        index.set_away([row[0] for row in rows], away)
