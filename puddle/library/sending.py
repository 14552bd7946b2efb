"""Hits on their way from a recording into a kit: their samples taken in, their strengths measured.

A recording that a kit may hold is kept whole, and hits are regions of it; of a longer one, or where
that is wanted, each hit's own part is kept, with a little around it for edges that are moved later.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import msgspec
import numpy as np
from msgspec.structs import replace

from puddle.files import stamp_of
from puddle.formats.recording_file import RecordingFile
from puddle.formats.sound import MOST_BYTES, MOST_SECONDS, Bits, Sound, wav_bytes
from puddle.formats.store import SampleStore
from puddle.kit.edits.slices import Slice
from puddle.kit.model.document import Content
from puddle.library.marked import Marked
from puddle.measure.lifting import BEFORE_S, lifted, without_others
from puddle.measure.ordering import Strength, strength, strengths_and_turns
from puddle.stages.process import Process
from puddle.tasks import in_parallel

_BEFORE_S, _AFTER_S = 0.05, 0.25  # around a hit that is kept by itself
_WARM_S = 0.5
_THREADS = 3  # one more than the cores it may have: a thread waits for the disk
_MOST_ALIKE = 4
_HEARD_S = 0.6  # of a hit, to measure its strength


class Sent(msgspec.Struct, frozen=True, eq=False):
    """Hits that are ready to be put into a kit."""

    slices: tuple[Slice, ...]
    strengths: tuple[Strength, ...]
    contents: tuple[Content, ...]
    bytes: int  # of the samples that are kept

    def rungs(self, places: Sequence[int]) -> list[list[int]]:
        """Some of the hits by strength, soft to hard: places among those given."""
        return strengths_and_turns([self.strengths[n] for n in places])


def can_be_whole(file: RecordingFile) -> bool:
    """Whether a kit may hold the recording as it is."""
    return (
        _size_of(file.path) <= MOST_BYTES
        and file.file_channels <= 2
        and file.seconds <= MOST_SECONDS
    )


def sent(
    file: RecordingFile,
    cut: Marked,
    names: Sequence[tuple[int, str]],
    store: SampleStore,
    *,
    whole: bool,
    until_next: bool = False,
    tell: Callable[[float], None] = lambda share: None,
) -> Sent:
    """Hits by the frames at which they begin, with their names. Raises SoundFileError.

    With `until_next` a hit lasts until the next one that is sent, whether it has died away or not.
    Hits that a hand has lifted are kept as parts of their own.
    """
    known = [(p, name) for at, name in names if (p := cut.place_of(at)) is not None]
    begins = [int(cut.starts[place]) for place, _ in known]
    ends = [*begins[1:], cut.frames] if until_next else [int(cut.ends[p]) for p, _ in known]
    own = store.add_file(file.path) if whole and can_be_whole(file) else None
    kept = {own.hash: (own, _size_of(file.path))} if own is not None else {}

    def prepared(n: int) -> _Prepared:
        place, name = known[n]
        one = Slice(name, "", begins[n], ends[n], file.rate_hz, begins[n] / file.rate_hz)
        return _prepared(cut, file, one, cut.lift_of(place), own, store)

    slices, strengths = [], []
    parts = in_parallel(prepared, range(len(known)), _THREADS, "puddle-sending")
    for n, (one, measured, part) in enumerate(parts):
        slices.append(one)
        strengths.append(measured)
        if part is not None:
            kept[part[0].hash] = part
        tell((n + 1) / len(known))
    contents = tuple(content for content, _ in kept.values())
    return Sent(tuple(slices), tuple(strengths), contents, sum(size for _, size in kept.values()))


def _size_of(path: Path) -> int:
    stamp = stamp_of(path)
    return stamp.size if stamp is not None else 0


_Prepared = tuple[Slice, Strength, tuple[Content, int] | None]


def _prepared(
    cut: Marked,
    file: RecordingFile,
    one: Slice,
    lift: float,
    own: Content | None,
    store: SampleStore,
) -> _Prepared:
    """A hit measured, as a region of the whole recording or as a part of its own."""
    rate = file.rate_hz
    heard = round(_HEARD_S * rate)
    if own is not None and lift <= 0.0:
        audio = file.read(one.start, min(one.end - one.start, heard))
        measured = strength(_stereo(audio), rate)
        return replace(one, content=own.hash, level_lufs=measured.loudness_lufs), measured, None
    part, start = _part(file, one, lift, cut)
    end = min(start + one.end - one.start, part.shape[0])
    measured = strength(_stereo(part[start : min(end, start + heard)]), rate)
    bits: Bits = "24" if lift <= 0.0 and float(np.abs(part).max(initial=0.0)) <= 1.0 else "32f"
    raw = wav_bytes(part, rate, bits)
    content = store.add(Sound(part, rate, raw, ".wav"), f"{one.name}.wav")
    one = replace(
        one, content=content.hash, level_lufs=measured.loudness_lufs, start=start, end=end
    )
    return one, measured, (content, len(raw))


def _part(file: RecordingFile, one: Slice, lift: float, cut: Marked) -> tuple[np.ndarray, int]:
    """A hit with a little around it, lifted or as it is, and the frame at which it begins."""
    before, after = round(_BEFORE_S * file.rate_hz), round(_AFTER_S * file.rate_hz)
    if lift > 0.0:
        clean = lifted_hit(file, one.start, one.end, lift, cut)
        start = min(before, one.start)
        return np.concatenate([np.zeros((start, clean.shape[1]), np.float32), clean]), start
    first = max(0, one.start - before)
    return file.read(first, one.end + after - first), one.start - first


def lifted_hit(
    file: RecordingFile, start: int, end: int, amount: float, cut: Marked | None = None
) -> np.ndarray:
    """A hit without what rings on from before it, by an amount in percent: float32 (frames,
    channels), from its first frame on. Raises SoundFileError.

    With the recording's hits, what others play over it is taken out too, as far as `alike` tells.
    """
    first = max(0, start - round(BEFORE_S * file.rate_hz))
    audio = file.read(first, end - first)
    edge, share = start - first, amount / 100.0
    made = lifted(audio[:edge], audio[edge:], file.rate_hz, share)
    if cut is None:
        return made
    later = cut.starts[(cut.starts > start) & (cut.starts < end)]
    if not later.size:
        return made
    after = int(later[0]) - start
    return without_others(made, _alike(file, cut, start, end - start), file.rate_hz, after, share)


def _alike(file: RecordingFile, cut: Marked, start: int, frames: int) -> list[np.ndarray]:
    """Other hits of the same group that nothing lies over, the nearest in level first."""
    place = cut.place_of(start)
    group = next((g for g in cut.groups if start in g), ())
    others = [p for hit in group if hit != start and (p := cut.place_of(hit)) is not None]
    free = [p for p in others if not cut.doubts[p]]
    own = float(cut.peaks[place]) if place is not None else 1.0
    free.sort(key=lambda p: abs(float(cut.peaks[p]) - own))
    found = []
    for p in free[:_MOST_ALIKE]:
        at, end = int(cut.starts[p]), int(cut.ends[p])
        audio = np.zeros((frames, file.channels), np.float32)
        read = file.read(at, min(frames, end - at))
        audio[: read.shape[0]] = read  # where it has died away there is nothing
        found.append(audio)
    return found


def hit_audio(
    file: RecordingFile,
    start: int,
    end: int,
    lift: float = 0.0,
    cleaner: Process | None = None,
    cut: Marked | None = None,
) -> np.ndarray:
    """A hit as it is heard and written: from a short lead on, faded; float32 (frames, channels).

    With a lift, in percent, it begins with its first frame.
    """
    from puddle.kernels.envelopes import fade_edges

    one = Slice("", "", start, end, file.rate_hz, 0.0)
    source = one.source()
    per_ms = file.rate_hz / 1000.0
    first, fade_in = round(source.start_ms * per_ms), round(source.fade_in_ms * per_ms)
    # A filter is heard in the middle of what it goes over: it begins a while before.
    early = min(first, round(_WARM_S * file.rate_hz)) if cleaner is not None else 0
    if lift > 0.0:
        audio, early = lifted_hit(file, start, end, lift, cut), 0
    else:
        audio = file.read(first - early, end - first + early)
    if cleaner is not None:
        audio = _cleaned(audio, cleaner, file.rate_hz)[early:]
    audio = np.ascontiguousarray(audio)
    fade_edges(audio, fade_in if lift <= 0.0 else 0, round(source.fade_out_ms * per_ms))
    return audio


def _cleaned(audio: np.ndarray, cleaner: Process, rate_hz: float) -> np.ndarray:
    """Through a stage, as long as it was, with as many channels."""
    from puddle.stages.chain import processed

    made, _ = processed(np.ascontiguousarray(_stereo(audio)), [cleaner], rate_hz)
    return made[: audio.shape[0], : audio.shape[1]]


def _stereo(audio: np.ndarray) -> np.ndarray:
    return audio if audio.shape[1] == 2 else np.repeat(audio, 2, axis=1)
