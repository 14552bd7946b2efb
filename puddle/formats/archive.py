"""A kit's zip, known to be harmless before anything is read, and read entry by entry."""

from __future__ import annotations

import io
import zipfile
import zlib
from pathlib import Path

from puddle.errors import FileError, KitFileError
from puddle.files import open_regular, shown

MOST_ENTRIES = 20000
MOST_PACKED = 8 << 30
MOST_UNPACKED = 8 << 30
_MOST_RATIO = 200  # FLAC and Ogg do not shrink, WAV by ten at most: more is a bomb
# What zipfile raises for damage of one kind or another.
_BROKEN = (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError)


class Archive:
    """An open zip: a regular file, or bytes with a name for messages.

    Raises KitFileError where it cannot be read, or is hostile.
    """

    def __init__(self, source: Path | bytes, name: str = "") -> None:
        self.name = name or (shown(source) if isinstance(source, Path) else "what was copied")
        try:
            self._source = (
                open_regular(source, MOST_PACKED)
                if isinstance(source, Path)
                else io.BytesIO(source)
            )
        except FileError as error:
            raise KitFileError(str(error)) from None
        try:
            self._file = zipfile.ZipFile(self._source)
        except _BROKEN as error:
            self._source.close()
            raise self._damaged(error) from None
        except OSError as error:
            self._source.close()
            raise self._unreadable(error) from None
        try:
            self._entries = _checked_entries(self._file, self.name)
        except KitFileError:
            self.close()
            raise

    def __del__(self) -> None:
        source = getattr(self, "_source", None)  # none where it could not be opened
        if source is not None:
            source.close()

    def __enter__(self) -> Archive:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def __contains__(self, entry: str) -> bool:
        return entry in self._entries

    @property
    def entries(self) -> list[str]:
        """The entries' names."""
        return list(self._entries)

    def read(self, entry: str, most: int) -> bytes:
        """An entry of at most so many bytes. Raises KitFileError. Threads may read at once."""
        info = self._entries.get(entry)
        if info is None:
            raise KitFileError(f"{self.name} is not a kit file: it holds no {entry}.")
        if info.file_size > most:
            raise KitFileError(f"{self.name}: {entry} is larger than {most >> 20} MiB.")
        try:
            with self._file.open(info) as stream:
                data = stream.read(most + 1)
        except _BROKEN as error:
            raise self._damaged(error) from None
        except OSError as error:
            raise self._unreadable(error) from None
        if len(data) > most:
            raise KitFileError(f"{self.name}: {entry} is larger than {most >> 20} MiB.")
        return data

    def close(self) -> None:
        """Closes the file; later reads raise KitFileError."""
        self._file.close()
        self._source.close()

    def _damaged(self, error: BaseException) -> KitFileError:
        return KitFileError(f"{self.name} is not a kit file, or is damaged ({error}).")

    def _unreadable(self, error: OSError) -> KitFileError:
        return KitFileError(f"{self.name} cannot be read: {error.strerror or error}.")


def _checked_entries(file: zipfile.ZipFile, name: str) -> dict[str, zipfile.ZipInfo]:
    infos = file.infolist()
    if len(infos) > MOST_ENTRIES:
        raise KitFileError(f"{name} has more than {MOST_ENTRIES} entries.")
    entries: dict[str, zipfile.ZipInfo] = {}
    for info in infos:
        parts = info.filename.replace("\\", "/").split("/")
        if info.filename.startswith(("/", "\\")) or ".." in parts or ":" in parts[0]:
            raise KitFileError(f"{name} holds a path outside itself: {shown(info.filename)}.")
        if info.filename in entries:
            raise KitFileError(f"{name} holds {shown(info.filename)} twice.")
        if info.file_size > _MOST_RATIO * max(info.compress_size, 1) + 4096:
            raise KitFileError(f"{name}: {shown(info.filename)} unpacks to far too much.")
        entries[info.filename] = info
    if sum(info.file_size for info in infos) > MOST_UNPACKED:
        raise KitFileError(f"{name} unpacks to more than {MOST_UNPACKED >> 30} GiB.")
    return entries
