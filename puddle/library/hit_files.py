"""Hits written as files, and the recording's copy with a cue point at each of them."""

from __future__ import annotations

import io
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

import numpy as np

from puddle.errors import FileError
from puddle.files import shown, writable, write_aside
from puddle.formats.cue_points import write_with_cues
from puddle.formats.recording_file import RecordingFile
from puddle.formats.sound import quantized, wav_bytes
from puddle.library.marked import Marked
from puddle.library.sending import hit_audio
from puddle.stages.process import Process
from puddle.tasks import check_cancelled

KINDS = ("WAV", "FLAC")


def write_hits(
    file: RecordingFile,
    cut: Marked,
    names: Sequence[tuple[int, str]],
    folder: Path,
    kind: str = "WAV",
    cue_copy: str = "",
    tell: Callable[[float], None] = lambda share: None,
    cleaner: Process | None = None,
) -> list[Path]:
    """Writes hits, by the frames at which they begin, under their names. Raises FileError.

    `cue_copy` is the name of a copy of the recording with a cue point at each of them, written
    too. Where it fails or is stopped, what it has added to the folder goes again.
    """
    known = [(at, name) for at, name in names if cut.place_of(at) is not None]
    with _all_or_none(folder) as noted:
        if cue_copy:
            write_with_cues(file.path, noted(folder / f"{writable(cue_copy)}.wav"), known)
        made, used = [], Counter[str]()
        for n, (at, name) in enumerate(known):
            check_cancelled()
            stem = writable(name)
            used[stem] += 1
            stem = f"{stem} ({used[stem]})" if used[stem] > 1 else stem
            data, suffix = hit_file(_audio_of(file, cut, at, cleaner), file.rate_hz, kind)
            made.append(noted(folder / f"{stem}{suffix}"))
            write_aside(made[-1], data)
            tell((n + 1) / len(known))
        return made


def _audio_of(file: RecordingFile, cut: Marked, at: int, cleaner: Process | None) -> np.ndarray:
    place = cut.place_of(at)
    assert place is not None
    return hit_audio(file, at, int(cut.ends[place]), cut.lift_of(place), cleaner, cut)


@contextmanager
def _all_or_none(folder: Path) -> Iterator[Callable[[Path], Path]]:
    """Makes a folder, and gives what notes a file that is about to be written.

    If the work fails, noted files and the folder go again, where they were not there before.
    """
    there = folder.is_dir()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{shown(folder)} cannot be made: {error.strerror}.") from None
    fresh: list[Path] = []

    def noted(path: Path) -> Path:
        if not path.exists():
            fresh.append(path)
        return path

    try:
        yield noted
    except BaseException:
        with suppress(OSError):
            for path in fresh:
                path.unlink(missing_ok=True)
            if not there:
                folder.rmdir()
        raise


def hit_file(audio: np.ndarray, rate_hz: float, kind: str) -> tuple[bytes, str]:
    """A WAV or FLAC file of 24 bits, and its suffix.

    What lies over full scale is a WAV file of 32-bit float: FLAC holds no more than full scale.
    """
    import soundfile

    if float(np.abs(audio).max(initial=0.0)) > 1.0:
        return wav_bytes(audio, rate_hz, "32f"), ".wav"
    if kind != "FLAC":
        return wav_bytes(audio, rate_hz, "24"), ".wav"
    out = io.BytesIO()
    soundfile.write(out, quantized(audio, "24"), round(rate_hz), "PCM_24", format="FLAC")
    return out.getvalue(), ".flac"
