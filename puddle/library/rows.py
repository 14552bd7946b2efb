"""The tables of the index, and how their rows become entries and columns."""

from __future__ import annotations

import sqlite3
from typing import Any

import msgspec

from puddle.kit.model.roles import named_role
from puddle.library.columns import FIGURES, LOOP, SYNTHESIZED, THERE, Columns
from puddle.library.record import Record

SCHEMA = """
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
ROW = """
SELECT f.id, f.folder, f.away, f.synthesized, f.reason, s.length_ms, s.brightness_hz, s.pitch_hz,
    s.loudness_lufs, s.attack_ms, s.decay_ms, s.noisiness, s.bpm, s.beats, s.likeness,
    coalesce(f.role, s.role, 'effect') AS role, coalesce(f.sure, s.sure, 0) AS sure
FROM files f LEFT JOIN sounds s ON s.hash = f.hash
"""


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


def is_file(entry: Entry) -> bool:
    """Whether it is a sound file, and no recipe or sample of a kit."""
    return not entry.synthesized and not entry.path.startswith(b"puddle:")


def told_role(name: str, inside: str) -> str | None:
    """The role that a file's name tells, else the nearest of the folders that tells one."""
    for part in (name, *reversed(inside.split("/"))):
        told = named_role(part)
        if told:
            return told
    return None


def insert_sound(db: sqlite3.Connection, found: Record) -> None:
    """Notes what was measured of a content."""
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
    sure = min(0.99, told["role_confidence"])  # 1 is what a name tells, or a hand
    db.execute(
        f"INSERT OR REPLACE INTO sounds VALUES ({','.join('?' * 16)})",
        (found.hash, msgspec.json.encode(told).decode(), found.picture, found.likeness,
         *values.values(), found.beats, found.onset_ms, found.role, sure),
    )  # fmt: skip


def put_row(columns: Columns, row: sqlite3.Row) -> None:
    """Shows a row of ROW in the columns."""
    flags = 0 if row["away"] or row["reason"] else THERE
    flags |= LOOP if row["beats"] else 0
    flags |= SYNTHESIZED if row["synthesized"] else 0
    columns.put(row["id"], {**dict(row), "flags": flags}, row["likeness"] or b"")


def entry_of(row: sqlite3.Row) -> Entry:
    """An entry of a row of `files` with what is known of its sound."""
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
