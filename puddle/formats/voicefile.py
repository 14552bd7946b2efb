"""A starting point of one's own as a file: its name, and the voice's parameters as JSON."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import msgspec

from puddle.errors import KitFileError, SoundFileError
from puddle.formats.sound import shown, write_aside
from puddle.voices import AnyVoice

SUFFIX = ".puddle-voice"
_VERSION = 1
_MOST_BYTES = 1 << 20


class VoiceFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What the file holds."""

    version: int = _VERSION
    name: Annotated[str, msgspec.Meta(min_length=1, max_length=120)]
    voice: AnyVoice


def write_voice(path: Path, name: str, voice: AnyVoice) -> None:
    """Writes the file whole or not at all. Raises KitFileError."""
    text = msgspec.json.format(msgspec.json.encode(VoiceFile(name=name, voice=voice)), indent=1)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_aside(path, text)
    except (SoundFileError, OSError) as error:
        raise KitFileError(f"{shown(path)} cannot be written: {error}") from None


def read_voice(path: Path) -> VoiceFile:
    """The starting point in a file. Raises KitFileError with one sentence naming it."""
    name = shown(path)
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise KitFileError(f"{name} is larger than {_MOST_BYTES >> 20} MiB.")
        made = msgspec.json.decode(path.read_bytes(), type=VoiceFile)
    except OSError as error:
        raise KitFileError(f"{name} cannot be read: {error.strerror}.") from None
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise KitFileError(f"{name} is not a voice that can be read: {error}.") from None
    if made.version > _VERSION:
        raise KitFileError(f"{name} was saved by a newer Puddle.")
    return made
