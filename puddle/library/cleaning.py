"""Hum, DC and rumble of a recording, cut with one equalizer that stays a stage like any other."""

from __future__ import annotations

import numpy as np

from puddle.formats.recording_file import RecordingFile
from puddle.measure.envelope import mono_of
from puddle.measure.hits import Noted
from puddle.measure.hum import hum_hz
from puddle.stages import Equalizer

_QUIET_S = 2.0
_RUMBLE_HZ = 30.0
_CUT_DB, _NARROW = -24.0, 18.0


def cleaner(file: RecordingFile, noted: Noted) -> Equalizer:
    """What takes rumble and DC away, and the hum where there is one. Raises SoundFileError."""
    low = Equalizer(low_cut_on=True, low_cut_hz=_RUMBLE_HZ)
    mains = hum_hz(quietest(file, noted), file.rate_hz)
    if mains is None:
        return low
    bells = {
        f"bell{n}_{part}": value
        for n in (1, 2, 3, 4)
        for part, value in (("hz", n * mains), ("db", _CUT_DB), ("q", _NARROW))
    }
    from puddle.parameter import changed

    return changed(low, **bells)


def quietest(file: RecordingFile, noted: Noted) -> np.ndarray:
    """The two seconds of a recording in which its loudest moment is softest, as mono."""
    size = max(1, round(_QUIET_S * file.rate_hz / noted.hop))
    count = noted.levels.size // size
    if count < 1:
        return mono_of(file.read(0, file.frames))
    loud = noted.levels[: count * size].reshape(count, size).max(axis=1)
    first = int(np.argmin(loud)) * size * noted.hop
    return mono_of(file.read(first, size * noted.hop))
