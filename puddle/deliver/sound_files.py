"""Sound files as they leave: WAV, FLAC and AIFF, equal bytes for equal sounds."""

from __future__ import annotations

import io

import numpy as np

from puddle.deliver.ends import is_mono
from puddle.deliver.options import Options
from puddle.formats.sampler_chunks import SamplerFacts, with_chunks
from puddle.formats.sound import quantized, wav_bytes

_WAV_HEAD = 44


def sound_file(audio: np.ndarray, rate_hz: float, options: Options, facts: SamplerFacts) -> bytes:
    """A file of float32 (frames, 2): one channel where both sides are equal and it is wanted.

    16 bits with TPDF dither; 24 and 16 clip at full scale, float does not. Root key, loops and
    comment are in chunks of WAV files only.
    """
    import soundfile

    if options.mono and is_mono(audio):
        audio = audio[:, :1]
    if options.format in ("flac", "aiff"):
        kind = "FLAC" if options.format == "flac" else "AIFF"
        out = io.BytesIO()
        soundfile.write(out, quantized(audio, "24"), round(rate_hz), "PCM_24", format=kind)
        return out.getvalue()
    made = wav_bytes(audio, rate_hz, options.bits)
    return with_chunks(made, facts, rate_hz) if options.loops else made


def estimated_bytes(frames: int, channels: int, options: Options) -> int:
    """How large a file of so many frames will be; of FLAC about."""
    each = {"wav 16": 2.0, "wav 32f": 4.0, "flac": 1.6}.get(options.format, 3.0)
    return _WAV_HEAD + round(frames * channels * each)
