"""The boathouse session as it was recorded: forty hits on five things, and one take of a loop.

Both are made from seeds, as long recordings that hits are cut out of: each thing is struck from
soft to hard, with strikes that differ, over the quiet hiss of the room.
"""

from __future__ import annotations

from functools import partial
from pathlib import Path

import msgspec
import numpy as np

from puddle.demo.recordings import (
    RATE_HZ,
    crate_thump,
    empty_barrel,
    iron_bollard,
    oak_knock,
    plank_drop,
)
from puddle.files import write_aside
from puddle.formats.sound import wav_bytes

SESSION_NAME, LOOP_NAME = "boathouse session", "boathouse loop"
LOOP_BPM, _LOOP_BARS = 98.6, 4
_THINGS = (oak_knock, partial(plank_drop, rebound=0.0), iron_bollard, crate_thump, empty_barrel)
_STRIKES = (10, 9, 7, 8, 6)
_SOFTEST_DB, _ROOM_DB = -20.0, -64.0
_FLAM_S = 0.028
_LOOP = {  # a take on four things: sixteenths of a bar, and how hard
    0: ((0, 1.0), (6, 0.45), (10, 0.8), (14, 0.3)),
    1: ((4, 0.9), (12, 1.0), (15, 0.25)),
    3: ((2, 0.35), (8, 0.5), (11, 0.3)),
    4: ((0, 0.9), (7, 0.6)),
}


class Struck(msgspec.Struct, frozen=True):
    """A strike of the session: when, on what, how hard from 0 to 1."""

    frame: int
    thing: int
    strength: float


def _strike(thing: int, strength: float, rng: np.random.Generator) -> np.ndarray:
    """A strike: softer ones are duller too. Float32 (frames, 2)."""
    from scipy.signal import butter, sosfilt

    audio = _THINGS[thing](rng)
    dull = butter(1, min(20000.0, 2200.0 * 2.0 ** (3.3 * strength)), fs=RATE_HZ, output="sos")
    gain = 10.0 ** (_SOFTEST_DB * (1.0 - strength) / 20.0)
    return np.asarray(gain * sosfilt(dull, audio, axis=0), np.float32)


def _mixed(struck: list[Struck], frames: int, rng: np.random.Generator) -> np.ndarray:
    mix = np.zeros((frames, 2), np.float32)
    for one in struck:
        audio = _strike(one.thing, one.strength, rng)[: frames - one.frame]
        mix[one.frame : one.frame + audio.shape[0]] += audio
    mix *= np.float32(0.84 / max(1e-9, float(np.abs(mix).max())))
    room = 10.0 ** (_ROOM_DB / 20.0) * rng.standard_normal(mix.shape)
    return np.asarray(mix + room, np.float32)


def session() -> tuple[np.ndarray, list[Struck]]:
    """The session, float32 (frames, 2), and what was struck: each thing from soft to hard."""
    rng = np.random.Generator(np.random.PCG64(2041))
    struck, at = [], 0.8
    for thing, count in enumerate(_STRIKES):
        for n in range(count):
            strength = (n + rng.uniform(0.1, 0.9)) / count
            if thing == 3 and n == count - 1:  # one that bounced
                struck.append(Struck(round((at - _FLAM_S) * RATE_HZ), thing, 0.4 * strength))
            struck.append(Struck(round(at * RATE_HZ), thing, strength))
            at += rng.uniform(0.55, 0.95)
        at += 1.2
    return _mixed(struck, round((at + 0.6) * RATE_HZ), rng), struck


def loop() -> tuple[np.ndarray, list[Struck]]:
    """One take of a loop, whole bars long, and what was struck."""
    rng = np.random.Generator(np.random.PCG64(2042))
    step = 15.0 / LOOP_BPM
    struck = []
    for bar in range(_LOOP_BARS):
        for thing, hits in _LOOP.items():
            for place, strength in hits:
                late = rng.normal(0.0, 0.004) if bar or place else 0.0
                seconds = max(0.0, (16 * bar + place) * step + late)
                hard = strength * rng.uniform(0.85, 1.0)
                struck.append(Struck(round(seconds * RATE_HZ), thing, hard))
    struck.sort(key=lambda one: one.frame)
    return _mixed(struck, round(16 * _LOOP_BARS * step * RATE_HZ), rng), struck


def write_session(folder: Path) -> list[Path]:
    """Writes both recordings as 24-bit WAV files, where they are not yet; the session first."""
    folder.mkdir(parents=True, exist_ok=True)
    made = []
    for name, make in ((SESSION_NAME, session), (LOOP_NAME, loop)):
        path = folder / f"{name}.wav"
        if not path.exists():
            audio, _ = make()
            write_aside(path, wav_bytes(audio, RATE_HZ, "24"))
        made.append(path)
    return made
