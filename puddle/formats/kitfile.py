"""The kit file: one zip of `kit.json` and the samples as they came. See docs/kit-format.md."""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass
from pathlib import Path

from puddle.errors import KitFileError, SoundFileError
from puddle.formats.archive import Archive
from puddle.formats.sound import shown, write_aside
from puddle.formats.store import SampleStore, sample_name
from puddle.kit.document import Content, Kit
from puddle.kit.printing import without_unused_contents
from puddle.kit.reading import kit_from_json, kit_json

SUFFIX = ".puddle"
MIME_TYPE = "application/x-puddle-kit"
MOST_JSON = 64 << 20


@dataclass(frozen=True)
class OpenedKit:
    """A kit, and a sentence for each sample that its file does not hold."""

    kit: Kit
    problems: tuple[str, ...]


def save_kit(path: Path, kit: Kit, store: SampleStore) -> Kit:
    """Writes a kit with the samples that it plays; returns the kit as it was written.

    Written aside and renamed: what was there before stays until all is on disk. Raises
    KitFileError.
    """
    kept, data = kit_bytes(kit, store)
    try:
        write_aside(path, data)
    except SoundFileError as error:
        raise KitFileError(str(error)) from None
    return kept


def kit_bytes(kit: Kit, store: SampleStore) -> tuple[Kit, bytes]:
    """A kit file, and the kit as it is in there. Raises KitFileError."""
    kept = without_unused_contents(kit)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        file.writestr(_entry("mimetype"), MIME_TYPE)
        file.writestr(_entry("kit.json", zipfile.ZIP_DEFLATED), kit_json(kept))
        for content in kept.contents:
            raw = _raw(store, content)
            if raw is not None:
                file.writestr(_entry(sample_name(content)), raw)
    return kept, out.getvalue()


def _raw(store: SampleStore, content: Content) -> bytes | None:
    try:
        return store.raw(content.hash)
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


def open_kit(path: Path, store: SampleStore) -> OpenedKit:
    """A kit; its file is copied into the store, which reads samples from it as they are needed.

    Raises KitFileError where the kit itself cannot be read, or the zip is hostile.
    """
    with Archive(path) as file:
        kit = kit_from_json(file.read("kit.json", MOST_JSON), shown(path))
        missing = [
            f"The sample {content.name} is missing from the kit file; its layers are silent."
            for content in kit.contents
            if sample_name(content) not in file and not store.holds(content.hash)
        ]
    store.adopt(path)
    return OpenedKit(kit, tuple(missing))


def damage(kit: Kit, store: SampleStore) -> list[str]:
    """A sentence for each sample that is there but not as it was saved: reads them all."""
    found = []
    for content in kit.contents:
        if not store.holds(content.hash):
            continue
        if store.decoded(content.hash) is None:
            found.append(f"The sample {content.name} is damaged; its layers are silent.")
        elif not store.genuine(content.hash):
            found.append(
                f"The sample {content.name} is not the one that was saved: "
                "its layers may sound different."
            )
    return found
