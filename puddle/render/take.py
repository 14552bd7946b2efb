"""From recipe to samples: a sound becomes a take.

The order is fixed: source (voice, or a sample's region, reversed and faded), tuning, envelope,
the layer's stages; then polarity, level and pan, and its place in time; then the sum and the
sound's stages. The same recipe and rate give the same samples on every run.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import msgspec
import numpy as np

from puddle.kernels.compiling import denormals_flushed
from puddle.kernels.envelopes import fade_edges, hit_envelope
from puddle.kernels.interpolation import last_loud, resampled
from puddle.kit.document import Envelope, Layer, Sample, Sound, Source, Stage
from puddle.render.cache import RenderCache
from puddle.render.samples import Decoded, Samples
from puddle.stages.chain import processed
from puddle.units import gain_from_db, ratio_from_semitones

LONGEST_S = 60.0
_SILENT = 10.0 ** (-110.0 / 20.0)
_END_FRAMES = 64


@dataclass(frozen=True, eq=False)
class Rendered:
    """Samples as float32 (frames, 2), and each stage's deepest gain reduction in dB by its id."""

    audio: np.ndarray
    reductions: dict[str, float]


class Takes:
    """Renders layers and sounds at one rate, keeping what has been rendered."""

    def __init__(self, samples: Samples, rate_hz: float, most_bytes: int = 512 << 20) -> None:
        self._samples = samples
        self.rate_hz = rate_hz
        self._cache: RenderCache[Rendered] = RenderCache(most_bytes, lambda r: r.audio.nbytes)

    def layer(self, layer: Layer) -> Rendered:
        """A layer by itself, before polarity, level, pan and offset."""
        key = (layer.source, layer.tune_st, layer.tune_ct, layer.envelope, layer.stages)
        return self._cache.get(key, lambda: self._render_layer(layer))

    def placed(self, sound: Sound, layer: Layer) -> np.ndarray:
        """A layer as it stands in the sum: float32 (frames, 2), from the sound's first frame."""
        shift = (layer.offset_ms + _lead_ms(sound)) / 1000.0 * self.rate_hz
        with denormals_flushed():
            return _placed(self.layer(layer).audio, layer, shift)

    def sound(self, sound: Sound) -> Rendered:
        """The whole sound."""
        return self._cache.get(_audible(sound), lambda: self._render_sound(sound))

    def _render_layer(self, layer: Layer) -> Rendered:
        ratio = ratio_from_semitones(layer.tune_st + layer.tune_ct / 100.0)
        source = (layer.source, ratio)
        raw = self._cache.get(source, lambda: self._render_source(layer.source, ratio))
        with denormals_flushed():
            audio = _shaped(raw.audio, layer.envelope, self.rate_hz)
            return _staged(audio, layer.stages, self.rate_hz)

    def _render_source(self, source: Source, ratio: float) -> Rendered:
        with denormals_flushed():
            if isinstance(source, Sample):
                decoded = self._samples.decoded(source.content)
                audio = _region(source, decoded, self.rate_hz, ratio)
            else:
                audio = source.render(self.rate_hz, ratio)
        return Rendered(audio, {})

    def _render_sound(self, sound: Sound) -> Rendered:
        heard = heard_layers(sound)
        parts = [self.placed(sound, layer) for layer in heard]
        reductions: dict[str, float] = {}
        frames = max((p.shape[0] for p in parts), default=1)
        total = np.zeros((frames, 2), np.float32)
        for part in parts:
            total[: part.shape[0]] += part
        with denormals_flushed():
            staged = _staged(total, sound.stages, self.rate_hz)
        reductions.update(staged.reductions)
        return Rendered(_ended(staged.audio), reductions)


def heard_layers(sound: Sound) -> list[Layer]:
    """The layers that are on, and where any is solo only those."""
    on = [layer for layer in sound.layers if layer.on]
    solo = [layer for layer in on if layer.solo]
    return solo or on


