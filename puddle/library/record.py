"""What the library knows of one sound: the pure function from a file to its record.

Nothing here depends on an index, on other files or on when it runs, so that records may be made in
any process, or on another machine that sees the same files.
"""

from __future__ import annotations

import os
from typing import Any

import msgspec
import numpy as np

from puddle.errors import PuddleError
from puddle.files import shown
from puddle.measure.role import Role

PICTURE_COLUMNS = 96
_HEARD_S = 20.0  # of a long recording: a hit is long over


class Record(msgspec.Struct, frozen=True):
    """A sound's measures. `figures` is what `puddle inspect` prints; `picture` the minimum and
    maximum of its wave by columns as int8 (PICTURE_COLUMNS, 2), full scale 127; `likeness` float32
    (WIDTH,)."""

    hash: str
    figures: dict[str, Any]
    picture: bytes
    likeness: bytes
    beats: int = 0  # of a loop
    bpm: float = 0.0
    onset_ms: float = 0.0

    @property
    def role(self) -> Role:
        """What it sounds like."""
        found: Role = self.figures["role"]
        return found


class Unreadable(msgspec.Struct, frozen=True):
    """Why a file has no record, in a sentence."""

    reason: str


def record_of(audio: np.ndarray, rate_hz: float, content_hash: str, name: str = "") -> Record:
    """The record of float32 (frames, 1 or 2); a name may tell the tempo of a loop."""
    from puddle.measure.envelope import min_max, mono_of
    from puddle.measure.likeness import likeness_row
    from puddle.measure.loops import loop
    from puddle.measure.report import measured
    from puddle.measure.trim import hit_start

    heard = audio[: round(_HEARD_S * rate_hz)]
    figures = measured(heard, rate_hz)
    figures["length_ms"] = 1000.0 * audio.shape[0] / rate_hz
    found = loop(audio, rate_hz, name)
    start = hit_start(heard, rate_hz)
    mono = mono_of(audio)
    edges = min_max(mono, 0, mono.size, PICTURE_COLUMNS)
    picture = np.clip(np.rint(edges * 127.0), -127, 127).astype(np.int8)
    return Record(
        hash=content_hash,
        figures=figures,
        picture=picture.tobytes(),
        likeness=likeness_row(heard, rate_hz, figures["fundamental_hz"]).tobytes(),
        beats=found.beats if found else 0,
        bpm=found.bpm if found else 0.0,
        onset_ms=1000.0 * start / rate_hz,
    )


def measured_file(
    path: str | bytes, known: frozenset[str] = frozenset()
) -> Record | Unreadable | str:
    """The record of a sound file; its hash alone where that is among the known ones."""
    from puddle.formats.sound import content_of, read_sound

    name = os.fsdecode(path)
    try:
        sound = read_sound(name)
        content_hash = content_of(sound, "").hash
        if content_hash in known:
            return content_hash
        return record_of(sound.audio, sound.rate_hz, content_hash, os.path.basename(name))
    except PuddleError as error:
        return Unreadable(str(error))
    except (MemoryError, ArithmeticError, ValueError) as error:  # whatever a hostile file provokes
        return Unreadable(f"{shown(name)} cannot be measured ({type(error).__name__}).")
