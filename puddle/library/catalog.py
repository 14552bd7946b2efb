"""The folders that a library looks into, favorites, collections by hand and kept searches.

A small JSON file of its own beside the index, which survives where the index is made anew.
"""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

import msgspec
from platformdirs import user_data_path

from puddle.errors import FileError
from puddle.files import read_regular, write_aside
from puddle.library.search import Query

CATALOG = "catalog.json"
_MOST_BYTES = 32 << 20
replace = msgspec.structs.replace


class Folder(msgspec.Struct, frozen=True):
    """A folder of the person's choosing; its path as text that `os.fsencode` takes back."""

    path: str
    favorite: bool = False

    @property
    def raw(self) -> bytes:
        """The path as the system knows it."""
        return os.fsencode(self.path)


class Catalog(msgspec.Struct, frozen=True):
    """What a person has set up."""

    folders: tuple[Folder, ...] = ()
    collections: dict[str, tuple[str, ...]] = {}  # hashes, by name
    searches: dict[str, Query] = {}


def read_catalog(path: Path) -> Catalog:
    """What is kept; an empty one where nothing is. A damaged file is put aside."""
    try:
        data = read_regular(path, _MOST_BYTES)
    except FileError:
        return Catalog()
    try:
        return msgspec.json.decode(data, type=Catalog)
    except (msgspec.MsgspecError, ValueError):
        with contextlib.suppress(OSError):
            os.replace(path, path.with_name(f"damaged-{path.name}"))
        return Catalog()


def favorites(folder: Path | None = None) -> list[str]:
    """The favorite folders of the library that lies in a folder; of this person's without one."""
    place = folder or user_data_path("puddle") / "library"
    return [kept.path for kept in read_catalog(place / CATALOG).folders if kept.favorite]


def write_catalog(path: Path, catalog: Catalog) -> None:
    """Keeps it. Raises FileError."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{path.parent} cannot be made: {error.strerror}.") from None
    write_aside(path, msgspec.json.format(msgspec.json.encode(catalog), indent=1))


def with_folder(catalog: Catalog, path: str, *, favorite: bool | None = None) -> Catalog:
    """With a folder more, or a folder's favor changed."""
    kept = {folder.path: folder for folder in catalog.folders}
    was = kept.get(path, Folder(path))
    kept[path] = Folder(path, was.favorite if favorite is None else favorite)
    return replace(catalog, folders=tuple(kept.values()))


def without_folder(catalog: Catalog, path: str) -> Catalog:
    """With a folder less."""
    return replace(catalog, folders=tuple(f for f in catalog.folders if f.path != path))
