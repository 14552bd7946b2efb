"""The kit file: one zip of `kit.json` and the samples as they came. See docs/kit-format.md."""

from __future__ import annotations

import io
import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path

from puddle.errors import KitFileError, SoundFileError
from puddle.formats.sound import MOST_BYTES, content_of, decoded_sound, shown, write_aside
from puddle.formats.store import SampleStore
from puddle.kit.document import Content, Kit
from puddle.kit.edits import without_unused_contents
from puddle.kit.reading import kit_from_json, kit_json

SUFFIX = ".puddle"
MIME_TYPE = "application/x-puddle-kit"
MOST_ENTRIES = 20000
MOST_UNPACKED = 8 << 30
MOST_JSON = 64 << 20
# What zipfile raises for damage of one kind or another.
_BROKEN = (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError)
_MOST_RATIO = 200  # FLAC and Ogg do not shrink, WAV by ten at most: more is a bomb


@dataclass(frozen=True)
class OpenedKit:
    """A kit, and a sentence for each thing that could not be brought in."""

    kit: Kit
    problems: tuple[str, ...]


def save_kit(path: Path, kit: Kit, store: SampleStore) -> Kit:
    """Writes a kit with the samples that it plays; returns the kit as it was written.

    Written aside and renamed: what was there before stays until all is on disk. Raises
    KitFileError.
    """
    kept = without_unused_contents(kit)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        file.writestr(_entry("mimetype"), MIME_TYPE)
        file.writestr(_entry("kit.json", zipfile.ZIP_DEFLATED), kit_json(kept))
        for content in kept.contents:
            source = store.path(content.hash)
            if source is not None:
                file.writestr(_entry(sample_name(content)), _sample_bytes(source, content))
    try:
        write_aside(path, out.getvalue())
    except SoundFileError as error:
        raise KitFileError(str(error)) from None
    return kept


def _sample_bytes(source: Path, content: Content) -> bytes:
    try:
        return source.read_bytes()
    except OSError as error:
        raise KitFileError(
            f"The sample {content.name} cannot be read, so the kit was not saved: {error.strerror}."
        ) from None


def _entry(name: str, compression: int = zipfile.ZIP_STORED) -> zipfile.ZipInfo:
    """An entry with a fixed date, so that equal kits give equal files."""
    info = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
    info.compress_type = compression
    info.external_attr = 0o644 << 16
    return info


def sample_name(content: Content) -> str:
    """A sample's entry in the zip."""
    return f"samples/{content.hash}{content.suffix}"


def open_kit(path: Path, store: SampleStore) -> OpenedKit:
    """A kit, its samples taken into the store.

    Missing and damaged samples are reported, and the rest opened. Raises KitFileError where the
    kit itself cannot be read, or the zip is hostile.
    """
    name = shown(path)
    try:
        with zipfile.ZipFile(path) as file:
            entries = _checked_entries(file, name)
            kit = kit_from_json(_read(file, entries, "kit.json", MOST_JSON, name), name)
            problems = [p for c in kit.contents if (p := _take_in(file, entries, c, store))]
    except _BROKEN as error:
        raise KitFileError(f"{name} is not a kit file, or is damaged ({error}).") from None
    except OSError as error:
        raise KitFileError(f"{name} cannot be read: {error.strerror or error}.") from None
    return OpenedKit(kit, tuple(problems))


def _checked_entries(file: zipfile.ZipFile, name: str) -> dict[str, zipfile.ZipInfo]:
    """The entries by name, once they are known to be harmless."""
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


def _read(
    file: zipfile.ZipFile, entries: dict[str, zipfile.ZipInfo], entry: str, most: int, name: str
) -> bytes:
    info = entries.get(entry)
    if info is None:
        raise KitFileError(f"{name} is not a kit file: it holds no {entry}.")
    if info.file_size > most:
        raise KitFileError(f"{name}: {entry} is larger than {most >> 20} MiB.")
    with file.open(info) as stream:
        data = stream.read(most + 1)
    if len(data) > most:
        raise KitFileError(f"{name}: {entry} is larger than {most >> 20} MiB.")
    return data


def _take_in(
    file: zipfile.ZipFile,
    entries: dict[str, zipfile.ZipInfo],
    content: Content,
    store: SampleStore,
) -> str | None:
    """Takes one sample into the store; a sentence where that fails."""
    if store.path(content.hash) is not None:
        return None
    entry = sample_name(content)
    if entry not in entries:
        return f"The sample {content.name} is missing from the kit file; its layers are silent."
    try:
        data = _read(file, entries, entry, MOST_BYTES, entry)
        sound = decoded_sound(data, content.name, content.suffix)
    except (*_BROKEN, KitFileError, SoundFileError, OSError):
        return f"The sample {content.name} is damaged; its layers are silent."
    if content_of(sound, "").hash != content.hash:
        return f"The sample {content.name} is not the one that was saved; its layers are silent."
    store.add(sound, content.name)
    return None
