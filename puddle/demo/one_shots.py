"""The demo's library: some six hundred one-shots and loops in folders, made from seeds.

Most are starting points of the voices with their gauges moved, as takes of one drum differ; the
rest is the boathouse session struck again, and loops.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec
import numpy as np

from puddle.demo.recordings import RATE_HZ, SESSION
from puddle.formats.sound import wav_bytes
from puddle.parameter import changed, parameters
from puddle.tasks import check_cancelled
from puddle.voices import STARTING_POINTS, AnyVoice

_SEED = 1608
_TAKES = 4
_SESSION_TAKES = 12
_MOVED = 0.09  # of a gauge's range
_PEAK = 0.89  # -1 dBFS
_FOLDERS = {  # by the noun of the voice
    "kick": "Larkmoor one-shots/kicks, hull",
    "snare": "Larkmoor one-shots/snares, plank",
    "clap": "Larkmoor one-shots/claps, tarp",
    "hat": "Larkmoor one-shots/hats, rain",
    "cymbal": "Larkmoor one-shots/cymbals, lantern",
    "tom": "Larkmoor one-shots/toms, barrel",
    "bass": "Larkmoor one-shots/bass, bilge",
}
_UNSORTED = "Friends, unsorted"
_SESSIONS = "Boathouse sessions"
_LOOPS = "Loops from the slipway"
_LOOP_COUNT = 36
_TEMPOS = (84.0, 92.0, 96.0, 104.0, 104.0, 112.0, 120.0, 128.0, 140.0)


class _Played(msgspec.Struct, frozen=True):
    """A drum of a loop: its sound, the chance of a strike by sixteenths of a beat, its level."""

    audio: np.ndarray
    chances: tuple[float, float, float, float]
    level: float


def write_one_shots(folder: Path, tell: Callable[[int, int], None] = lambda *_: None) -> int:
    """Writes the library below a folder; returns how many files. What is there is left alone.

    `tell` is told how many there are by then, and of how many. Raises OSError, and Cancelled
    where it is to be left.
    """
    count = 0
    for name, make, total in _every():
        check_cancelled()
        place = folder / name
        if not place.exists():
            place.parent.mkdir(parents=True, exist_ok=True)
            aside = place.with_suffix(".part")
            aside.write_bytes(wav_bytes(make(), RATE_HZ, "16"))
            aside.replace(place)
        count += 1
        tell(count, total)
    return count


def _every() -> Iterator[tuple[str, Callable[[], np.ndarray], int]]:
    """Names, what makes each sound, and how many there are."""
    points = [(k, n, v) for k, named in STARTING_POINTS.items() for n, v in named.items()]
    total = len(points) * _TAKES + len(SESSION) * _SESSION_TAKES + _LOOP_COUNT
    for number, (kind, name, voice) in enumerate(points):
        place = _FOLDERS.get(kind.noun, _UNSORTED)
        for take in range(_TAKES):
            rng = _rng(number, take)
            file = f"{place}/{name.lower()} {take + 1:02}.wav"
            yield file, lambda v=voice, r=rng: _take(v, r), total  # type: ignore[misc]
    for number, (name, strike) in enumerate(SESSION.items()):
        for take in range(_SESSION_TAKES):
            rng = _rng(1000 + number, take)
            file = f"{_SESSIONS}/{name.split(' ', 2)[2]} {take + 1:02}.wav"
            yield file, lambda s=strike, r=rng: s(r), total  # type: ignore[misc]
    for number in range(_LOOP_COUNT):
        rng = _rng(2000, number)
        bpm = float(rng.choice(_TEMPOS))
        told = f" {bpm:.0f} bpm" if number % 3 else ""
        file = f"{_LOOPS}/slipway {number + 1:02}{told}.wav"
        yield file, lambda b=bpm, r=rng: _loop(b, r), total  # type: ignore[misc]


def _rng(kind: int, take: int) -> np.random.Generator:
    return np.random.default_rng([_SEED, kind, take])


def _take(voice: AnyVoice, rng: np.random.Generator) -> np.ndarray:
    """A voice with all its gauges moved a little, at full level: float32 (frames, 1)."""
    values = {
        p.field: p.at(p.position(getattr(voice, p.field)) + rng.uniform(-_MOVED, _MOVED))
        for p in parameters(type(voice))
        if p.kind == "number"
    }
    audio = changed(voice, **values).render(float(RATE_HZ), 1.0)[:, :1]
    level = rng.uniform(0.35, 1.0) * _PEAK / max(float(np.abs(audio).max()), 1e-6)
    return np.asarray(audio * np.float32(level))


def _loop(bpm: float, rng: np.random.Generator) -> np.ndarray:
    """Two or four bars on drums of the library: float32 (frames, 2)."""
    beats = int(rng.choice([8, 16]))
    frames = round(60.0 * beats / bpm * RATE_HZ)
    swing = float(rng.choice([0.0, 0.0, 0.12]))
    drums = _drums(rng)
    bar = rng.random((len(drums), 16))
    out = np.zeros((frames, 2), np.float32)
    for step in range(4 * beats):
        at = round((step + (swing if step % 2 else 0.0)) * 15.0 / bpm * RATE_HZ)
        for drum, chances in zip(drums, bar, strict=True):
            if chances[step % 16] < drum.chances[step % 4]:
                part = drum.audio[: max(0, frames - at)]
                out[at : at + part.shape[0]] += (
                    np.float32(drum.level * rng.uniform(0.75, 1.0)) * part
                )
    return np.asarray(out * np.float32(_PEAK / max(float(np.abs(out).max()), 1e-6)))


def _drums(rng: np.random.Generator) -> list[_Played]:
    parts = {
        "kick": ((0.6, 0.05, 0.25, 0.1), 0.8),
        "snare": ((0.25, 0.0, 0.1, 0.08), 0.55),
        "hat": ((0.9, 0.25, 0.95, 0.25), 0.25),
        "shaker": ((0.4, 0.4, 0.4, 0.4), 0.15),
    }
    made = []
    for kind, points in STARTING_POINTS.items():
        if kind.noun in parts:
            voice = list(points.values())[rng.integers(len(points))]
            audio = _take(voice, rng) / _PEAK
            made.append(_Played(np.repeat(audio, 2, axis=1), *parts[kind.noun]))
    return made
