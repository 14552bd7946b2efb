"""Starting points and stage sets of one's own: files in the desktop's data folder, to be shared."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from platformdirs import user_data_path

from puddle.errors import PuddleError
from puddle.formats.ownfile import (
    STAGES_SUFFIX,
    VOICE_SUFFIX,
    F,
    OwnFile,
    StagesFile,
    VoiceFile,
    read_own,
    write_own,
)
from puddle.kit.model.document import Stage
from puddle.kit.presets import stage_sets as sets
from puddle.voices import STARTING_POINTS, AnyVoice

_PLACES: dict[type[OwnFile], tuple[str, str]] = {
    VoiceFile: ("voices", VOICE_SUFFIX),
    StagesFile: ("stages", STAGES_SUFFIX),
}


def folder(kind: type[OwnFile]) -> Path:
    """Where files of a kind lie."""
    return user_data_path("puddle") / _PLACES[kind][0]


def _kept(kind: type[F]) -> Iterator[F]:
    """What can be read there; what cannot is passed over."""
    for path in sorted(folder(kind).glob(f"*{_PLACES[kind][1]}")):
        try:
            yield read_own(path, kind)
        except PuddleError:
            continue


def keep(made: OwnFile) -> Path:
    """Keeps it under its name, in place of what had it. Raises KitFileError."""
    safe = "".join(c if c.isalnum() or c in " -_" else "_" for c in made.name).strip() or "own"
    path = folder(type(made)) / f"{safe[:100]}{_PLACES[type(made)][1]}"
    write_own(path, made)
    return path


def starting_points() -> dict[type[AnyVoice], dict[str, AnyVoice]]:
    """By voice, those that ship and one's own."""
    points = {kind: dict(shipped) for kind, shipped in STARTING_POINTS.items()}
    for made in _kept(VoiceFile):
        points[type(made.voice)][made.name] = made.voice
    return points


def stage_sets() -> dict[str, tuple[Stage, ...]]:
    """Those that ship and one's own."""
    return sets.shipped() | {made.name: made.stages for made in _kept(StagesFile)}


def take_in(path: Path) -> str:
    """Copies a file that somebody shared among one's own; says so. Raises KitFileError."""
    if path.suffix.lower() == VOICE_SUFFIX:
        voice = read_own(path, VoiceFile)
        keep(voice)
        return f"{voice.name} is among your starting points now."
    stages = read_own(path, StagesFile)
    keep(stages)
    return f"{stages.name} is among your stage sets now."
