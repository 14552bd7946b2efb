"""The steps from a source to a take: conversion, envelope, stages, place, end."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Mapping

import numpy as np

from puddle.kernels.compiling import denormals_flushed
from puddle.kernels.envelopes import fade_edges, hit_envelope
from puddle.kernels.interpolation import last_loud, resampled
from puddle.kit.model.document import Band, Envelope, Layer, Stage
from puddle.measure.levels import loudness_lufs
from puddle.measure.pitch import Pitch, fundamental
from puddle.render.cache import RenderCache
from puddle.render.samples import Rendered
from puddle.stages.chain import processed
from puddle.tasks import check_cancelled
from puddle.units import db_from_gain, gain_from_db, pan_gains

__all__ = ["converted", "denormals_flushed", "ended", "placed", "shaped", "staged", "started"]

LONGEST_S = 60.0
_SILENT = 10.0 ** (-110.0 / 20.0)
_END_FRAMES = 64
_START_FRAMES = 64
_MOSTLY = 0.75
_PITCHES: RenderCache[Pitch] = RenderCache(256, lambda _: 1)


def converted(audio: np.ndarray, from_hz: float, to_hz: float, ratio: float) -> np.ndarray:
    """Audio at another rate, played faster by a ratio; untouched where neither changes."""
    if ratio == 1.0 and from_hz == to_hz:
        return audio
    step = ratio * from_hz / to_hz
    most = round(LONGEST_S * to_hz)
    if ratio == 1.0:
        return _at_rate(audio, from_hz, to_hz, most)
    frames = min(most, max(1, math.ceil(audio.shape[0] / step)))
    found: np.ndarray = resampled(audio, step, 0.0, frames)
    return found


def _at_rate(audio: np.ndarray, from_hz: float, to_hz: float, most: int) -> np.ndarray:
    """At most so many frames at another rate, second by second, so that long work can be left."""
    import soxr

    stream = soxr.ResampleStream(from_hz, to_hz, 2, dtype="float32", quality="VHQ")
    needed = min(audio.shape[0], math.ceil(most * from_hz / to_hz) + round(from_hz))
    step = round(from_hz)
    parts = []
    for start in range(0, needed, step):
        check_cancelled()
        part = np.ascontiguousarray(audio[start : min(start + step, needed)], np.float32)
        parts.append(stream.resample_chunk(part, last=start + step >= needed))
    return np.ascontiguousarray(np.concatenate(parts)[:most], np.float32)


def shaped(audio: np.ndarray, envelope: Envelope, rate_hz: float) -> np.ndarray:
    """The envelope over a layer; what lies behind its end is cut off."""
    if not envelope.on:
        return audio
    length_ms = envelope.attack_ms + envelope.hold_ms + envelope.decay_ms
    frames = min(audio.shape[0], max(1, math.ceil(length_ms / 1000.0 * rate_hz)))
    shape = hit_envelope(
        frames,
        rate_hz,
        envelope.attack_ms / 1000.0,
        envelope.hold_ms / 1000.0,
        envelope.decay_ms / 1000.0,
        envelope.curve / 100.0 * 6.0,
    )
    found: np.ndarray = (audio[:frames] * shape[:, None]).astype(np.float32)
    return found


class Measured:
    """What stages may ask of a one-shot, and of the keys beside it: float32 (frames, 2) each."""

    def __init__(self, keys: Mapping[str, np.ndarray], late: int = 0) -> None:
        self._keys = keys
        self._late = late

    def peak_db(self, audio: np.ndarray, rate_hz: float) -> float | None:
        peak = float(np.abs(audio).max(initial=0.0))
        return db_from_gain(peak) if peak > 0.0 else None

    def loudness_db(self, audio: np.ndarray, rate_hz: float) -> float | None:
        return loudness_lufs(audio, rate_hz)

    def pitch_hz(self, audio: np.ndarray, rate_hz: float) -> float | None:
        # To measure takes longer than all stages together, and what comes in is mostly the same.
        key = (hashlib.blake2b(audio.tobytes(), digest_size=16).digest(), rate_hz)
        return _PITCHES.get(key, lambda: fundamental(audio, rate_hz)).hz

    def key(self, name: str, frames: int, late: int) -> np.ndarray | None:
        found = self._keys.get(name)
        if found is None:
            return None
        start = self._late + late
        out = np.zeros((frames, 2), np.float32)
        count = max(0, min(found.shape[0], frames - start))
        out[start : start + count] = found[:count]
        return out

    def key_frames(self, name: str) -> int:
        found = self._keys.get(name)
        return 0 if found is None else found.shape[0]

    def later(self, frames: int) -> Measured:
        return Measured(self._keys, self._late + frames)


MEASURED = Measured({})


def staged(
    audio: np.ndarray, stages: tuple[Stage, ...], rate_hz: float, measured: Measured = MEASURED
) -> Rendered:
    on = [stage for stage in stages if stage.on]
    if not on:
        return Rendered(audio, {})
    out, overs = processed(audio, [stage.insert for stage in on], rate_hz, measured)
    named = {stage.id: over for stage, over in zip(on, overs, strict=True)}
    return Rendered(out, named)


def banded(audio: np.ndarray, band: Band, rate_hz: float) -> np.ndarray:
    """The layer without what lies outside its band."""
    cuts = band.cuts
    return audio if cuts is None else processed(audio, [cuts], rate_hz)[0]


def placed(audio: np.ndarray, layer: Layer, shift_frames: float) -> np.ndarray:
    """Polarity, level, pan, and a delay of any fraction of a frame."""
    gain = gain_from_db(layer.level_db) * (-1.0 if layer.flip else 1.0)
    left, right = pan_gains(layer.pan)
    whole = math.floor(shift_frames)
    part = shift_frames - whole
    if part > 1e-6:
        audio = resampled(audio, 1.0, -part, audio.shape[0] + 33)
    if whole == 0 and gain * left == gain * right == 1.0:
        return audio  # as it is: nothing writes into a rendered layer
    out = np.empty((whole + audio.shape[0], 2), np.float32)
    out[:whole] = 0.0
    if left == right:  # both at once: in a row
        np.multiply(audio, np.float32(gain * left), out=out[whole:])
        return out
    for side, level in enumerate((gain * left, gain * right)):
        np.multiply(audio[:, side], np.float32(level), out=out[whole:, side])
    return out


def started(audio: np.ndarray, skipped: int) -> np.ndarray:
    """The audio without its first frames; what it starts in the middle of comes in without a click.

    The fade lasts 1.3 ms at 48 kHz: shorter than an attack that is heard as one.
    """
    if skipped <= 0:
        return audio
    out = audio[min(skipped, audio.shape[0] - 1) :].copy()
    fade_edges(out, min(_START_FRAMES, out.shape[0]), 0)
    return out


def ended(audio: np.ndarray, *, owned: bool = False) -> np.ndarray:
    """The audio without the silence after it, ended at rest; never a value that is not a number.

    What has less than 64 frames of silence after it is at rest already, and stays as it is: a
    sample is then played from where it lies. What nobody else holds is faded in its own memory,
    unless that would keep a long silence with it.
    """
    last = int(last_loud(audio, np.float32(_SILENT)))
    if last == -2:
        audio = np.zeros((1, 2), np.float32)
    end = max(0, last) + 1
    if end + _END_FRAMES < audio.shape[0]:
        out = audio[: end + _END_FRAMES]
        if not owned or out.shape[0] < _MOSTLY * audio.shape[0]:
            out = out.copy()
        fade_edges(out, 0, min(_END_FRAMES, out.shape[0]))
        return out
    return np.ascontiguousarray(audio)
