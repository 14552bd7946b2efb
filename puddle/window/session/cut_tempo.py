"""The tempo of a recording that is cut: as a hand has set it, or as it was found."""

from __future__ import annotations

import msgspec

from puddle.kit.model.document import Recording
from puddle.measure.beats import LEAST_SURE, Beats


class CutTempo(msgspec.Struct, frozen=True):
    """Beats a minute, 0 for none; where the first bar begins; and whether it can be relied on."""

    bpm: float
    downbeat_s: float
    fits: bool  # set by hand, or found to fit


def tempo_of(shown: Recording | None, beats: Beats | None, rate_hz: float) -> CutTempo:
    """Of a recording at a rate (0 while it is not known), and the beats that were found."""
    bpm = beats.bpm if beats is not None else 0.0
    downbeat_s = beats.downbeat_s if beats is not None else 0.0
    fits = beats is not None and beats.sure > LEAST_SURE
    if shown is not None and shown.bpm > 0.0:
        bpm, fits = shown.bpm, True
    if shown is not None and shown.downbeat is not None:
        fits = True
        if rate_hz > 0.0:
            downbeat_s = shown.downbeat / rate_hz
    return CutTempo(bpm, downbeat_s, fits)
