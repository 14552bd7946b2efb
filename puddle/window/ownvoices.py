"""Starting points of one's own: files in the desktop's data folder, to be shared by copying."""

from __future__ import annotations

from pathlib import Path

from platformdirs import user_data_path

from puddle.errors import PuddleError
from puddle.formats.voicefile import SUFFIX, read_voice, write_voice
from puddle.voices import STARTING_POINTS, AnyVoice


def folder() -> Path:
    """Where they lie."""
    return user_data_path("puddle") / "voices"


def own_voices() -> dict[str, AnyVoice]:
    """What can be read there, by name; what cannot is passed over."""
    found: dict[str, AnyVoice] = {}
    for path in sorted(folder().glob(f"*{SUFFIX}")):
        try:
            made = read_voice(path)
        except PuddleError:
            continue
        found[made.name] = made.voice
    return found


def starting_points() -> dict[type[AnyVoice], dict[str, AnyVoice]]:
    """By voice, those that ship and one's own."""
    points = {kind: dict(shipped) for kind, shipped in STARTING_POINTS.items()}
    for name, voice in own_voices().items():
        points[type(voice)][name] = voice
    return points


def keep(name: str, voice: AnyVoice) -> Path:
    """Keeps settings under a name, in place of what had it. Raises KitFileError."""
    safe = "".join(c if c.isalnum() or c in " -_" else "_" for c in name).strip() or "voice"
    path = folder() / f"{safe[:100]}{SUFFIX}"
    write_voice(path, name, voice)
    return path


def take_in(path: Path) -> str:
    """Copies a file that somebody shared among one's own; its name. Raises KitFileError."""
    made = read_voice(path)
    keep(made.name, made.voice)
    return made.name
