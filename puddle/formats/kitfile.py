"""The kit file: one zip of `kit.json` and the samples as they came. See docs/kit-format.md."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from pathlib import Path

import msgspec

from puddle.errors import FileError, KitFileError, ReadOnlyError
from puddle.files import Stamp, shown, write_aside
from puddle.formats.archive import Archive
from puddle.formats.store import SampleStore, sample_name
from puddle.kit.codec.reading import MOST_JSON_BYTES, kit_from_json, kit_json
from puddle.kit.edits.prints import without_unused_contents
from puddle.kit.model.document import Content, Kit

SUFFIX = ".puddle"
MIME_TYPE = "application/x-puddle-kit"


class OpenedKit(msgspec.Struct, frozen=True):
    """A kit, and a sentence for each sample that its file does not hold."""

    kit: Kit
    problems: tuple[str, ...]


def save_kit(path: Path, kit: Kit, store: SampleStore, *, over_read_only: bool = False) -> Stamp:
    """Writes a kit with the samples that it plays; returns the stamp of the file.

    Written aside and renamed: what was there before stays until all is on disk, and where a sample
    is missing nothing is written. Raises KitFileError, or ReadOnlyError where the file that is
    there is read-only and `over_read_only` is not set.
    """
    data = kit_bytes(kit, store)
    try:
        return write_aside(path, data, over_read_only=over_read_only)
    except ReadOnlyError:
        raise
    except FileError as error:
        raise KitFileError(str(error)) from None


def kit_bytes(kit: Kit, store: SampleStore) -> bytes:
    """A kit file. Raises KitFileError where it would hold fewer samples than the kit names."""
    kept = without_unused_contents(kit)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        file.writestr(_entry("mimetype"), MIME_TYPE)
        file.writestr(_entry("kit.json", zipfile.ZIP_DEFLATED), kit_json(kept))
        for content in kept.contents:
            file.writestr(_entry(sample_name(content)), _raw(store, content))
    return out.getvalue()


def _raw(store: SampleStore, content: Content) -> bytes:
    try:
        raw = store.as_it_came(content.hash)
    except OSError as error:
        raise KitFileError(
            f"The sample {content.name} cannot be read, so the kit was not saved: {error.strerror}."
        ) from None
    if raw is None:
        raise KitFileError(
            f"The sample {content.name} is missing or damaged, so the kit was not saved and its "
            "file is as it was: drop the sample's file on a pad again, or take out the layers that "
            "play it."
        )
    return raw


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
    Archive(path).close()  # refused before it is copied, where it is no kit
    file = store.adopt(path)
    kit = kit_from_json(file.read("kit.json", MOST_JSON_BYTES), shown(path))
    missing = [
        f"The sample {content.name} is missing from the kit file; its layers are silent."
        for content in kit.contents
        if sample_name(content) not in file and not store.holds(content.hash)
    ]
    return OpenedKit(kit, tuple(missing))


def damage(kit: Kit, store: SampleStore, wanted: Callable[[], bool] = lambda: True) -> list[str]:
    """A sentence for each sample that is there but not as it was saved: reads them all.

    Nothing is said once it is no longer `wanted`, for then the store may have been closed.
    """
    found = []
    for content in kit.contents:
        if not wanted():
            return []
        if not store.holds(content.hash):
            continue
        if store.decoded(content.hash) is None:
            found.append(f"The sample {content.name} is damaged; its layers are silent.")
        elif not store.genuine(content.hash):
            found.append(
                f"The sample {content.name} is not the one that was saved: "
                "its layers may sound different."
            )
    return found if wanted() else []
