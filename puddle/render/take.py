"""From recipe to samples: a sound becomes a take.

The order is fixed: source (voice, or a sample's region, reversed and faded), tuning, envelope,
the layer's band and its stages; then polarity, level and pan, and its place in time; then the sum
and the sound's stages. The same recipe and rate give the same samples on every run. What each
step computes is in `steps`, which brings the kernels in: on the first render, not before.
"""

from __future__ import annotations

import msgspec
import numpy as np

from puddle.kit.document import Layer, Sample, Sound, Source
from puddle.render.cache import RenderCache
from puddle.render.samples import Rendered, Samples
from puddle.units import ratio_from_semitones


class Takes:
    """Renders layers and sounds at one rate, keeping what has been rendered."""

    def __init__(self, samples: Samples, rate_hz: float, most_bytes: int = 512 << 20) -> None:
        self._samples = samples
        self.rate_hz = rate_hz
        self._cache: RenderCache[Rendered] = RenderCache(most_bytes, lambda r: r.audio.nbytes)

    def layer(self, layer: Layer) -> Rendered:
        """A layer by itself, before polarity, level, pan and offset."""
        key = recipe_of(layer)
        return self._cache.get(key, lambda: self._render_layer(layer))

    def placed(self, sound: Sound, layer: Layer) -> np.ndarray:
        """A layer as it stands in the sum: float32 (frames, 2), from the sound's first frame."""
        from puddle.render import steps

        shift = (layer.offset_ms + _lead_ms(sound)) / 1000.0 * self.rate_hz
        key = ("placed", recipe_of(layer), layer.flip, layer.level_db, layer.pan, shift)

        def place() -> Rendered:
            with steps.denormals_flushed():
                return Rendered(steps.placed(self.layer(layer).audio, layer, shift), {})

        return self._cache.get(key, place).audio

    def sound(self, sound: Sound) -> Rendered:
        """The whole sound."""
        return self._cache.get(_audible(sound), lambda: self._render_sound(sound))

    def _render_layer(self, layer: Layer) -> Rendered:
        from puddle.render import steps

        ratio = ratio_from_semitones(layer.tune_st + layer.tune_ct / 100.0)
        source = (layer.source, ratio)
        raw = self._cache.get(source, lambda: self._render_source(layer.source, ratio))
        with steps.denormals_flushed():
            audio = steps.shaped(raw.audio, layer.envelope, self.rate_hz)
            audio = steps.banded(audio, layer.band, self.rate_hz)
            return steps.staged(audio, layer.stages, self.rate_hz)

    def _render_source(self, source: Source, ratio: float) -> Rendered:
        from puddle.render import steps

        with steps.denormals_flushed():
            if isinstance(source, Sample):
                decoded = self._samples.decoded(source.content)
                audio = steps.region(source, decoded, self.rate_hz, ratio)
            else:
                audio = source.render(self.rate_hz, ratio)
        return Rendered(audio, {})

    def _render_sound(self, sound: Sound) -> Rendered:
        from puddle.render import steps

        heard = heard_layers(sound)
        parts = [self.placed(sound, layer) for layer in heard]
        frames = max((p.shape[0] for p in parts), default=1)
        total = np.zeros((frames, 2), np.float32)
        for part in parts:
            total[: part.shape[0]] += part
        with steps.denormals_flushed():
            staged = steps.staged(total, sound.stages, self.rate_hz)
        return Rendered(steps.ended(staged.audio), staged.reductions)


def recipe_of(layer: Layer) -> tuple[object, ...]:
    """What a layer by itself is rendered from."""
    return layer.source, layer.tune_st, layer.tune_ct, layer.envelope, layer.band, layer.stages


def heard_layers(sound: Sound) -> list[Layer]:
    """The layers that are on, and where any is solo only those."""
    on = [layer for layer in sound.layers if layer.on]
    solo = [layer for layer in on if layer.solo]
    return solo or on


def _audible(sound: Sound) -> Sound:
    """The sound without what this strike does not hear, so that a new name renders nothing anew."""
    layers = tuple(
        msgspec.structs.replace(k, name="", dye="indigo", reaches=(), variation=0.0)
        for k in sound.layers
    )
    return msgspec.structs.replace(sound, layers=layers)


def _lead_ms(sound: Sound) -> float:
    """How long the others wait for the layer that was moved the earliest, muted ones included."""
    return -min(0.0, min((layer.offset_ms for layer in sound.layers), default=0.0))
