"""Made recordings whose hits are known: our voices over each other and alone, for
`tools/onset_fit.py` and the tests.

Voices have their gauges moved and may be pitched, damped, dulled and put into a room; loops go
through masters that drive, filter and blur them, and get noise.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from scipy import signal

from puddle.voices import STARTING_POINTS
from tools.likeness_fit import RATE_HZ, moved

_PARTS = {
    "kick": ("Kick", "Kick", "Kick", "Membrane", "Zap"),
    "snare": ("Snare", "Snare", "Snare", "Clap", "Bar"),
    "hat": ("Hat", "Hat", "Hat", "Shaker"),
    "ride": ("Cymbal", "Hat", "Bell"),
    "foot": ("Hat", "Shaker"),
    "open": ("Hat", "Cymbal"),
    "tom": ("Tom", "Membrane", "Bar", "Bell"),
    "crash": ("Cymbal",),
}
_VOICES = {kind.__name__: list(points.values()) for kind, points in STARTING_POINTS.items()}
_LEAD = 2000  # frames before a loop's first step
_LOUDER = 0.03  # of its peak, at which a drum's hit begins
_LEVELS_DB = {
    "kick": (-4, 0), "hat": (-20, -8), "ride": (-20, -8), "foot": (-16, -8), "open": (-16, -8),
    "tom": (-6, 0), "crash": (-10, -4),
}  # fmt: skip
_SNARE_DB, _GHOST_DB = (-3, 0), (-18, -10)


class Made(NamedTuple):
    """A recording and where its hits begin."""

    kind: str
    audio: np.ndarray  # float32 (frames,)
    begins: np.ndarray  # int64, rising


class Drum(NamedTuple):
    """One hit, its peak at 1, and the frame at which it begins."""

    audio: np.ndarray  # (frames,)
    begin: int


def _room(rng: np.random.Generator, wave: np.ndarray, loudest_db: float) -> np.ndarray:
    """A wave in a room that dies away within a second."""
    frames = round(rng.uniform(0.1, 0.8) * RATE_HZ)
    fall = np.exp(-np.arange(frames) / RATE_HZ / rng.uniform(0.03, 0.25))
    room = 10.0 ** (rng.uniform(-42.0, loudest_db) / 20.0) * rng.standard_normal(frames) * fall
    room[:240] *= 0.1  # what comes at once is the sound itself
    room[0] = 1.0
    return np.asarray(signal.fftconvolve(wave, room))


def drum(rng: np.random.Generator, part: str) -> Drum:
    """A drum for a part of a loop."""
    voices = _VOICES[rng.choice(_PARTS[part])]
    audio = moved(voices[rng.integers(len(voices))], rng).render(RATE_HZ, 1.0).mean(axis=1)
    if not np.abs(audio).max() > 1e-6:
        return drum(rng, part)
    slower = round(100 * 2.0 ** (rng.uniform(-3.0, 3.0) / 12.0))
    wave = signal.resample_poly(audio.astype(np.float64), 100, slower)
    if rng.random() < 0.4:  # damped
        wave *= np.exp(-np.arange(wave.size) / RATE_HZ / rng.uniform(0.08, 1.0))
    if rng.random() < 0.3:
        wave = _duller(rng, wave)
    if rng.random() < 0.5:
        wave = _room(rng, wave, -18.0)
    wave = wave[: round(3.0 * RATE_HZ)] / np.abs(wave).max()
    ends = min(wave.size, 2400)
    wave[-ends:] *= np.linspace(1.0, 0.0, ends)
    return Drum(wave, int(np.argmax(np.abs(wave) > _LOUDER)))


def _duller(rng: np.random.Generator, wave: np.ndarray) -> np.ndarray:
    low = signal.butter(1, rng.uniform(5000.0, 16000.0), fs=RATE_HZ, output="sos")
    return np.asarray(signal.sosfilt(low, wave))


def _strokes(rng: np.random.Generator) -> Iterator[list[tuple[str, float]]]:
    """What is struck at each sixteenth of two bars, and how loud in dB."""
    top, every = rng.choice(["hat", "ride", "hat"]), rng.choice([1, 2, 2])
    kicks = set(rng.choice(16, rng.integers(2, 6), replace=False).tolist()) | {0}
    ghosts = set(rng.choice(16, rng.integers(0, 4), replace=False).tolist()) - {4, 12}
    for n in range(32):
        plays = {
            "kick": n % 16 in kicks,
            "snare": n % 8 == 4 or n % 16 in ghosts,
            str(top): n % every == 0,
            "foot": n % 8 == 4 and rng.random() < 0.7,
            "open": n % 16 == 14 and rng.random() < 0.5,
            "tom": n >= 28 and rng.random() < 0.6,
            "crash": n == 0 and rng.random() < 0.5,
        }
        ranges = {**_LEVELS_DB, "snare": _SNARE_DB if n % 8 == 4 else _GHOST_DB}
        yield [(part, rng.uniform(*ranges[part])) for part, at in plays.items() if at]


def _strike(mix: np.ndarray, struck: Drum, at: int, level_db: float) -> None:
    """Adds a drum whose hit begins at a frame of the mix."""
    audio = struck.audio[max(0, struck.begin - at) :]
    first = max(0, at - struck.begin)
    audio = audio[: max(0, mix.size - first)]
    mix[first : first + audio.size] += 10.0 ** (level_db / 20.0) * audio


def loop(rng: np.random.Generator) -> Made:
    """Two bars over each other; a snare or tom may have a grace stroke of 12 to 40 ms before."""
    drums = {part: drum(rng, part) for part in _PARTS}
    step = 15.0 / rng.uniform(85.0, 165.0) * RATE_HZ
    mix = np.zeros(round(32 * step + 3.0 * RATE_HZ))
    begins = []
    for n, strokes in enumerate(_strokes(rng)):
        at = _LEAD + round(n * step + rng.normal(0.0, 0.006) * RATE_HZ)
        for part, level_db in strokes:
            _strike(mix, drums[part], at, level_db)
            if part in ("snare", "tom") and rng.random() < 0.1:
                grace = at - round(rng.uniform(0.012, 0.04) * RATE_HZ)
                _strike(mix, drums[part], grace, level_db + rng.uniform(-10.0, -2.0))
                begins.append(grace)
        if strokes:
            begins.append(at)
    mix = mix[: round(32 * step) + round(0.25 * RATE_HZ)]
    noise = 10.0 ** (rng.uniform(-85.0, -60.0) / 20.0) * np.abs(mix).max()
    mix += noise * rng.standard_normal(mix.size)
    if rng.random() < 0.6:
        mix = _mastered(rng, mix)
    return Made("loop", (0.9 * mix / np.abs(mix).max()).astype(np.float32), np.unique(begins))


def _mastered(rng: np.random.Generator, mix: np.ndarray) -> np.ndarray:
    mix = mix / np.abs(mix).max()
    if rng.random() < 0.4:  # driven
        drive = 10.0 ** (rng.uniform(0.0, 14.0) / 20.0)
        mix = np.tanh(drive * mix)
    if rng.random() < 0.4:
        mix = _room(rng, mix, -24.0)[: mix.size]
    if rng.random() < 0.3:
        mix = _duller(rng, mix)
    if rng.random() < 0.3:
        cut = signal.butter(2, rng.uniform(30.0, 150.0), "high", fs=RATE_HZ, output="sos")
        mix = signal.sosfilt(cut, mix)
    if rng.random() < 0.5:
        noise = 10.0 ** (rng.uniform(-80.0, -45.0) / 20.0) * np.abs(mix).max()
        mix = mix + noise * rng.standard_normal(mix.size)
    return mix


def session(rng: np.random.Generator) -> Made:
    """Eight seconds of drums struck one after the other, with grace strokes and ghosts."""
    drums = [drum(rng, str(rng.choice(list(_PARTS)))) for _ in range(rng.integers(1, 7))]
    mix, begins, at = np.zeros(round(8.0 * RATE_HZ)), [], 0.3
    while at < 7.0:
        struck, frame = drums[rng.integers(len(drums))], round(at * RATE_HZ)
        ghost = rng.random() < 0.15
        level_db = -24.0 if ghost else rng.uniform(-14.0, 0.0)
        if not ghost and rng.random() < 0.2:
            grace = frame - round(rng.uniform(0.012, 0.04) * RATE_HZ)
            _strike(mix, struck, grace, level_db + rng.uniform(-10.0, -2.0))
            begins.append(grace)
        _strike(mix, struck, frame, level_db)
        begins.append(frame)
        at += rng.uniform(0.09, 0.5) if rng.random() < 0.8 else rng.uniform(0.5, 1.2)
    mix *= 0.9 / np.abs(mix).max()
    mix += 10.0 ** (rng.uniform(-75.0, -45.0) / 20.0) * rng.standard_normal(mix.size)
    return Made("session", mix.astype(np.float32), np.array(begins))


def alone(rng: np.random.Generator) -> Made:
    """One hit, most often in a room's noise."""
    audio, begin = drum(rng, str(rng.choice(list(_PARTS))))
    before, behind = int(rng.integers(0, 4000)), int(rng.integers(0, 8000))
    wave = np.pad(audio, (before, behind))
    if rng.random() < 0.7:
        wave += 10.0 ** (rng.uniform(-90.0, -55.0) / 20.0) * rng.standard_normal(wave.size)
    return Made("alone", wave.astype(np.float32), np.array([before + begin]))


