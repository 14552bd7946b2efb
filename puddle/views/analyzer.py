"""What the analyzer draws of spectra: third-octaves, a tilt, and a reference's average."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from puddle.formats.sound import read_sound
from puddle.measure.bands import THIRDS_HZ
from puddle.measure.spectrum import display_spectrum
from puddle.tasks import check_cancelled

TILTS = (0.0, 1.5, 3.0)  # dB an octave
_MIDDLE_HZ = 1000.0
_WINDOW = 16384
_MOST_WINDOWS = 400
_EDGE = 10.0**0.05  # of a third-octave, base ten
_GAUSSIAN_OCTAVES = 0.25 / 2.3548 * float(np.sqrt(2.0 * np.pi))  # the area under its smoothing
_MATCHED_HZ = (100.0, 10000.0)


def thirds(hz: np.ndarray, db: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A display spectrum as steps of third-octaves, each the energy of its band.

    What is drawn is smoothed by a Gaussian first: of a sine a band's neighbors have a twentieth.
    """
    power = 10.0 ** (db / 10.0)
    found_hz, found_db = [], []
    for center in THIRDS_HZ:
        inside = (hz >= center / _EDGE) & (hz < center * _EDGE)
        if not inside.any():
            continue
        energy = float(power[inside].mean()) / (3.0 * _GAUSSIAN_OCTAVES)
        level = 10.0 * float(np.log10(energy + 1e-20))
        found_hz += [center / _EDGE, center * _EDGE]
        found_db += [level, level]
    return np.array(found_hz), np.array(found_db)


def tilted(hz: np.ndarray, db: np.ndarray, per_octave_db: float) -> np.ndarray:
    """A spectrum lifted by so much an octave, around 1 kHz."""
    if per_octave_db == 0.0:
        return db
    lifted: np.ndarray = db + per_octave_db * np.log2(np.maximum(hz, 1.0) / _MIDDLE_HZ)
    return lifted


def average_spectrum(audio: np.ndarray, rate_hz: float) -> tuple[np.ndarray, np.ndarray]:
    """The mean power of float32 (frames, 2), in windows as long as the analyzer's."""
    frames = audio.shape[0]
    starts = range(0, max(1, frames - _WINDOW + 1), _WINDOW // 2)
    step = max(1, len(starts) // _MOST_WINDOWS)
    total: np.ndarray | None = None
    hz = np.zeros(0)
    count = 0
    for start in list(starts)[::step]:
        check_cancelled()
        part = audio[start : start + _WINDOW]
        if part.shape[0] < _WINDOW:
            part = np.pad(part, ((0, _WINDOW - part.shape[0]), (0, 0)))
        hz, db = display_spectrum(part, rate_hz)
        power = 10.0 ** (db / 10.0)
        total = power if total is None else total + power
        count += 1
    assert total is not None
    return hz, 10.0 * np.log10(total / count + 1e-20)


def file_spectrum(path: Path, start_ms: float, end_ms: float) -> tuple[np.ndarray, np.ndarray]:
    """The average of a part of a file. Raises SoundFileError."""
    sound = read_sound(path)
    per_ms = sound.rate_hz / 1000.0
    first = min(sound.audio.shape[0] - 1, max(0, round(start_ms * per_ms)))
    last = max(first + 1, round(end_ms * per_ms))
    return average_spectrum(np.asarray(sound.stereo[first:last]), sound.rate_hz)


def matched_db(hz: np.ndarray, db: np.ndarray, other_hz: np.ndarray, other_db: np.ndarray) -> float:
    """By how much another spectrum is lifted to be as high as one between 100 Hz and 10 kHz."""
    low, high = _MATCHED_HZ
    inside = (hz >= low) & (hz <= high)
    if not inside.any() or not other_hz.size:
        return 0.0
    return float(np.mean(db[inside] - np.interp(hz[inside], other_hz, other_db)))
