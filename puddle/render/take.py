"""From recipe to samples: a sound becomes a take.

The order is fixed: source (voice, or a sample's region, then stretched, reversed, looped and
faded), tuning, envelope, the layer's band and its stages; then polarity, level and pan, and its
place in time; then the sum, its start and the sound's stages. A stage that listens to another layer
hears it as it stands in the sum, but without its stages, and whether or not it is on. The same
recipe and rate give the same samples on every run. What each step computes is in `steps`, which
brings the kernels in: on the first render, not before.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from puddle.kit.model.document import Layer, Sample, Sound, Source, Stage
from puddle.render.cache import RenderCache
from puddle.render.samples import Decoded, Rendered, Samples
from puddle.stages import Branch, keys_of
from puddle.units import ratio_from_semitones

if TYPE_CHECKING:
    from puddle.stages.chain import Over


class Takes:
    """Renders layers and sounds at one rate, keeping what has been rendered."""

    def __init__(self, samples: Samples, rate_hz: float, most_bytes: int = 512 << 20) -> None:
        self._samples = samples
        self.rate_hz = rate_hz
        self._cache: RenderCache[Rendered] = RenderCache(most_bytes, lambda r: r.audio.nbytes)

    def layer(self, sound: Sound, layer: Layer) -> Rendered:
        """A layer by itself, before polarity, level, pan and offset."""
        key = recipe_of(sound, layer)
        return self._cache.get(key, lambda: self._render_layer(sound, layer))

    def placed(self, sound: Sound, layer: Layer) -> np.ndarray:
        """A layer as it stands in the sum: float32 (frames, 2), from the sound's first frame."""
        from puddle.render import steps

        shift = (layer.offset_ms + lead_ms(sound)) / 1000.0 * self.rate_hz
        key = ("placed", recipe_of(sound, layer), layer.flip, layer.level_db, layer.pan, shift)

        def place() -> Rendered:
            with steps.denormals_flushed():
                return Rendered(steps.placed(self.layer(sound, layer).audio, layer, shift), {})

        return self._cache.get(key, place).audio

    def recordings(self, sound: Sound) -> dict[str, Decoded]:
        """What the layers that are samples were cut from, by layer, where it is not missing."""
        sources = {k.id: k.source for k in sound.layers}
        found = {
            key: self._samples.decoded(source.content)
            for key, source in sources.items()
            if isinstance(source, Sample)
        }
        return {key: decoded for key, decoded in found.items() if decoded is not None}

    def sound(self, sound: Sound) -> Rendered:
        """The whole sound."""
        return self._cache.get(_audible(sound), lambda: self._render_sound(sound))

    def tuned(self, sound: Sound, semitones: float) -> np.ndarray:
        """The whole sound resampled, higher by some semitones: float32 (frames, 2)."""
        from puddle.render import steps

        audio = self.sound(sound).audio
        if semitones == 0.0:
            return audio
        ratio, rate = ratio_from_semitones(semitones), self.rate_hz

        def tune() -> Rendered:
            return Rendered(steps.converted(audio, rate, rate, ratio), {})

        return self._cache.get(("tuned", _audible(sound), semitones), tune).audio

    def _render_layer(self, sound: Sound, layer: Layer) -> Rendered:
        from puddle.render import steps

        audio = self._unstaged(layer)
        keys = self._keys(sound, layer.stages, layer.offset_ms, layer)
        with steps.denormals_flushed():
            return steps.staged(audio, layer.stages, self.rate_hz, steps.Measured(keys))

    def _keys(
        self, sound: Sound, stages: tuple[Stage, ...], from_ms: float, listener: Layer | None
    ) -> dict[str, np.ndarray]:
        """What stages listen to, from a moment of the sound on."""
        from puddle.render import steps

        found = {}
        for layer in _key_layers(sound, stages, listener):
            shift = (layer.offset_ms - from_ms) / 1000.0 * self.rate_hz
            before = max(0, math.ceil(-shift))
            with steps.denormals_flushed():
                placed = steps.placed(self._unstaged(layer), layer, shift + before)
            found[layer.id] = placed[before:]
        return found

    def _unstaged(self, layer: Layer) -> np.ndarray:
        from puddle.render import steps

        ratio = ratio_from_semitones(layer.tune_st + layer.tune_ct / 100.0)
        source = (layer.source, ratio)
        raw = self._cache.get(source, lambda: self._render_source(layer.source, ratio))
        with steps.denormals_flushed():
            audio = steps.shaped(raw.audio, layer.envelope, self.rate_hz)
            return steps.banded(audio, layer.band, self.rate_hz)

    def _render_source(self, source: Source, ratio: float) -> Rendered:
        from puddle.render import steps

        with steps.denormals_flushed():
            if isinstance(source, Sample):
                audio = self._render_sample(source, ratio)
            else:
                audio = source.render(self.rate_hz, ratio)
        return Rendered(audio, {})

    def _render_sample(self, sample: Sample, ratio: float) -> np.ndarray:
        """Its region at the engine's rate; a moment of silence where it is missing."""
        from puddle.render import sampling, steps

        decoded = self._samples.decoded(sample.content)
        if decoded is None:
            return np.zeros((1, 2), np.float32)
        if sample.longer == 1.0:
            part = sampling.region(sample, decoded)
        else:
            # To stretch takes longest: it is kept while fades, loops and tunings are tried.
            key = sample.stretching
            made = self._cache.get(key, lambda: Rendered(sampling.region(sample, decoded), {}))
            part = made.audio
        part = sampling.sampled(sample, part, decoded.rate_hz)
        return steps.converted(part, decoded.rate_hz, self.rate_hz, ratio * sample.pitch_ratio)

    def _render_sound(self, sound: Sound) -> Rendered:
        from puddle.render import steps

        total = self._summed(sound)
        keys = self._keys(sound, sound.stages, sound.start_ms - lead_ms(sound), None)
        with steps.denormals_flushed():
            staged = steps.staged(total, sound.stages, self.rate_hz, steps.Measured(keys))
        own = staged.audio is not total  # else a layer may hold it too
        return Rendered(steps.ended(staged.audio, owned=own), staged.overs)

    def _summed(self, sound: Sound) -> np.ndarray:
        """The layers together, from where the sound starts."""
        from puddle.render import steps

        total = _sum([self.placed(sound, layer) for layer in heard_layers(sound)])
        return steps.started(total, round(sound.start_ms / 1000.0 * self.rate_hz))

    def overs_in(
        self, sound: Sound, layer: Layer | None, branches: tuple[str, ...]
    ) -> dict[str, Over]:
        """What the stages inside a branch do over the hit, by id; the way in is ids of branches.

        Rendered anew each time: only somebody who looks into a branch asks for it.
        """
        from puddle.render import steps

        if layer is None:
            audio, stages = self._summed(sound), sound.stages
            keys = self._keys(sound, stages, sound.start_ms - lead_ms(sound), None)
        else:
            audio, stages = self._unstaged(layer), layer.stages
            keys = self._keys(sound, stages, layer.offset_ms, layer)
        measured = steps.Measured(keys)
        with steps.denormals_flushed():
            for name in branches:
                n = next((n for n, s in enumerate(stages) if s.id == name), None)
                branch = stages[n].process if n is not None else None
                if not isinstance(branch, Branch):
                    return {}
                audio = steps.staged(audio, stages[:n], self.rate_hz, measured).audio
                stages = branch.stages
            return steps.staged(audio, stages, self.rate_hz, measured).overs


