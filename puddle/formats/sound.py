"""Sound files: read as they came, written with honest dither.

Read: WAV, FLAC, AIFF and Ogg by libsndfile. Written: WAV of 16 bits (TPDF dither), 24 bits and
32-bit float.
"""

from __future__ import annotations

import hashlib
import io
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Literal

import msgspec
import numpy as np

from puddle.errors import FileError, SoundFileError
from puddle.files import read_regular, shown, write_aside
from puddle.kit.model.document import Content
from puddle.render.samples import Decoded
from puddle.tasks import check_cancelled

Bits = Literal["16", "24", "32f"]
SUFFIXES = (".wav", ".flac", ".aif", ".aiff", ".ogg", ".oga")
MOST_BYTES = 512 << 20
MOST_SECONDS = 600.0
MOST_CHANNELS = 2
_PART = 1 << 19  # frames that are read in some 20 ms
LOWEST_RATE, HIGHEST_RATE = 1000, 384000


class Sound(msgspec.Struct, frozen=True, eq=False):
    """A sound file's content: float32 (frames, channels), ±1 at full scale."""

    audio: np.ndarray
    rate_hz: float
    raw: bytes
    suffix: str

    @property
    def stereo(self) -> np.ndarray:
        """float32 (frames, 2); mono stands on both sides."""
        if self.audio.shape[1] == 2:
            return self.audio
        return np.repeat(self.audio, 2, axis=1)


def read_sound(path: str | os.PathLike[str]) -> Sound:
    """The content of a sound file. Raises SoundFileError with one sentence naming the file."""
    name = shown(path)
    try:
        raw = read_regular(path, MOST_BYTES)
    except FileError as error:
        raise SoundFileError(str(error)) from None
    return decoded_sound(raw, name, Path(name).suffix.lower())


def decoded_sound(raw: bytes, name: str, suffix: str) -> Sound:
    """The content of a sound file's bytes; `name` is for messages."""
    import soundfile

    if not raw:
        raise SoundFileError(f"{name} is empty.")
    try:
        with soundfile.SoundFile(io.BytesIO(raw)) as file:
            _check(name, file.samplerate, file.channels, file.frames)
            # Never by the header's count alone: a false one must not claim memory.
            audio = _read_all(file, min(file.frames, 16 * len(raw) * 8))
            rate = file.samplerate
    except (soundfile.LibsndfileError, RuntimeError, ValueError, MemoryError) as error:
        reason = reason_of(error)
        raise SoundFileError(f"{name} is not a sound file that can be read ({reason}).") from None
    if audio.shape[0] == 0:
        raise SoundFileError(f"{name} holds no sound.")
    if not all(np.isfinite(part).all() for part in _parts(audio)):
        raise SoundFileError(f"{name} holds values that are not numbers.")
    return Sound(audio, float(rate), raw, suffix if suffix in SUFFIXES else ".wav")


def reason_of(error: Exception) -> str:
    """Why libsndfile refuses a file, without its full stop and what stands before the reason."""
    return str(error).split(": ")[-1].rstrip(".")


def _read_all(file: Any, most: int) -> np.ndarray:
    """So many frames at most, float32 (frames, channels), part by part."""
    parts = []
    while most > 0:
        check_cancelled()
        part = file.read(min(_PART, most), dtype="float32", always_2d=True)
        if not part.shape[0]:
            break
        parts.append(part)
        most -= part.shape[0]
    return np.concatenate(parts) if parts else np.zeros((0, file.channels), np.float32)


def _parts(audio: np.ndarray) -> Iterator[np.ndarray]:
    """Its frames part by part, so that long work can be left."""
    for start in range(0, audio.shape[0], _PART):
        check_cancelled()
        yield audio[start : start + _PART]


