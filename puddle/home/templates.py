"""Templates of one's own: kit files in the desktop's data folder."""

from __future__ import annotations

from pathlib import Path

import msgspec
from platformdirs import user_data_path

from puddle.errors import PuddleError
from puddle.files import shown
from puddle.formats.archive import Archive
from puddle.formats.kitfile import save_kit
from puddle.formats.store import SampleStore
from puddle.kit.codec.reading import MOST_JSON_BYTES, kit_from_json
from puddle.kit.model.document import Kit
from puddle.kit.presets.templates import OURS, as_template

TEMPLATE_SUFFIX = ".puddle-template"


class Template(msgspec.Struct, frozen=True, eq=False):
    """One on offer: ours are made, one's own lie in a file."""

    name: str
    says: str
    kit: Kit  # for its picture; the samples are in the file
    path: Path | None = None


def folder() -> Path:
    """Where one's own lie."""
    return user_data_path("puddle") / "templates"


def place_of(name: str) -> Path:
    """The file of a template of that name."""
    safe = "".join(c if c.isalnum() or c in " -_" else "_" for c in name).strip() or "template"
    return folder() / f"{safe[:100]}{TEMPLATE_SUFFIX}"


def exists(name: str) -> bool:
    """Whether one of one's own has that name."""
    return place_of(name).exists()


def keep(kit: Kit, name: str, store: SampleStore, *, with_sounds: bool) -> Path:
    """Keeps a kit under a template's name, in place of what had it. Raises KitFileError."""
    path = place_of(name)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise PuddleError(f"{shown(path.parent)} cannot be made: {error.strerror}.") from None
    save_kit(path, as_template(kit, name, with_sounds=with_sounds), store)
    return path


def ours() -> list[Template]:
    """The four that ship."""
    return [Template(name, says, make()) for name, (says, make) in OURS.items()]


def own() -> list[Template]:
    """One's own that can be read; the others are passed over."""
    found = []
    for path in sorted(folder().glob(f"*{TEMPLATE_SUFFIX}")):
        try:
            with Archive(path) as file:
                kit = kit_from_json(file.read("kit.json", MOST_JSON_BYTES), shown(path))
        except PuddleError:
            continue
        sounds = any(pad.sound.layers for pad in kit.pads)
        says = f"{len(kit.pads)} pads, {'with' if sounds else 'without'} sounds."
        found.append(Template(kit.name, says, kit, path))
    return found


def remove(template: Template) -> None:
    """Takes one's own away. Raises PuddleError."""
    if template.path is None:
        raise PuddleError(f"{template.name} ships with Puddle and stays.")
    try:
        template.path.unlink()
    except OSError as error:
        raise PuddleError(f"{template.name} cannot be removed: {error.strerror}.") from None
