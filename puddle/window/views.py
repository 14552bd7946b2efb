"""What a page shows of a sound, made on a worker: pictures, levels and pitches."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from puddle.kit.document import Layer, Sound
from puddle.measure.agreement import Agreement, agreement
from puddle.measure.levels import loudness_lufs, peak_dbfs
from puddle.measure.onsets import onsets
from puddle.measure.pitch import Pitch, fundamental
from puddle.measure.shape import HitShape, hit_shape
from puddle.measure.spectrum import display_spectrum
from puddle.render.cache import RenderCache
from puddle.render.samples import Decoded
from puddle.render.take import Takes, heard_layers, lead_ms, recipe_of

if TYPE_CHECKING:
    from puddle.stages.chain import Over


@dataclass(frozen=True, eq=False)
class SoundView:
    """What Shape draws of one sound: made on a worker."""

    sound: Sound
    rate_hz: float
    whole: np.ndarray
    layers: dict[str, np.ndarray]
    overs: dict[str, Over]  # what the sound's stages did, by id
    layer_overs: dict[str, dict[str, Over]]
    shape: HitShape | None
    spectrum_hz: np.ndarray
    spectrum_db: np.ndarray
    layer_db: dict[str, np.ndarray]
    agreement: Agreement | None  # of the layers that are heard, by id
    onsets_ms: dict[str, tuple[float, ...]]  # of hits, by layer
    starts_ms: dict[str, float]  # where layers begin
    recordings: dict[str, Decoded]  # what layers that are samples were cut from
    peak_db: float
    loudness_lufs: float | None


@dataclass(frozen=True, eq=False)
class Pitches:
    """Measured fundamentals of one sound and its layers."""

    sound: Sound
    whole: Pitch
    layers: dict[str, Pitch]


def sound_view(takes: Takes, sound: Sound) -> SoundView:
    """Everything that Shape draws of a sound but its pitches."""
    whole = takes.sound(sound)
    rate = takes.rate_hz
    layers = {layer.id: takes.placed(sound, layer) for layer in sound.layers}
    hz, db = display_spectrum(whole.audio, rate)
    return SoundView(
        sound=sound,
        rate_hz=rate,
        whole=whole.audio,
        layers=layers,
        overs=whole.overs,
        layer_overs={layer.id: takes.layer(sound, layer).overs for layer in sound.layers},
        shape=hit_shape(whole.audio, rate),
        spectrum_hz=hz,
        spectrum_db=db,
        layer_db={k: display_spectrum(a, rate)[1] for k, a in layers.items()},
        agreement=agreement({k.id: layers[k.id] for k in heard_layers(sound)}, rate),
        onsets_ms={k: tuple(1000.0 * n / rate for n in onsets(a, rate)) for k, a in layers.items()},
        starts_ms={layer.id: layer.offset_ms + lead_ms(sound) for layer in sound.layers},
        recordings=takes.recordings(sound),
        peak_db=peak_dbfs(whole.audio),
        loudness_lufs=loudness_lufs(whole.audio, rate),
    )


def pitches(takes: Takes, view: SoundView, known: RenderCache[Pitch]) -> Pitches:
    """The fundamentals of a sound and of its layers; what was measured before is remembered."""

    def heard(layer: Layer) -> Pitch:
        key = recipe_of(view.sound, layer)
        audio = takes.layer(view.sound, layer).audio
        return known.get((*key, view.rate_hz), lambda: fundamental(audio, view.rate_hz))

    layers = {layer.id: heard(layer) for layer in view.sound.layers}
    whole = known.get((view.sound, view.rate_hz), lambda: fundamental(view.whole, view.rate_hz))
    return Pitches(view.sound, whole, layers)
