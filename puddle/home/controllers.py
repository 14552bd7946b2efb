"""Maps of controllers: those that ship, and one's own, which are files to be kept and shared."""

from __future__ import annotations

from pathlib import Path

import msgspec
from platformdirs import user_config_path

from puddle.errors import FileError, PuddleError
from puddle.files import read_regular, shown, writable, write_aside
from puddle.midi.controller_map import MAP_VERSION, ControllerMap

SUFFIX = ".puddle-controller"
_MOST_BYTES = 1 << 20

SHIPPED = (
    ControllerMap(name="As the kit says"),
    ControllerMap(name="Percussion names", way="by percussion names"),
    ControllerMap(name="Rising from C2", way="rising", first=36),
    ControllerMap(name="Along a scale", way="along a scale", first=48),
)


def folder() -> Path:
    """Where one's own lie."""
    return user_config_path("puddle") / "controllers"


class _Versioned(msgspec.Struct, frozen=True):
    version: int = 1


def read_map(path: Path) -> ControllerMap:
    """A map out of a file. Raises FileError."""
    data = read_regular(path, _MOST_BYTES)
    try:
        if msgspec.json.decode(data, type=_Versioned).version > MAP_VERSION:
            raise FileError(f"{shown(path)} is a map from a newer Puddle.")
        return msgspec.json.decode(data, type=ControllerMap)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise FileError(f"{shown(path)} is no map of a controller: {error}") from error


def known_maps() -> dict[str, ControllerMap]:
    """By name, those that ship and one's own; what cannot be read is passed over."""
    found = {made.name: made for made in SHIPPED}
    for path in sorted(folder().glob(f"*{SUFFIX}")):
        try:
            made = read_map(path)
        except PuddleError:
            continue
        found.setdefault(made.name, made)
    return found


def keep_map(made: ControllerMap) -> Path:
    """Keeps one under its name, in place of what had it. Raises FileError."""
    path = folder() / f"{writable(made.name)}{SUFFIX}"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{shown(path)} could not be written: {error.strerror}.") from error
    write_aside(path, msgspec.json.format(msgspec.json.encode(made), indent=2))
    return path


def is_shipped(name: str) -> bool:
    """Whether a name is that of a map that ships; it is not changed, but copied."""
    return any(made.name == name for made in SHIPPED)
