"""Small JSON files of one's own, to be kept and shared: starting points and stage sets."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, TypeVar

import msgspec

from puddle.errors import FileError, KitFileError
from puddle.files import read_regular, shown, write_aside
from puddle.kit.codec.migrations import migrated
from puddle.kit.model.document import KIT_VERSION, Stage
from puddle.kit.model.limits import MOST_STAGES
from puddle.voices import AnyVoice

VOICE_SUFFIX, STAGES_SUFFIX = ".puddle-voice", ".puddle-stages"
_MOST_BYTES = 1 << 20


class OwnFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The fields that every file of one's own has."""

    version: int = KIT_VERSION
    name: Annotated[str, msgspec.Meta(min_length=1, max_length=120)]


class VoiceFile(OwnFile, frozen=True, kw_only=True):
    """A voice's settings."""

    voice: AnyVoice


class StagesFile(OwnFile, frozen=True, kw_only=True):
    """A row of stages."""

    stages: Annotated[tuple[Stage, ...], msgspec.Meta(min_length=1, max_length=MOST_STAGES)]


F = TypeVar("F", bound=OwnFile)
_NOUNS: dict[type[OwnFile], str] = {VoiceFile: "a voice", StagesFile: "a stage set"}


def write_own(path: Path, made: OwnFile) -> None:
    """Writes the file whole or not at all. Raises KitFileError."""
    text = msgspec.json.format(msgspec.json.encode(made), indent=1)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_aside(path, text)
    except FileError as error:
        raise KitFileError(str(error)) from None
    except OSError as error:
        raise KitFileError(f"{shown(path)} cannot be written: {error.strerror}.") from None


def read_own(path: Path, kind: type[F]) -> F:
    """What a file holds. Raises KitFileError with one sentence naming it."""
    try:
        text = read_regular(path, _MOST_BYTES)
    except FileError as error:
        raise KitFileError(str(error)) from None
    return own_from_json(text, kind, shown(path))


def own_from_json(text: bytes, kind: type[F], name: str) -> F:
    """The same from what a file, or the clipboard, holds. Raises KitFileError, naming `name`.

    Voices and stages are brought up to today's version as those of a kit are.
    """
    try:
        raw = msgspec.json.decode(text)
        version = raw.get("version") if isinstance(raw, dict) else None
        if isinstance(version, int) and version > KIT_VERSION:
            raise KitFileError(f"{name} was saved by a newer Puddle.")
        made = msgspec.convert(migrated(raw, version if isinstance(version, int) else 1), type=kind)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        noun = _NOUNS[kind]
        raise KitFileError(f"{name} is not {noun} that can be read: {error}.") from None
    return made
