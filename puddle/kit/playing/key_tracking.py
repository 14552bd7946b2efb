"""Pads that follow keys: how far a key moves the pitch, and which takes are made for that.

A sound with voices has a take every three semitones, and the engine resamples the nearest one; a
sound of samples alone has one take, because a sample is resampled either way. What the
pad itself is tuned by is not of the sound: it is resampled as a whole (`pad_tune_st`).
"""

from __future__ import annotations

import msgspec

from puddle.kit.model.document import Pad, Sample, Sound
from puddle.kit.model.tonality import NO_NOTE

ZONE_ST = 3
_LOWEST, _HIGHEST = -48, 48
_AROUND = 12  # semitones around the root that are ready even where no key asks for them
replace = msgspec.structs.replace


def pad_tune_st(pad: Pad) -> float:
    """By how many semitones a pad is tuned as a whole."""
    return pad.tune_st + pad.tune_ct / 100.0


def shift_of(pad: Pad, note: int) -> float:
    """By how many semitones a key moves a pad's pitch; without a note by none."""
    if note == NO_NOTE or pad.tracking == 0.0:
        return 0.0
    return (note - pad.root) * pad.tracking / 100.0


def zones_of(pad: Pad) -> tuple[int, ...]:
    """The semitones at which the pad's sound is rendered, rising; 0 is among them."""
    voiced = any(not isinstance(layer.source, Sample) for layer in pad.sound.layers)
    if pad.tracking == 0.0 or not voiced:
        return (0,)
    shifts = [shift_of(pad, note) for note in pad.notes]
    low = max(_LOWEST, min(-_AROUND, *shifts, 0))
    high = min(_HIGHEST, max(_AROUND, *shifts, 0))
    return tuple(range(ZONE_ST * round(low / ZONE_ST), ZONE_ST * round(high / ZONE_ST) + 1, 3))


def zone_at(zones: tuple[int, ...], shift: float) -> int:
    """The zone that is nearest to a shift, by its place."""
    return min(range(len(zones)), key=lambda n: (abs(zones[n] - shift), zones[n]))


def keyed(sound: Sound, zone: int) -> Sound:
    """The sound so many semitones away: every layer is tuned, none resampled as a whole."""
    if zone == 0:
        return sound
    layers = tuple(replace(k, tune_st=k.tune_st + zone) for k in sound.layers)
    return replace(sound, layers=layers)