def beating(rng: np.random.Generator) -> Made:
    """A drum in a quiet room, its modes those of an ideal membrane (Rayleigh), each twice."""
    t = np.arange(72000) / RATE_HZ
    wave, low = np.zeros(t.size), rng.uniform(70.0, 180.0)
    for ratio in (1.0, 1.59, 2.14, 2.3, 2.65, 2.92, 3.16, 3.5):
        fall = np.exp(-t / (rng.uniform(0.1, 0.4) / ratio))
        for share, apart_hz in ((1.0, 0.0), (0.3, rng.uniform(1.0, 5.0))):
            phase = 2.0 * np.pi * (low * ratio + apart_hz) * t + rng.uniform(0.0, 6.0)
            wave += share * rng.uniform(0.3, 1.0) / ratio**0.7 * np.sin(phase) * fall
    wave = 0.8 * wave / np.abs(wave).max() + 10.0 ** (-70.0 / 20.0) * rng.standard_normal(t.size)
    return Made("beating", np.pad(wave, (1000, 0)).astype(np.float32), np.array([1000]))


def noise(rng: np.random.Generator) -> Made:
    """Two seconds in which nothing is struck."""
    wave = 0.2 * rng.standard_normal(96000)
    return Made("noise", wave.astype(np.float32), np.zeros(0, np.int64))


def made(seed: int, count: int) -> Iterator[Made]:
    """So many loops, sessions and single hits, some drums that beat, and a little noise."""
    for n in range(count):
        rng = np.random.default_rng((seed, n))
        yield loop(rng)
        yield session(rng)
        yield alone(rng)
        if n % 4 == 0:
            yield beating(rng)
        if n % 8 == 0:
            yield noise(rng)
