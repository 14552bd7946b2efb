"""What a sound is compared with, as sounds: without its stages, at another level, from a file."""

from __future__ import annotations

import msgspec

from puddle.kit.model.document import Content, Layer, Sample, Sound, Stage
from puddle.kit.model.reference import FileReference
from puddle.stages import Gain

replace = msgspec.structs.replace
_MATCH = "\0match"
_NEXT_TO_NOTHING_DB = 0.005


def dry(sound: Sound) -> Sound:
    """The sound with all stages of its own and of its layers bypassed; bands and levels stay."""
    layers = tuple(replace(k, stages=_off(k.stages)) for k in sound.layers)
    return replace(sound, layers=layers, stages=_off(sound.stages))


def _off(stages: tuple[Stage, ...], only: str | None = None) -> tuple[Stage, ...]:
    return tuple(replace(s, on=False) if only in (None, s.id) else s for s in stages)


def without_stage(sound: Sound, layer_id: str, stage_id: str) -> Sound:
    """The sound with one stage bypassed: of a layer, or with "" of the sound itself."""
    if not layer_id:
        return replace(sound, stages=_off(sound.stages, stage_id))
    layers = tuple(
        replace(k, stages=_off(k.stages, stage_id)) if k.id == layer_id else k for k in sound.layers
    )
    return replace(sound, layers=layers)


def stages_on(sound: Sound) -> list[tuple[str, Stage]]:
    """Every stage that is on, in the order of the sound, with its layer's id ("" for the sound)."""
    found = [(k.id, s) for k in sound.layers for s in k.stages if s.on]
    return found + [("", s) for s in sound.stages if s.on]


def at_level(sound: Sound, gain_db: float) -> Sound:
    """The sound louder or softer, after all its stages; itself where that is next to nothing."""
    if abs(gain_db) < _NEXT_TO_NOTHING_DB:
        return sound
    stage = Stage(id=_MATCH, process=Gain(level_db=max(-60.0, min(60.0, gain_db))))
    return replace(sound, stages=(*sound.stages, stage))


def of_file(reference: FileReference, content: Content, bpm: float) -> Sound:
    """A reference's region as a sound; a loop is stretched to the tempo, its attacks kept."""
    end = min(reference.end_ms, content.length_ms)
    source = Sample(
        content=content.hash,
        start_ms=min(reference.start_ms, end),
        end_ms=end,
        fade_out_ms=2.0 if reference.beats == 0 else 0.0,
        stretch=stretch_of(reference, content, bpm),
    )
    return Sound(layers=(Layer(id="layer1", name=reference.name, source=source),))


def stretch_of(reference: FileReference, content: Content, bpm: float) -> float:
    """In percent: how much longer a loop has to be to last its beats at a tempo."""
    length_ms = min(reference.end_ms, content.length_ms) - reference.start_ms
    if reference.beats == 0 or length_ms <= 0.0:
        return 100.0
    return max(25.0, min(400.0, 100.0 * reference.beats * 60000.0 / bpm / length_ms))


def likely_beats(length_ms: float, bpm: float) -> int:
    """How many beats a loop has: of 4, 8, 16 … what is nearest to a tempo, from 60 to 200 bpm."""
    fits = [n for n in (4, 8, 16, 32, 64) if 60.0 <= n * 60000.0 / length_ms <= 200.0]
    return min(fits, key=lambda n: abs(n * 60000.0 / length_ms / bpm - 1.0), default=0)
