"""A sound beside another, a groove beside a loop: made on a worker."""

from __future__ import annotations

import msgspec
import numpy as np

from puddle.kit.model.document import Kit, Pattern, Sound
from puddle.kit.playing.compared import likely_beats
from puddle.kit.playing.velocity import hardest
from puddle.measure.comparing import (
    Figures,
    Match,
    Spectra,
    compared_spectra,
    figures,
    from_onset,
    match,
)
from puddle.measure.onsets import onsets
from puddle.measure.pitch import Pitch
from puddle.render.cache import RenderCache
from puddle.render.take import Takes

_HIT_MS = 4000.0  # of a file that is longer than a loop is likely to be
_LOOP_MS = 1200.0
_MEASURING = Pitch(None, 0.0)


class Comparison(msgspec.Struct, frozen=True, eq=False):
    """One's own sound, or the groove, beside an entry's."""

    own: Sound | None  # what was compared; None for the groove
    other: Sound
    rate_hz: float
    own_audio: np.ndarray  # from the onset on
    other_audio: np.ndarray
    own_figures: Figures
    other_figures: Figures
    match: Match
    spectra: Spectra
    pitch_known: bool  # of one's own: it is measured once the hand rests
    loop: np.ndarray | None = None  # as the engine plays it

    @property
    def ahead_frames(self) -> float:
        """By how much later the entry's onset lies than one's own."""
        own, other = self.own_figures.onset_ms or 0.0, self.other_figures.onset_ms or 0.0
        return (other - own) / 1000.0 * self.rate_hz


def likely_part(audio: np.ndarray, rate_hz: float, bpm: float) -> tuple[float, float, int]:
    """What of a file is likely meant: all of a hit or a loop, else four seconds from its onset."""
    length_ms = 1000.0 * audio.shape[0] / rate_hz
    found = onsets(audio[: round(40.0 * rate_hz)], rate_hz)
    beats = likely_beats(length_ms, bpm) if len(found) >= 4 and length_ms >= _LOOP_MS else 0
    if beats or length_ms <= 2.5 * _HIT_MS:
        return 0.0, length_ms, beats
    start = 1000.0 * found[0] / rate_hz if found else 0.0
    return start, min(length_ms, start + _HIT_MS), 0


def of_sounds(
    takes: Takes, own: Sound, other: Sound, known: RenderCache[Figures], whole: bool
) -> Comparison:
    """Two sounds at full strength; `whole` with the pitch of one's own, which takes longest."""
    rate = takes.rate_hz
    mine, theirs = takes.sound(hardest(own)).audio, takes.sound(hardest(other)).audio
    key = (own, rate)
    a = known.get(key, lambda: figures(mine, rate)) if whole else figures(mine, rate, _MEASURING)
    b = known.get((other, rate), lambda: figures(theirs, rate))
    found = match(a, b)
    return Comparison(
        own=own,
        other=other,
        rate_hz=rate,
        own_audio=from_onset(mine, rate, a.onset_ms),
        other_audio=from_onset(theirs, rate, b.onset_ms),
        own_figures=a,
        other_figures=b,
        match=found,
        spectra=compared_spectra(mine, theirs, rate, found),
        pitch_known=whole,
    )


_MOST_BEATS = 64.0  # of a long pattern that are compared


def of_grooves(takes: Takes, kit: Kit, pattern: Pattern, other: Sound, beats: int) -> Comparison:
    """One round of the groove as it is bounced, beside a loop at its tempo."""
    from puddle.engine.offline import bounce_beats
    from puddle.kit.playing.groove import groove_of
    from puddle.kit.playing.schedule import pattern_beats

    rate = takes.rate_hz
    length = min(_MOST_BEATS, pattern_beats(pattern))
    frames = round(length * 60.0 / kit.tempo_bpm * rate)
    mine = bounce_beats(kit, groove_of(pattern), length, takes).master[:frames]
    theirs = takes.sound(hardest(other)).audio
    a, b = figures(mine, rate, _MEASURING), figures(theirs, rate, _MEASURING)
    found = match(a, b)
    return Comparison(
        own=None,
        other=other,
        rate_hz=rate,
        own_audio=mine,
        other_audio=theirs,
        own_figures=a,
        other_figures=b,
        match=found,
        spectra=compared_spectra(mine, theirs, rate, found),
        pitch_known=True,
        loop=theirs,
    )
