"""Grooves: patterns through the mix, their stems, and their notes, at one tempo or several."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping
from typing import Generic, TypeVar

import msgspec
import numpy as np

from puddle.deliver.making import Making
from puddle.deliver.names import named
from puddle.deliver.options import Options
from puddle.deliver.plan import Planned
from puddle.deliver.sound_files import estimated_bytes, sound_file
from puddle.engine.offline import Bounce, bounce_beats, lane_stems
from puddle.formats.midi import midi_bytes
from puddle.formats.sampler_chunks import SamplerFacts
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.model.pattern import bar_beats
from puddle.kit.playing.groove import groove_of
from puddle.kit.playing.schedule import pattern_beats
from puddle.tasks import check_cancelled

T = TypeVar("T")
FOLDER = "grooves/"
_AT_ONCE = 2  # bounces are made side by side, then their stems: nobody waits for another's
_RINGS_S = 2.0  # about, in sizes that are told before


def beats_of(pattern: Pattern, options: Options) -> float:
    """How long a pattern is written: some bars, or once through."""
    if options.bars:
        return options.bars * bar_beats(pattern.meter)
    return pattern_beats(pattern)


def tempos_of(kit: Kit, options: Options) -> tuple[float, ...]:
    """The tempos at which grooves are written."""
    return tuple(dict.fromkeys(options.tempos)) or (kit.tempo_bpm,)


class Grooves:
    """The loops, stems and MIDI files of all patterns that play something."""

    def __init__(self, making: Making, folder: str = FOLDER) -> None:
        self._making, self._folder = making, folder

    def files(self) -> Iterator[Planned]:
        """What the options want, pattern by pattern and tempo by tempo."""
        making, options = self._making, self._making.options
        patterns = [p for p in making.kit.patterns if any(lane.hits for lane in p.lanes)]
        turn = 0
        for bpm in tempos_of(making.kit, options):
            kit = msgspec.structs.replace(making.kit, tempo_bpm=bpm)
            for pattern in patterns:
                check_cancelled()
                yield from self._of(kit, pattern, turn // _AT_ONCE)
                turn += 1

    def _of(self, kit: Kit, pattern: Pattern, turn: int) -> Iterator[Planned]:
        making, options = self._making, self._making.options
        tempo = f"{kit.tempo_bpm:.4g} bpm"
        values = {"kit": kit.name, "pattern": pattern.name, "tempo": tempo}
        stem = named("{kit} {pattern} {tempo}", values)
        beats = beats_of(pattern, options)
        rate = making.takes.rate_hz
        frames = round((beats * 60.0 / kit.tempo_bpm + _RINGS_S) * rate)
        size = estimated_bytes(frames, 2, options)
        made = _Once(lambda: wrapped(_bounced(making, kit, pattern, beats), kit, beats, options))
        facts = SamplerFacts(comment=f"{kit.tempo_bpm:g} bpm, {beats:g} beats, {pattern.meter}")

        def sound(audio: Callable[[], np.ndarray]) -> Callable[[], bytes]:
            return lambda: sound_file(audio(), rate, options, facts)

        def free(path: str) -> str:
            return making.taken.free(f"{self._folder}{path}")

        if "groove" in options.what:
            path = free(f"{stem}{options.suffix}")
            master = made.user()
            make = sound(lambda: master().master)
            yield Planned(path, "groove", size, make, turn=2 * turn)
        if "stems" in options.what:
            for name, audio in self._stems(kit, pattern, beats, made):
                path = free(f"{stem} stems/{named('{stem}', {'stem': name})}{options.suffix}")
                yield Planned(path, "stems", size, sound(audio), turn=2 * turn + 1)
        if "midi" in options.what:
            path = free(f"{stem}.mid")
            notes = sum(len(lane.hits) for lane in pattern.lanes)
            yield Planned(path, "midi", 200 + 8 * notes, lambda: midi_bytes(kit, pattern, beats))
            for lane in pattern.lanes:
                pad = kit.pad(lane.pad)
                if pad is None or not lane.hits or len(pattern.lanes) < 2:
                    continue
                alone = msgspec.structs.replace(pattern, lanes=(lane,))
                path = free(f"{stem} lanes/{named('{pad}', {'pad': pad.name})}.mid")
                yield Planned(
                    path, "midi", 200 + 8 * len(lane.hits),
                    lambda alone=alone: midi_bytes(kit, alone, beats),  # type: ignore[misc]
                )  # fmt: skip

    def _stems(
        self, kit: Kit, pattern: Pattern, beats: float, made: _Once[Bounce]
    ) -> Iterator[tuple[str, Callable[[], np.ndarray]]]:
        """Each stem's name and how it is had; by bus they add up to what enters the master.

        Which there are is known from the kit; one that turns out silent is a short silence.
        """
        making, options = self._making, self._making.options
        if options.stems_by == "bus":
            names = ["direct", *(bus.name for bus in kit.buses if not bus.into)]
            for name in names:
                yield name, _one_of(made.user(), lambda found: found.stems, name)
            return
        bars = max(1, round(beats / bar_beats(pattern.meter)))
        lanes = _Once(lambda: lane_stems(kit, pattern, bars, making.takes))
        for lane in pattern.lanes:
            pad = kit.pad(lane.pad)
            if pad is not None and lane.hits and not lane.mute:
                yield pad.name, _one_of(lanes.user(), lambda found: found, pad.name)


def _one_of(
    user: Callable[[], T], stems: Callable[[T], Mapping[str, np.ndarray]], name: str
) -> Callable[[], np.ndarray]:
    """One stem of several; a short silence where it was silent."""
    return lambda: stems(user()).get(name, np.zeros((1, 2), np.float32))


class _Once(Generic[T]):
    """Something that is made when it is first asked for, and let go when all have had it."""

    def __init__(self, make: Callable[[], T]) -> None:
        self._make, self._lock = make, threading.Lock()
        self._made: T | None = None
        self._left = 0

    def user(self) -> Callable[[], T]:
        """Gives it to one more, once."""
        self._left += 1
        return self._of

    def _of(self) -> T:
        with self._lock:
            made = self._make() if self._made is None else self._made
            self._left -= 1
            self._made = made if self._left > 0 else None
        return made


def _bounced(making: Making, kit: Kit, pattern: Pattern, beats: float) -> Bounce:
    def progress(share: float) -> bool:
        check_cancelled()
        return True

    return bounce_beats(kit, groove_of(pattern), beats, making.takes, progress)


def wrapped(made: Bounce, kit: Kit, beats: float, options: Options) -> Bounce:
    """The bounce with what rings on after its end laid over its beginning, where it is wanted.

    Then it is exactly as long as its beats, and loops without a gap.
    """
    if options.tails != "wrapped":
        return made
    frames = round(beats * 60.0 / kit.tempo_bpm * made.rate_hz)
    stems = {name: _wrapped(audio, frames) for name, audio in made.stems.items()}
    return Bounce(_wrapped(made.master, frames), stems, made.rate_hz)


def _wrapped(audio: np.ndarray, frames: int) -> np.ndarray:
    """float32 (frames, 2): every stretch of that length added to the first."""
    total = np.zeros((frames, 2), np.float32)
    for start in range(0, audio.shape[0], frames):
        part = audio[start : start + frames]
        total[: part.shape[0]] += part
    return total