def _audible(sound: Sound) -> Sound:
    """The sound without what cannot be heard, so that a new name renders nothing anew."""
    layers = tuple(msgspec.structs.replace(k, name="", dye="indigo") for k in sound.layers)
    return msgspec.structs.replace(sound, layers=layers)


def _lead_ms(sound: Sound) -> float:
    """How long the others wait for the layer that was moved the earliest, muted ones included."""
    return -min(0.0, min((layer.offset_ms for layer in sound.layers), default=0.0))


def _region(sample: Sample, decoded: Decoded | None, rate_hz: float, ratio: float) -> np.ndarray:
    """A sample's region at the engine's rate; a moment of silence where it is missing."""
    if decoded is None:
        return np.zeros((1, 2), np.float32)
    per_ms = decoded.rate_hz / 1000.0
    frames = decoded.audio.shape[0]
    start = min(frames - 1, max(0, round(sample.start_ms * per_ms)))
    end = max(start + 1, min(frames, round(sample.end_ms * per_ms)))
    region = decoded.audio[start:end].copy()
    if sample.reverse:
        region = np.ascontiguousarray(region[::-1])
    fade_edges(region, round(sample.fade_in_ms * per_ms), round(sample.fade_out_ms * per_ms))
    return converted(region, decoded.rate_hz, rate_hz, ratio)


def converted(audio: np.ndarray, from_hz: float, to_hz: float, ratio: float) -> np.ndarray:
    """Audio at another rate, played faster by a ratio; untouched where neither changes."""
    if ratio == 1.0 and from_hz == to_hz:
        return audio
    step = ratio * from_hz / to_hz
    most = round(LONGEST_S * to_hz)
    if ratio == 1.0:
        import soxr

        return np.ascontiguousarray(soxr.resample(audio, from_hz, to_hz, "VHQ")[:most], np.float32)
    frames = min(most, max(1, math.ceil(audio.shape[0] / step)))
    return resampled(audio, step, 0.0, frames)


def _shaped(audio: np.ndarray, envelope: Envelope, rate_hz: float) -> np.ndarray:
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
    return (audio[:frames] * shape[:, None]).astype(np.float32)


def _staged(audio: np.ndarray, stages: tuple[Stage, ...], rate_hz: float) -> Rendered:
    on = [stage for stage in stages if stage.on]
    if not on:
        return Rendered(audio, {})
    out, reductions = processed(audio, [stage.process for stage in on], rate_hz)
    named = {stage.id: db for stage, db in zip(on, reductions, strict=True)}
    return Rendered(out, named)


def pan_gains(pan: float) -> tuple[float, float]:
    """Equal-power gains for left and right, 0 dB in the middle; pan is -100 to 100."""
    if pan == 0.0:
        return 1.0, 1.0
    angle = (pan / 100.0 + 1.0) * math.pi / 4.0
    return math.sqrt(2.0) * math.cos(angle), math.sqrt(2.0) * math.sin(angle)


def _placed(audio: np.ndarray, layer: Layer, shift_frames: float) -> np.ndarray:
    """Polarity, level, pan, and a delay of any fraction of a frame."""
    gain = gain_from_db(layer.level_db) * (-1.0 if layer.flip else 1.0)
    left, right = pan_gains(layer.pan)
    whole = math.floor(shift_frames)
    part = shift_frames - whole
    if part > 1e-6:
        audio = resampled(audio, 1.0, -part, audio.shape[0] + 33)
    out = np.zeros((whole + audio.shape[0], 2), np.float32)
    out[whole:] = audio * np.array([gain * left, gain * right], np.float32)
    return out


def _ended(audio: np.ndarray) -> np.ndarray:
    """The audio without the silence after it, ended at rest; never a value that is not a number."""
    last = int(last_loud(audio, np.float32(_SILENT)))
    if last == -2:
        audio = np.zeros((1, 2), np.float32)
    end = max(0, last) + 1
    if end < audio.shape[0]:
        out = audio[: min(audio.shape[0], end + _END_FRAMES)].copy()
        fade_edges(out, 0, min(_END_FRAMES, out.shape[0]))
        return out
    return np.ascontiguousarray(audio)