def _sum(parts: list[np.ndarray]) -> np.ndarray:
    """The layers together; one alone is itself, so that a sample is played from its source."""
    if len(parts) == 1:
        return parts[0]
    frames = max((p.shape[0] for p in parts), default=1)
    total = np.zeros((frames, 2), np.float32)
    for part in parts:
        total[: part.shape[0]] += part
    return total


def recipe_of(sound: Sound, layer: Layer) -> tuple[object, ...]:
    """What a layer by itself is rendered from, with the layers that its stages listen to."""
    keys = tuple(
        (
            key.id,
            *_own_recipe(key),
            key.flip,
            key.level_db,
            key.pan,
            key.offset_ms - layer.offset_ms,
        )
        for key in _key_layers(sound, layer.stages, layer)
    )
    return (*_own_recipe(layer), layer.stages, keys)


def _own_recipe(layer: Layer) -> tuple[object, ...]:
    return layer.source, layer.tune_st, layer.tune_ct, layer.envelope, layer.band


def _key_layers(sound: Sound, stages: tuple[Stage, ...], listener: Layer | None) -> list[Layer]:
    """The layers that stages listen to; a layer that is gone, or its own, is none."""
    names = keys_of(stages)
    return [k for k in sound.layers if k.id in names and (listener is None or k.id != listener.id)]


def heard_layers(sound: Sound) -> list[Layer]:
    """The layers that are on, and where any is solo only those."""
    on = [layer for layer in sound.layers if layer.on]
    solo = [layer for layer in on if layer.solo]
    return solo or on


def _audible(sound: Sound) -> Sound:
    """The sound without what this strike does not hear, so that a new name renders nothing anew.

    A layer that is off counts where others wait for it, or stages listen to it.
    """
    staged = (*sound.stages, *(stage for k in sound.layers for stage in k.stages))
    listened = keys_of(staged) if staged else ()
    layers = tuple(
        msgspec.structs.replace(k, name="", dye="indigo", reaches=(), variation=0.0)
        for k in sound.layers
        if k.on or k.offset_ms < 0.0 or k.id in listened
    )
    return msgspec.structs.replace(sound, layers=layers, darker=0.0, later_ms=0.0)


def lead_ms(sound: Sound) -> float:
    """How long the others wait for the layer that was moved the earliest, muted ones included."""
    return -min(0.0, min((layer.offset_ms for layer in sound.layers), default=0.0))
