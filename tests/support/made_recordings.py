"""Made recordings whose hits are known: voices over each other, flams, ghosts, a noisy room."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any, ClassVar

import numpy as np

from puddle.demo.recordings import crate_thump, oak_knock
from puddle.demo.session import write_session
from puddle.formats.recording_file import RecordingFile
from puddle.library.cutting import Outline, looked_at
from puddle.library.hit_groups import HeardHits
from puddle.measure.hits import Noted
from puddle.render.cache import RenderCache
from puddle.voices import STARTING_POINTS, Bar, Hat, Kick, Membrane, Snare, Tom

RATE = 48000.0


@dataclass(frozen=True, eq=False)
class Made:
    """A recording, and where its hits begin."""

    audio: np.ndarray
    begins: np.ndarray
    who: list[str]


@lru_cache(1)
def struck_sounds() -> dict[str, np.ndarray]:
    found = {
        f"{kind.__name__} {name}": voice.render(RATE, 1.0)
        for kind in (Kick, Snare, Hat, Tom, Membrane, Bar)
        for name, voice in STARTING_POINTS[kind].items()
    }
    for thing in (oak_knock, crate_thump):
        found |= {f"{thing.__name__} {n}": thing(np.random.default_rng(n)) for n in range(3)}
    for name, audio in found.items():
        level = np.abs(audio).max(axis=1)
        first = int(np.argmax(level > 0.02 * level[:480].max()))
        found[name] = np.asarray(audio[first:] / level.max(), np.float32)
    return found


def recording(seed: int, seconds: float = 20.0, floor_db: float = -50.0) -> Made:
    """Six sounds struck at random, with flams of 12 to 40 ms and ghosts 24 dB down."""
    rng = np.random.default_rng(seed)
    sounds = struck_sounds()
    names = rng.choice(sorted(sounds), 6, replace=False)
    mix = np.zeros((round(seconds * RATE), 2), np.float32)
    put: list[tuple[int, str]] = []

    def strike(name: str, at: int, gain: float) -> None:
        audio = sounds[name][: mix.shape[0] - at]
        mix[at : at + audio.shape[0]] += np.float32(gain) * audio
        put.append((at, name))

    t = 0.3
    while t < seconds - 1.0:
        name, at = str(rng.choice(names)), round(t * RATE)
        ghost = rng.random() < 0.15
        gain = 10.0 ** (-24.0 / 20.0) if ghost else 10.0 ** (rng.uniform(-14.0, 0.0) / 20.0)
        if not ghost and rng.random() < 0.2:
            grace = gain * 10.0 ** (rng.uniform(-10.0, -2.0) / 20.0)
            strike(name, at - round(rng.uniform(12.0, 40.0) * RATE / 1000.0), grace)
        strike(name, at, gain)
        t += rng.uniform(0.09, 0.5) if rng.random() < 0.8 else rng.uniform(0.5, 1.2)
    put.sort()
    mix *= np.float32(0.9 / np.abs(mix).max())
    mix += (10.0 ** (floor_db / 20.0) * rng.standard_normal(mix.shape)).astype(np.float32)
    return Made(mix, np.array([at for at, _ in put]), [name for _, name in put])


def matched(found: np.ndarray, begins: np.ndarray, within: float) -> list[float]:
    """How far apart each hit and what was found of it lie, in frames; each counts once."""
    pairs = sorted(
        (abs(float(f) - float(b)), i, j)
        for i, b in enumerate(begins)
        for j, f in enumerate(found)
        if abs(float(f) - float(b)) <= within
    )
    hits: set[int] = set()
    used: set[int] = set()
    away = []
    for far, i, j in pairs:
        if i not in hits and j not in used:
            hits.add(i)
            used.add(j)
            away.append(far)
    return away


def looked_at_once(
    file: RecordingFile, tell: Callable[[float], None] = lambda _: None
) -> tuple[Noted, Outline]:
    """As `looked_at`; the demo's own recordings are looked at once for a whole run."""
    if Path(file.path) not in boathouse():
        return looked_at(file, tell)
    tell(1.0)
    return _known(str(file.path))


@lru_cache(4)
def _known(path: str) -> tuple[Noted, Outline]:
    with RecordingFile(path) as file:
        return looked_at(file)


class HeardOnce(HeardHits):
    """What is heard of the demo's own recordings is heard once for a whole run."""

    _shared: ClassVar[dict[str, tuple[RenderCache[Any], RenderCache[Any]]]] = {}

    def __init__(self, file: RecordingFile) -> None:
        super().__init__(file)
        if file.path in boathouse():
            own = self._spectra, self._told
            self._spectra, self._told = self._shared.setdefault(str(file.path), own)


@lru_cache(1)
def boathouse() -> tuple[Path, Path]:
    """The demo's session and its loop, written once for a whole run; they are only read."""
    session, loop = write_session(Path(tempfile.mkdtemp()))
    return session, loop
