"""Hits written as files, and the recording's copy with a cue point at each of them."""

from __future__ import annotations

import io
import struct
from collections import Counter
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np

from puddle.errors import FileError
from puddle.files import copy_regular, shown, writable, write_aside
from puddle.formats.recording_file import RecordingFile
from puddle.formats.sound import quantized, wav_bytes
from puddle.library.marked import Marked
from puddle.library.sending import hit_audio
from puddle.stages.process import Process
from puddle.wanted import checkpoint

KINDS = ("WAV", "FLAC")
_MOST_COPIED = 4 << 30  # a RIFF file counts its bytes in 32 bits


def write_hits(
    file: RecordingFile,
    cut: Marked,
    names: Sequence[tuple[int, str]],
    folder: Path,
    kind: str = "WAV",
    cue_copy: Path | None = None,
    tell: Callable[[float], None] = lambda share: None,
    cleaner: Process | None = None,
) -> list[Path]:
    """Writes hits, by the frames at which they begin, under their names. Raises FileError.

    `cue_copy` is where a copy of the recording goes, with a cue point at each of them.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{shown(folder)} cannot be made: {error.strerror}.") from None
    made, used = [], Counter[str]()
    for n, (at, name) in enumerate(names):
        checkpoint()
        place = cut.place_of(at)
        if place is None:
            continue
        stem = writable(name)
        used[stem] += 1
        stem = f"{stem} ({used[stem]})" if used[stem] > 1 else stem
        mark = cut.marks[place]
        lift = mark.lift if mark is not None else 0.0
        audio = hit_audio(file, at, int(cut.ends[place]), lift, cleaner, cut)
        path = folder / f"{stem}.{'flac' if kind == 'FLAC' else 'wav'}"
        write_aside(path, hit_bytes(audio, file.rate_hz, kind))
        made.append(path)
        tell((n + 1) / len(names))
    if cue_copy is not None:
        write_with_cues(file.path, cue_copy, [at for at, _ in names], [name for _, name in names])
    return made


def hit_bytes(audio: np.ndarray, rate_hz: float, kind: str) -> bytes:
    """A WAV or FLAC file of 24 bits; of 32-bit float where it lies over full scale."""
    import soundfile

    over = float(np.abs(audio).max(initial=0.0)) > 1.0
    if kind != "FLAC" or over:
        return wav_bytes(audio, rate_hz, "32f" if over and kind != "FLAC" else "24")
    out = io.BytesIO()
    soundfile.write(out, quantized(audio, "24"), round(rate_hz), "PCM_24", format="FLAC")
    return out.getvalue()


def write_with_cues(
    source: Path, path: Path, places: Sequence[int], labels: Sequence[str] = ()
) -> None:
    """A copy of a WAV file with cue points at some frames. Raises FileError.

    The chunks are those of Microsoft's *Multimedia Programming Interface and Data Specifications
    1.0* (1991): `cue ` with a point for each place, and a `LIST` of labels.
    """
    with source.open("rb") as head:
        start = head.read(12)
    if start[:4] != b"RIFF" or start[8:] != b"WAVE":
        raise FileError(f"{shown(source)} is no WAV file: only such a file takes cue points.")
    aside = path.with_name(f".{path.name}.part")
    copy_regular(source, aside, _MOST_COPIED)
    try:
        chunks = _cue_chunks(places, labels)
        with aside.open("r+b") as out:
            size = out.seek(0, 2)
            if size % 2:
                out.write(b"\0")
                size += 1
            if size + len(chunks) - 8 >= 1 << 32:
                raise FileError(f"{shown(source)} is too large for cue points.")
            out.write(chunks)
            out.seek(4)
            out.write(struct.pack("<I", size + len(chunks) - 8))
        aside.replace(path)
    except OSError as error:
        raise FileError(f"{shown(path)} cannot be written: {error.strerror}.") from None
    finally:
        aside.unlink(missing_ok=True)


def _cue_chunks(places: Sequence[int], labels: Sequence[str]) -> bytes:
    points = b"".join(
        struct.pack("<II4sIII", n + 1, at, b"data", 0, 0, at) for n, at in enumerate(places)
    )
    cue = b"cue " + struct.pack("<II", len(points) + 4, len(places)) + points
    told = b"adtl"
    for n, text in enumerate(labels):
        data = struct.pack("<I", n + 1) + text.encode("utf-8") + b"\0"
        told += b"labl" + struct.pack("<I", len(data)) + data + (b"\0" if len(data) % 2 else b"")
    return cue + b"LIST" + struct.pack("<I", len(told)) + told