def _check(name: str, rate: int, channels: int, frames: int) -> None:
    if not LOWEST_RATE <= rate <= HIGHEST_RATE:
        raise SoundFileError(
            f"{name} claims a rate of {rate} Hz; {LOWEST_RATE} to {HIGHEST_RATE} Hz can be read."
        )
    if channels > MOST_CHANNELS:
        raise SoundFileError(f"{name} has {channels} channels; mono and stereo can be read.")
    if frames > MOST_SECONDS * rate:
        raise SoundFileError(f"{name} is longer than {MOST_SECONDS / 60:.0f} minutes.")


def content_of(sound: Sound, name: str) -> Content:
    """What a kit notes of a sample: named by the hash of what was decoded."""
    digest = hashlib.sha256()
    digest.update(f"{sound.rate_hz:.0f} {sound.audio.shape[1]} ".encode())
    for part in _parts(sound.audio):
        digest.update(np.ascontiguousarray(part).data)
    return Content(
        hash=digest.hexdigest(),
        name=name[:255],
        suffix=sound.suffix,
        rate_hz=sound.rate_hz,
        channels=sound.audio.shape[1],
        frames=sound.audio.shape[0],
    )


def as_decoded(sound: Sound) -> Decoded:
    """The content as renders want it."""
    return Decoded(np.ascontiguousarray(sound.stereo), sound.rate_hz)


def quantized(audio: np.ndarray, bits: Bits, seed: int | None = None) -> np.ndarray:
    """Samples as they are written: int16 with TPDF dither, int32 holding 24 bits, or float32.

    The dither is the sum of two uniform noises of one step (Lipshitz, Wannamaker and Vanderkooy,
    JAES 40, 1992), from a seed. Without one that of the sound itself is taken: the same file on
    every run, and stems whose dithers have nothing in common and add up by power. Silence at full
    length stays silence.
    """
    if bits == "32f":
        return np.asarray(audio, np.float32)
    if bits == "24":
        steps = np.round(np.asarray(audio, np.float64) * 8388608.0)
        return np.clip(steps, -8388608, 8388607).astype(np.int32) * 256
    if seed is None:
        hashed = hashlib.blake2b(np.ascontiguousarray(audio).data, digest_size=16).digest()
        seed = int.from_bytes(hashed, "little")
    rng = np.random.Generator(np.random.PCG64(seed))
    dither = rng.random(audio.shape) - rng.random(audio.shape)
    if not np.any(audio):
        dither[:] = 0.0
    steps = np.round(np.asarray(audio, np.float64) * 32768.0 + dither)
    return np.clip(steps, -32768, 32767).astype(np.int16)


def wav_bytes(audio: np.ndarray, rate_hz: float, bits: Bits) -> bytes:
    """A WAV file of float32 (frames, channels)."""
    import soundfile

    subtype = {"16": "PCM_16", "24": "PCM_24", "32f": "FLOAT"}[bits]
    out = io.BytesIO()
    soundfile.write(out, quantized(audio, bits), round(rate_hz), subtype, format="WAV")
    return _undated(out.getvalue())


def _undated(data: bytes) -> bytes:
    """Without the time of writing in the PEAK chunk of float files: equal sounds, equal bytes."""
    at = data.find(b"PEAK", 0, 256)
    return data if at < 0 else data[: at + 12] + b"\0\0\0\0" + data[at + 16 :]


def write_wav(
    path: str | os.PathLike[str], audio: np.ndarray, rate_hz: float, bits: Bits = "24"
) -> str:
    """Writes a WAV file aside, then puts it in place. Raises FileError.

    Returns what was clipped, in words; empty where nothing was.
    """
    write_aside(path, wav_bytes(audio, rate_hz, bits))
    return clipped(audio, bits)


def clipped(audio: np.ndarray, bits: Bits) -> str:
    """How much of float32 (frames, channels) lies over full scale, where these bits end there."""
    if bits == "32f" or not audio.size:
        return ""
    level = np.abs(audio)
    count = int(np.count_nonzero(level > 1.0))
    if count == 0:
        return ""
    over = 20.0 * np.log10(float(level.max()))
    samples = "1 sample" if count == 1 else f"{count:,} samples"
    return f"{samples} clipped, up to {over:.1f} dB over full scale"
