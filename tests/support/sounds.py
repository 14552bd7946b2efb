"""Sounds and kits that tests share: made by formulas, independent of the code under test."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import soundfile

from puddle.kit import edits
from puddle.kit.model.document import Hit, Kit, Lane, Layer, Pattern, Sound
from puddle.voices import Hat, Kick, Snare

RATE = 48000


def sine(hz: float, seconds: float, level: float = 1.0, rate: int = RATE) -> np.ndarray:
    """A sine on both channels: float32 (frames, 2)."""
    t = np.arange(round(seconds * rate)) / rate
    mono = level * np.sin(2.0 * np.pi * hz * t)
    return np.stack([mono, mono], axis=1).astype(np.float32)


def noise(seconds: float, seed: int = 0, level: float = 0.25, rate: int = RATE) -> np.ndarray:
    """White noise, different on both channels."""
    rng = np.random.default_rng(seed)
    return (level * rng.standard_normal((round(seconds * rate), 2))).astype(np.float32)


def wav(audio: np.ndarray, rate: int = RATE, subtype: str = "FLOAT", kind: str = "WAV") -> bytes:
    """A sound file's bytes, by libsndfile."""
    out = io.BytesIO()
    soundfile.write(out, audio, rate, subtype, format=kind)
    return out.getvalue()


def write(path: Path, audio: np.ndarray, rate: int = RATE) -> Path:
    """A float WAV file."""
    path.write_bytes(wav(audio, rate))
    return path


def small_kit() -> Kit:
    """Kick, snare and two hats that choke, without buses and master stages."""
    kit = Kit(name="Small", tempo_bpm=120.0)
    voices = (
        ("Thud", "kick", Kick(decay_ms=200)),
        ("Crack", "snare", Snare()),
        ("Tick", "hat", Hat(decay_ms=60, ring_ms=80)),
        ("Wash", "hat", Hat(decay_ms=800, ring_ms=900, seed=3)),
    )
    for name, role, voice in voices:
        layer = Layer(id="layer1", name=name, source=voice)
        kit, _ = edits.add_pad(kit, name, role, Sound(layers=(layer,)))  # type: ignore[arg-type]
    for pad in ("pad3", "pad4"):
        kit = edits.set_pad(kit, pad, choke_group=1)
    return kit


def pattern(*lanes: tuple[str, tuple[int, ...]], length: int = 16, **values: float) -> Pattern:
    """A pattern of plain hits."""
    made = tuple(
        Lane(pad=pad, hits=tuple(Hit(at=s, velocity=127) for s in steps)) for pad, steps in lanes
    )
    return Pattern(id="p", name="P", length=length, lanes=made, **values)  # type: ignore[arg-type]


def simple_pattern(**lane: object) -> Pattern:
    """Three hits of one pad, loud, soft and between."""
    hits = (Hit(at=0, velocity=120), Hit(at=4, velocity=60), Hit(at=10, velocity=90))
    return Pattern(id="x", name="X", lanes=(Lane(pad="a", hits=hits, **lane),))  # type: ignore[arg-type]
