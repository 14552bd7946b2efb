"""Samples as they came, by the hash of their content, in a folder."""

from __future__ import annotations

import os
import threading
from pathlib import Path

from puddle.errors import SoundFileError
from puddle.formats.sound import (
    Sound,
    as_decoded,
    content_of,
    decoded_sound,
    read_sound,
    write_aside,
)
from puddle.kit.document import Content
from puddle.render.cache import RenderCache
from puddle.render.samples import Decoded


class SampleStore:
    """A content-addressed folder of sound files, with what has been decoded kept in memory."""

    def __init__(self, folder: Path, most_bytes: int = 1 << 30) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self._files: dict[str, Path] = {}
        self._lock = threading.Lock()
        self._cache: RenderCache[Decoded] = RenderCache(most_bytes, lambda d: d.audio.nbytes)

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

    def path(self, content: str) -> Path | None:
        """Where a sample lies, or None."""
        with self._lock:
            known = self._files.get(content)
            if known is None:
                known = next(iter(sorted(self.folder.glob(f"{content}.*"))), None)
                if known is not None:
                    self._files[content] = known
            return known

    def decoded(self, content: str) -> Decoded | None:
        """The sample's content, or None where its file is missing or damaged."""
        path = self.path(content)
        if path is None:
            return None
        try:
            return self._cache.get(content, lambda: as_decoded(self._checked(path, content)))
        except SoundFileError:
            return None

    def _checked(self, path: Path, content: str) -> Sound:
        sound = decoded_sound(path.read_bytes(), path.name, path.suffix)
        if content_of(sound, "").hash != content:
            raise SoundFileError(f"{path.name} is damaged.")
        return sound
