"""Samples as they came, by the hash of their content: loose files, and those in an opened kit."""

from __future__ import annotations

import contextlib
import os
import shutil
import threading
from pathlib import Path, PurePosixPath

from puddle.errors import KitFileError, SoundFileError
from puddle.formats.archive import Archive
from puddle.formats.sound import (
    MOST_BYTES,
    Sound,
    as_decoded,
    content_of,
    decoded_sound,
    read_sound,
    shown,
    write_aside,
)
from puddle.kit.document import Content
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
        self._lock = threading.Lock()
        self._cache: RenderCache[Decoded] = RenderCache(most_bytes, lambda d: d.audio.nbytes)
        self._archive: Archive | None = None
        self._entries: dict[str, str] = {}
        if (folder / _ADOPTED).exists():  # of a process that died
            with contextlib.suppress(KitFileError):
                self._open_adopted()

    def adopt(self, kit_file: Path) -> None:
        """Takes a copy of a kit file for its samples. Raises KitFileError."""
        try:
            shutil.copyfile(kit_file, self.folder / _ADOPTED)
        except OSError as error:
            raise KitFileError(
                f"{shown(kit_file)} cannot be copied: {error.strerror or error}."
            ) from None
        self._open_adopted()

    def _open_adopted(self) -> None:
        archive = Archive(self.folder / _ADOPTED)
        with self._lock:
            if self._archive is not None:
                self._archive.close()
            self._archive = archive
            self._entries = {
                PurePosixPath(entry).stem: entry
                for entry in archive.entries
                if entry.startswith(_SAMPLES)
            }

    def close(self) -> None:
        """Lets the opened kit's file go."""
        with self._lock:
            if self._archive is not None:
                self._archive.close()

    def add_file(self, path: str | os.PathLike[str]) -> Content:
        """Takes a sound file in. Raises SoundFileError; the file itself is only read."""
        return self.add(read_sound(path), os.fsencode(Path(path).name).decode("utf-8", "replace"))

    def add(self, sound: Sound, name: str) -> Content:
        """Takes a sound in; one that is there already is not written again."""
        content = content_of(sound, name)
        place = self.folder / f"{content.hash}{content.suffix}"
        if not place.exists():
            write_aside(place, sound.raw)
        with self._lock:
            self._files[content.hash] = place
        self._cache.get(content.hash, lambda: as_decoded(sound))
        return content

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
