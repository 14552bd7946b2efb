"""Small JSON files of one's own, to be kept and shared: starting points and stage sets."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, TypeVar

import msgspec

from puddle.errors import KitFileError, SoundFileError
from puddle.formats.sound import shown, write_aside
from puddle.kit.document import Stage
from puddle.voices import AnyVoice

VOICE_SUFFIX, STAGES_SUFFIX = ".puddle-voice", ".puddle-stages"
_VERSION = 1
_MOST_BYTES = 1 << 20
_MOST_STAGES = 64


class OwnFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What every such file holds."""

    version: int = _VERSION
    name: Annotated[str, msgspec.Meta(min_length=1, max_length=120)]


class VoiceFile(OwnFile, frozen=True, kw_only=True):
    """A voice's settings."""

    voice: AnyVoice


class StagesFile(OwnFile, frozen=True, kw_only=True):
    """Stages in a row."""

    stages: Annotated[tuple[Stage, ...], msgspec.Meta(min_length=1, max_length=_MOST_STAGES)]


F = TypeVar("F", bound=OwnFile)
_NOUNS: dict[type[OwnFile], str] = {VoiceFile: "a voice", StagesFile: "a stage set"}


def write_own(path: Path, made: OwnFile) -> None:
    """Writes the file whole or not at all. Raises KitFileError."""
    text = msgspec.json.format(msgspec.json.encode(made), indent=1)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_aside(path, text)
    except (SoundFileError, OSError) as error:
        raise KitFileError(f"{shown(path)} cannot be written: {error}") from None


def read_own(path: Path, kind: type[F]) -> F:
    """What a file holds. Raises KitFileError with one sentence naming it."""
    name = shown(path)
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise KitFileError(f"{name} is larger than {_MOST_BYTES >> 20} MiB.")
        return own_from_json(path.read_bytes(), kind, name)
    except OSError as error:
        raise KitFileError(f"{name} cannot be read: {error.strerror}.") from None


def own_from_json(text: bytes, kind: type[F], name: str) -> F:
    """The same from what a file, or the clipboard, holds. Raises KitFileError, naming `name`."""
    try:
        made = msgspec.json.decode(text, type=kind)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        noun = _NOUNS[kind]
        raise KitFileError(f"{name} is not {noun} that can be read: {error}.") from None
    if made.version > _VERSION:
        raise KitFileError(f"{name} was saved by a newer Puddle.")
    return made
