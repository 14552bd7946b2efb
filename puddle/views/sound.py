"""What a page shows of a sound, made on a worker: pictures, levels and pitches."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec
import numpy as np

from puddle.kit.model.document import Layer, Sound
from puddle.kit.playing.velocity import hardest
from puddle.measure.agreement import LONGEST_S, Agreement, agreement_of
from puddle.measure.levels import loudness_lufs, peak_dbfs
from puddle.measure.onsets import onsets
from puddle.measure.pitch import Pitch, fundamental
from puddle.measure.shape import HitShape, hit_shape
from puddle.measure.spectrum import (
    display_levels,
    display_spectrum,
    spectra_of,
    transform_size,
)
from puddle.render.cache import RenderCache
from puddle.render.samples import Decoded
from puddle.render.take import Takes, heard_layers, lead_ms, recipe_of
from puddle.tasks import check_cancelled

if TYPE_CHECKING:
    from puddle.stages.chain import Over


class Heard(msgspec.Struct, frozen=True, eq=False):
    """What is found of one layer as it stands in the sum."""

    audio: np.ndarray
    size: int  # of the spectra, in frames
    spectra: np.ndarray
    db: np.ndarray  # for drawing
    onsets_ms: tuple[float, ...]


class SoundView(msgspec.Struct, frozen=True, eq=False):
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
    heard: dict[str, Heard]  # by layer
    agreement: Agreement | None  # of the layers that are heard, by id
    starts_ms: dict[str, float]  # where layers begin
    recordings: dict[str, Decoded]  # what layers that are samples were cut from
    side_peaks_db: tuple[float, ...]  # left and right, in dBFS
    loudness_lufs: float | None

    @property
    def peak_db(self) -> float:
        """The highest sample of both sides, before the pad's own level and pan."""
        return max(self.side_peaks_db)

    @property
    def onsets_ms(self) -> dict[str, tuple[float, ...]]:
        """Of hits, by layer."""
        return {key: heard.onsets_ms for key, heard in self.heard.items()}


class Pitches(msgspec.Struct, frozen=True, eq=False):
    """Measured fundamentals of one sound and its layers."""

    sound: Sound
    whole: Pitch
    layers: dict[str, Pitch]


def sound_view(takes: Takes, sound: Sound, before: SoundView | None = None) -> SoundView:
    """Everything that Shape draws of a sound but its pitches.

    What was found of a layer that is as it was before is taken over.
    """
    full = hardest(sound)
    whole = takes.sound(full)
    rate = takes.rate_hz
    layers = {layer.id: takes.placed(sound, layer) for layer in sound.layers}
    check_cancelled()
    hz, db = display_spectrum(whole.audio, rate)
    check_cancelled()
    frames = max((audio.shape[0] for audio in layers.values()), default=0)
    size = transform_size(min(frames, round(LONGEST_S * rate)))
    known = before.heard if before is not None and before.rate_hz == rate else {}
    heard = {key: _heard(audio, size, rate, known.get(key)) for key, audio in layers.items()}
    spectra = {layer.id: heard[layer.id].spectra for layer in heard_layers(full)}
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
        heard=heard,
        agreement=agreement_of(spectra, size, rate),
        starts_ms={layer.id: layer.offset_ms + lead_ms(sound) for layer in sound.layers},
        recordings=takes.recordings(sound),
        side_peaks_db=tuple(peak_dbfs(side) for side in whole.audio.T),
        loudness_lufs=loudness_lufs(whole.audio, rate),
    )


def _heard(audio: np.ndarray, size: int, rate_hz: float, known: Heard | None) -> Heard:
    if known is not None and known.audio is audio and known.size == size:
        return known
    check_cancelled()
    spectra = spectra_of(audio, size)
    check_cancelled()
    if audio.shape[0] <= size:
        _, db = display_levels(spectra, size, rate_hz)
    else:
        _, db = display_spectrum(audio, rate_hz)
    check_cancelled()
    found = tuple(1000.0 * n / rate_hz for n in onsets(audio, rate_hz))
    return Heard(audio, size, spectra, db, found)


def pitches(takes: Takes, view: SoundView, known: RenderCache[Pitch]) -> Pitches:
    """The fundamentals of a sound and of its layers; what was measured before is remembered."""

    def heard(layer: Layer) -> Pitch:
        key = recipe_of(view.sound, layer)
        audio = takes.layer(view.sound, layer).audio
        return known.get((*key, view.rate_hz), lambda: fundamental(audio, view.rate_hz))

    layers = {layer.id: heard(layer) for layer in view.sound.layers}
    whole = known.get((view.sound, view.rate_hz), lambda: fundamental(view.whole, view.rate_hz))
    return Pitches(view.sound, whole, layers)
