"""Sounds that are recipes: starting points of voices, the person's own, and the pads of kits."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping

import msgspec
import numpy as np

from puddle.library.index import Index
from puddle.library.record import Record, record_of
from puddle.library.scanner import Progress
from puddle.tasks import check_cancelled
from puddle.voices import AnyVoice

VOICES = b"puddle:starting points"  # where they lie among folders
RATE_HZ = 48000.0
_AT_A_TIME = 12  # starting points: they are found as soon as these are measured
StartingPoints = Mapping[type[AnyVoice], Mapping[str, AnyVoice]]


def voice_address(voice: type[AnyVoice], name: str) -> str:
    """Under which a starting point is found again."""
    return f"{voice.noun}/{name}"


def voice_at(address: str, points: StartingPoints) -> AnyVoice | None:
    """The voice of an address; None where it is no longer there."""
    for kind, named in points.items():
        for name, voice in named.items():
            if voice_address(kind, name) == address:
                return voice
    return None


def recipe_hash(voice: AnyVoice) -> str:
    """Names what a recipe sounds like: equal recipes, equal names."""
    return hashlib.sha256(b"recipe " + msgspec.json.encode(voice)).hexdigest()


def measure_voices(
    index: Index, points: StartingPoints, tell: Callable[[Progress], None] = lambda _: None
) -> int:
    """Notes starting points that are new or changed, and forgets those that have gone.

    They are measured some at a time; returns how many were.
    """
    there, known = index.contents_below(VOICES), index.known_hashes()
    every = {
        VOICES + b"/" + voice_address(kind, name).encode(): (kind, name, voice, recipe_hash(voice))
        for kind, named in points.items()
        for name, voice in named.items()
    }
    index.forget([entry for path, (entry, _) in there.items() if path not in every])
    changed = [one for path, one in every.items() if there.get(path, (0, ""))[1] != one[-1]]
    same = [(voice_address(kind, name), name, content) for kind, name, _, content in changed]
    index.put_contents([one for one in same if one[-1] in known], VOICES, synthesized=True)
    new = [one for one in changed if one[-1] not in known]
    for first in range(0, len(new), _AT_A_TIME):
        some = new[first : first + _AT_A_TIME]
        index.put_synthesized([_measured(*one) for one in some], VOICES)
        tell(Progress(first + len(some), len(new), 0.0))
    return len(new)


def _measured(
    kind: type[AnyVoice], name: str, voice: AnyVoice, content: str
) -> tuple[str, str, Record]:
    """Its address, its name and its record."""
    check_cancelled()
    audio: np.ndarray = voice.render(RATE_HZ, 1.0)
    record = record_of(audio, RATE_HZ, content)
    figures = {**record.figures, "role": kind.role}
    return voice_address(kind, name), name, msgspec.structs.replace(record, figures=figures)
