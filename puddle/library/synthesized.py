"""Sounds that are recipes: starting points of voices, the person's own, and the pads of kits."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping

import msgspec
import numpy as np

from puddle.library.index import Index
from puddle.library.record import Record, record_of
from puddle.voices import AnyVoice
from puddle.wanted import checkpoint

VOICES = b"puddle:starting points"  # where they lie among folders
RATE_HZ = 48000.0
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


def measure_voices(index: Index, points: StartingPoints) -> int:
    """Notes starting points that are new or changed; returns how many."""
    known = index.known_hashes()
    made = list(_new_voices(known, points))
    index.put_synthesized(made, VOICES)
    return len(made)


def _new_voices(known: frozenset[str], points: StartingPoints) -> Iterator[tuple[str, str, Record]]:
    for kind, named in points.items():
        for name, voice in named.items():
            checkpoint()
            content = recipe_hash(voice)
            if content not in known:
                audio: np.ndarray = voice.render(RATE_HZ, 1.0)
                record = record_of(audio, RATE_HZ, content)
                figures = {**record.figures, "role": kind.role}
                yield (
                    voice_address(kind, name),
                    name,
                    msgspec.structs.replace(record, figures=figures),
                )
