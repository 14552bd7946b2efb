"""Samples as they came, by the hash of their content: loose files, and those in an opened kit."""

from __future__ import annotations

import contextlib
import os
import threading
import zlib
from pathlib import Path, PurePosixPath

from puddle.errors import FileError, KitFileError, SoundFileError
from puddle.files import Stamp, copy_regular, shown, stamp_of, write_aside
from puddle.formats.archive import MOST_PACKED, Archive
from puddle.formats.sound import (
    MOST_BYTES,
    Sound,
    as_decoded,
    content_of,
    decoded_sound,
    read_sound,
)
from puddle.kit.model.document import Content
from puddle.render.cache import RenderCache
from puddle.render.samples import Decoded

_ADOPTED = "opened.zip"
_SAMPLES = "samples/"


def sample_name(content: Content) -> str:
    """A sample's entry in a kit file."""
    return f"{_SAMPLES}{content.hash}{content.suffix}"


class SampleStore:
    """A content-addressed folder of sound files, with what has been decoded kept in memory.

    The file of an opened kit is copied in whole, and its samples are decoded when they are first
    asked for: opening a kit of a thousand samples costs no more than the copy.
    """

    def __init__(self, folder: Path, most_bytes: int = 1 << 30) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self._files = {p.stem: p for p in folder.iterdir() if p.name != _ADOPTED}
        self._sums: dict[str, int] = {}  # of loose files as they came
        self._taken: dict[Stamp, Content] = {}  # files that were read, as they were then
        self._lock = threading.Lock()
        self._cache: RenderCache[Decoded] = RenderCache(most_bytes, lambda d: d.audio.nbytes)
        self._archive: Archive | None = None
        self._entries: dict[str, str] = {}
        if (folder / _ADOPTED).exists():  # of a process that died
            with contextlib.suppress(KitFileError):
                self._open_adopted()

    def adopt(self, kit_file: Path) -> Archive:
        """Takes a copy of a kit file for its samples, and returns it. Raises KitFileError."""
        try:
            copy_regular(kit_file, self.folder / _ADOPTED, MOST_PACKED)
        except FileError as error:
            raise KitFileError(str(error)) from None
        return self._open_adopted(shown(kit_file))

    def _open_adopted(self, name: str = "") -> Archive:
        archive = Archive(self.folder / _ADOPTED, name)
        with self._lock:
            if self._archive is not None:
                self._archive.close()
            self._archive = archive
            self._entries = {
                PurePosixPath(entry).stem: entry
                for entry in archive.entries
                if entry.startswith(_SAMPLES)
            }
        return archive

    def close(self) -> None:
        """Lets the opened kit's file go."""
        with self._lock:
            if self._archive is not None:
                self._archive.close()

    def add_file(self, path: str | os.PathLike[str]) -> Content:
        """Takes a sound file in; one that has not changed since is not read again.

        Raises SoundFileError; the file itself is only read.
        """
        stamp = stamp_of(path)
        with self._lock:
            known = self._taken.get(stamp) if stamp is not None else None
        if known is not None and self._is_whole(known.hash):
            return known
        name = os.fsencode(Path(path).name).decode("utf-8", "replace")
        content = self.add(read_sound(path), name)
        if stamp is not None and stamp == stamp_of(path):
            with self._lock:
                self._taken[stamp] = content
        return content

    def add(self, sound: Sound, name: str) -> Content:
        """Takes a sound in; one that is there already, and whole, is not written again."""
        content = content_of(sound, name)
        place = self.folder / f"{content.hash}{content.suffix}"
        if not (place.exists() and zlib.crc32(place.read_bytes()) == zlib.crc32(sound.raw)):
            write_aside(place, sound.raw)
        with self._lock:
            self._files[content.hash] = place
            self._sums[content.hash] = zlib.crc32(sound.raw)
        self._cache.get(content.hash, lambda: as_decoded(sound))
        return content

    def _is_whole(self, content: str) -> bool:
        try:
            return self.as_it_came(content) is not None
        except OSError:
            return False

    def holds(self, content: str) -> bool:
        """Whether a sample is there, whole or damaged."""
        return self._loose(content) is not None or content in self._entries

    def raw(self, content: str) -> bytes | None:
        """A sample's file as it came; None where it is missing. Raises OSError."""
        path = self._loose(content)
        if path is not None:
            return path.read_bytes()
        archive, entry = self._archive, self._entries.get(content)
        if archive is None or entry is None:
            return None
        try:
            return archive.read(entry, MOST_BYTES)
        except KitFileError:  # damaged when it was opened, and said so then
            return None

    def as_it_came(self, content: str) -> bytes | None:
        """A sample's file, known to be whole; None where it is missing or has gone bad.

        Raises OSError. An opened kit's samples are known by the zip's checksums, others by ours;
        those that an earlier process took in are decoded and compared with their name.
        """
        raw = self.raw(content)
        path = self._loose(content)
        if raw is None or path is None:
            return raw
        with self._lock:
            known = self._sums.get(content)
        if known is None:
            whole = self._is_genuine(raw, content, path.suffix)
        else:
            whole = zlib.crc32(raw) == known
        return raw if whole else None

    @staticmethod
    def _is_genuine(raw: bytes, content: str, suffix: str) -> bool:
        try:
            return content_of(decoded_sound(raw, content, suffix), "").hash == content
        except SoundFileError:
            return False

    def _loose(self, content: str) -> Path | None:
        with self._lock:
            return self._files.get(content)

    def decoded(self, content: str) -> Decoded | None:
        """The sample's content, or None where its file is missing or damaged.

        What comes from an opened kit is known whole by the zip's own checksum; whether it is what
        its name says is left to `genuine`, which takes as long as decoding.
        """
        try:
            return self._cache.get(content, lambda: as_decoded(self._sound(content)))
        except (SoundFileError, OSError):
            return None

    def genuine(self, content: str) -> bool:
        """Whether a sample that can be decoded is the one that it is named after."""
        try:
            return content_of(self._sound(content), "").hash == content
        except (SoundFileError, OSError):
            return False

    def _sound(self, content: str) -> Sound:
        raw = self.raw(content)
        if raw is None:
            raise SoundFileError(f"The sample {content} is missing or damaged.")
        return decoded_sound(raw, content, self._suffix(content))

    def _suffix(self, content: str) -> str:
        path = self._loose(content)
        return path.suffix if path is not None else PurePosixPath(self._entries[content]).suffix
