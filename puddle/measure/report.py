"""All measures of one sound, under the names of `puddle inspect`."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from puddle.measure.levels import (
    dc_offset,
    loudness_lufs,
    peak_dbfs,
    rms_dbfs,
    true_peak_dbtp,
)
from puddle.measure.pitch import fundamental_of
from puddle.measure.role import likely_role
from puddle.measure.shape import hit_shape
from puddle.measure.spectrum import balance_of, whole_spectrum
from puddle.measure.traits import traits
from puddle.tasks import check_cancelled
from puddle.units import ascii_note_name, note_from_hz


def measured(audio: np.ndarray, rate_hz: float) -> dict[str, Any]:
    """Measures of float32 (frames, 1 or 2); None where there is nothing to measure."""
    stereo = audio if audio.shape[1] == 2 else np.repeat(audio, 2, axis=1)
    whole = whole_spectrum(audio, rate_hz)
    pitch = fundamental_of(whole)
    check_cancelled()
    peak, rms = peak_dbfs(audio), rms_dbfs(audio)
    check_cancelled()
    shape = hit_shape(audio, rate_hz)
    check_cancelled()
    bands = balance_of(whole)
    check_cancelled()
    known = traits(whole, pitch)
    role, sure = likely_role(known) if known is not None else ("effect", 0.0)
    found = {
        "sample_rate_hz": rate_hz,
        "channels": audio.shape[1],
        "length_ms": 1000.0 * audio.shape[0] / rate_hz,
        **_pitch(pitch.hz),
        "pitch_confidence": pitch.confidence,
        "peak_dbfs": peak,
        "true_peak_dbtp": true_peak_dbtp(audio),
        "rms_dbfs": rms,
        "loudness_lufs": loudness_lufs(stereo, rate_hz, audio.shape[1]),
        "crest_db": peak - rms,
        "dc_offset": dc_offset(audio),
        "onset_ms": shape.onset_ms if shape else None,
        "attack_ms": shape.attack_ms if shape else None,
        "decay_60_ms": shape.decay_60_ms if shape else None,
        "centroid_hz": bands.centroid_hz if bands else None,
        "flatness": bands.flatness if bands else None,
        "low_db": bands.low_db if bands else None,
        "mid_db": bands.mid_db if bands else None,
        "high_db": bands.high_db if bands else None,
        "role": role,
        "role_confidence": sure,
    }
    return {key: _rounded(value) for key, value in found.items()}


def _pitch(hz: float | None) -> dict[str, Any]:
    if hz is None:
        return {"fundamental_hz": None, "note": None, "cents": None}
    note = note_from_hz(hz)
    nearest = round(note)
    return {
        "fundamental_hz": hz,
        "note": ascii_note_name(nearest),
        "cents": 100.0 * (note - nearest),
    }


def _rounded(value: Any) -> Any:
    """Floats to seven figures: more would claim what was not measured."""
    if isinstance(value, float):
        return float(f"{value:.7g}") if math.isfinite(value) else None
    return value
