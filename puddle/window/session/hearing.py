"""Sounds of the library heard before they are taken: plain, matched to the pad, or in its place."""

from __future__ import annotations

import os
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Literal

import numpy as np
from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from puddle.errors import PuddleError
from puddle.files import writable
from puddle.formats.sound import read_sound, write_wav
from puddle.kit.edits.hits import put
from puddle.kit.edits.patterns import in_pattern
from puddle.kit.model.document import Content, Hit, Kit
from puddle.kit.model.pattern import grid_beats
from puddle.kit.playing.schedule import pattern_beats
from puddle.library.kit_pads import address, pad_audio
from puddle.library.kit_samples import PLACE
from puddle.library.rows import Entry
from puddle.measure.levels import loudness_lufs
from puddle.measure.onsets import onsets
from puddle.measure.pitch import fundamental
from puddle.render.cache import RenderCache
from puddle.render.steps import converted
from puddle.render.stretching import stretched
from puddle.units import gain_from_db
from puddle.window.session.session import Session
from puddle.window.session.taking import (
    Taken,
    as_alternate,
    as_layer,
    in_place,
    on_new_pad,
    taken_from,
    voice_of,
)

Way = Literal["plain", "matched", "in the groove"]
WAYS: tuple[Way, ...] = ("plain", "matched", "in the groove")
Place = Literal["source", "layer", "alternate", "pad"]
_VELOCITY = 110.0
_MOST_LIFT_DB = 24.0
_KEPT_MS = 15.0  # of each attack of a loop that is stretched
_HEARD_S = 12.0
_CACHED = 96 << 20


class Hearing(QObject):
    """Auditions one library sound at a time."""

    changed = pyqtSignal()  # what is heard is another

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.way: Way = "plain"
        self.entry: Entry | None = None
        self._decoded: RenderCache[tuple[np.ndarray, float]] = RenderCache(
            _CACHED, lambda found: found[0].nbytes
        )
        self._next = QTimer(self)
        self._next.setSingleShot(True)
        self._next.setTimerType(Qt.TimerType.PreciseTimer)
        self._waits: np.ndarray | None = None
        self._puts = 0
        self._next.timeout.connect(self._begin)

    def set_way(self, way: Way) -> None:
        """How sounds are heard from now on; the one at hand at once."""
        self.way = way
        if way != "in the groove":
            self.leave()
        if self.entry is not None:
            self.hear(self.entry)
        self.changed.emit()

    def hear(self, entry: Entry) -> None:
        """Plays a sound; the newest wins."""
        self.entry = entry
        self._next.stop()
        if entry.beats:
            self.leave()  # a loop plays beside the groove, not in a pad's place
        if self.way == "in the groove" and self._session.pad is not None and not entry.beats:
            self._take(entry, "try", self._try)
            return
        pad, matched = self._session.pad_id, self.way == "matched"
        own = self._session.renders.audio.get(pad) if matched else None
        rate, bpm = self._session.renders.takes.rate_hz, self._session.kit.tempo_bpm

        def work() -> np.ndarray | str:
            try:
                audio, from_hz = self._audio(entry)
                audio = audio[round(entry.onset_ms * from_hz / 1000.0) if not entry.beats else 0 :]
                audio = audio[: round(_HEARD_S * from_hz)]
                if entry.beats:
                    return converted(at_tempo(audio, from_hz, entry, bpm), from_hz, rate, 1.0)
                if own is not None:
                    return matched_to(own, rate, audio, from_hz)
                return converted(audio, from_hz, rate, 1.0)
            except PuddleError as error:
                return str(error)

        self._session.background.start(work, lambda got: self._play(entry, got), key="audition")

    def _play(self, entry: Entry, got: np.ndarray | str) -> None:
        if isinstance(got, str):
            self._session.told.emit(got)
            return
        player = self._session.player
        if not (entry.beats and player.playing):
            player.audition(got)
            return
        left = -player.beat % 1.0  # of a beat
        self._waits = got
        self._next.start(round(60000.0 * left / self._session.kit.tempo_bpm))

    def _begin(self) -> None:
        if self._waits is not None:
            self._session.player.audition(self._waits)
            self._waits = None

    def _audio(self, entry: Entry) -> tuple[np.ndarray, float]:
        """float32 (frames, 2) and its rate. Raises PuddleError."""

        def read() -> tuple[np.ndarray, float]:
            of_kit = address(entry.path)
            if of_kit is not None:
                return pad_audio(*of_kit), 48000.0
            if entry.synthesized:
                voice = voice_of(entry)
                if voice is None:
                    raise PuddleError(f"{entry.name} is no longer among the starting points.")
                return voice.render(48000.0, 1.0), 48000.0
            if entry.path.startswith(PLACE):
                return self._of_kit(entry)
            sound = read_sound(os.fsdecode(entry.path))
            return sound.stereo, sound.rate_hz

        return self._decoded.get(entry.hash, read)

    def _of_kit(self, entry: Entry) -> tuple[np.ndarray, float]:
        journal = self._session.file.journal
        found = journal.store.decoded(entry.hash) if journal is not None else None
        if found is None:
            raise PuddleError(f"{entry.name} is no longer among the kit's samples.")
        return found.audio, found.rate_hz

    def ready(self, entries: list[Entry]) -> None:
        """Reads sounds that will be heard soon, where nothing else waits."""

        def work() -> None:
            for entry in entries:
                try:
                    self._audio(entry)
                except PuddleError:
                    continue

        self._session.background.start(work, key="soon heard", priority="low")

    # In the pad's place.

    def _take(self, entry: Entry, place: object, then: Callable[[Taken], None]) -> None:
        """Makes a sound ready to be put somewhere; its content goes to the kit's store.

        A newer request of the same place replaces an older one.
        """
        journal = self._session.file.journal
        trims, bpm = self._session.settings.trim_starts, self._session.kit.tempo_bpm
        if journal is None:
            return
        own = next((c for c in self._session.kit.contents if c.hash == entry.hash), None)

        def content() -> Content:
            return own or journal.store.add_file(os.fsdecode(entry.path))

        def work() -> Taken | str:
            try:
                with journal.in_use():  # by work that runs: what is replaced never does
                    return taken_from(entry, content, journal.store.add, trims=trims, bpm=bpm)
            except PuddleError as error:
                return str(error)

        def come(got: Taken | str) -> None:
            if isinstance(got, str):
                self._session.told.emit(got)
            elif self._session.file.journal is journal:
                then(got)

        self._session.background.start(work, come, key=("take in", place))

    def _try(self, taken: Taken) -> None:
        """Hears it in the place of the selected source, while the groove plays or by a strike."""
        session = self._session
        try:
            kit = in_place(session.kit, session.pad_id, self._layer_id(), taken)
        except PuddleError as error:
            session.told.emit(str(error))
            return
        session.playing.hear(kit, by=self)
        if not session.player.playing:
            session.playing.strike(session.pad_id, _VELOCITY, by_hand=False)

    def leave(self) -> None:
        """Ends the trial in the pad's place."""
        if self._session.playing.trial_by is self:
            self._session.playing.hear(None)

    def _layer_id(self) -> str:
        """The layer whose source is replaced: the selected one, or the first."""
        layer, pad = self._session.layer, self._session.pad
        if layer is not None:
            return layer.id
        return pad.sound.layers[0].id if pad is not None and pad.sound.layers else ""

    def put(self, entry: Entry, place: Place) -> None:
        """Puts a sound into the kit, as one step."""
        self._puts += 1  # each by itself: no trial and no other one takes its place
        pad, layer = self._session.pad_id, self._layer_id()
        self._take(entry, self._puts, lambda taken: self._put(taken, place, pad, layer))

    def land(self, entries: list[Entry], place: int) -> None:
        """Puts sounds that were dragged to a place: layers of its pad, or pads from there on."""
        pad = self._session.kit.pad_at(place)
        for n, entry in enumerate(entries):
            self._puts += 1
            if pad is not None:
                self._take(entry, self._puts, lambda got: self._put(got, "layer", pad.id, ""))
            else:
                self._take(entry, self._puts, partial(self._put_new, place=place + n))

    def write_files(self, entries: list[Entry], folder: Path) -> list[Path]:
        """Renders sounds as WAV files into a folder; on any thread. Raises PuddleError."""
        made = []
        for n, entry in enumerate(entries):
            audio, rate_hz = self._audio(entry)
            path = folder / f"{n:02d}" / f"{writable(entry.name.rsplit('.', 1)[0])}.wav"
            path.parent.mkdir(exist_ok=True)
            write_wav(path, audio, rate_hz)
            made.append(path)
        return made

    def _put_new(self, taken: Taken, place: int | None = None) -> None:
        made = self._session.make(
            f"{taken.name} on a new pad", lambda kit: on_new_pad(kit, taken, place)
        )
        if made is not None:
            self._session.selection.select_pad(made.id)
            self._session.sound_added.emit()
            if taken.beats:
                self._loop(made.id, taken.beats)

    def _loop(self, pad_id: str, beats: int) -> None:
        """A loop on a new pad is in the groove at once: struck whenever it comes round."""
        session = self._session
        shown = session.pattern
        if shown is None:
            return
        passes = max(1, round(beats / pattern_beats(shown)))
        step = beats / grid_beats(shown.grid)
        hits = [Hit(at=0.0, velocity=127, every=min(16, passes))]
        if passes == 1:
            count = max(1, round(shown.length / step))
            hits = [Hit(at=float(round(n * step)), velocity=127) for n in range(count)]
        name = session.kit.pads[-1].name
        session.edit(
            f"{name} in pattern {shown.name}",
            lambda kit: in_pattern(kit, shown.id, lambda p: put(p, pad_id, hits)),
        )

    def _put(self, taken: Taken, place: Place, chosen: str, layer: str) -> None:
        """On the pad and layer that were selected when it was asked for."""
        session = self._session
        pad = session.kit.pad(chosen)
        if pad is None or place == "pad":
            self._put_new(taken)
            return
        change: Callable[[Kit], Kit]
        if place == "source":
            name = f"{pad.name}: {taken.name} as its source"
            change = lambda kit: in_place(kit, chosen, layer, taken)  # noqa: E731
        elif place == "layer":
            name = f"{pad.name}: {taken.name} as a layer"
            change = lambda kit: as_layer(kit, chosen, taken)  # noqa: E731
        else:
            name = f"{pad.name}: {taken.name} as an alternate"
            change = lambda kit: as_alternate(kit, chosen, taken)  # noqa: E731
        if session.edit(name, change, large=place == "source"):
            session.settle()
            session.told.emit(f"{name}. Undo takes it back.")


def matched_to(own: np.ndarray, rate_hz: float, audio: np.ndarray, from_hz: float) -> np.ndarray:
    """A sound as loud as a pad's own, and at its pitch where both have one, at the pad's rate."""
    wanted, has = fundamental(own, rate_hz).hz, fundamental(audio, from_hz).hz
    ratio = wanted / has if wanted and has else 1.0
    made = converted(audio, from_hz, rate_hz, ratio)
    loud, goal = loudness_lufs(made, rate_hz), loudness_lufs(own, rate_hz)
    if loud is None or goal is None:
        return made
    return made * np.float32(gain_from_db(min(_MOST_LIFT_DB, goal - loud)))


def at_tempo(audio: np.ndarray, rate_hz: float, entry: Entry, bpm: float) -> np.ndarray:
    """A loop at a tempo, its pitch kept."""
    return stretched(audio, rate_hz, entry.bpm / bpm, onsets(audio, rate_hz), _KEPT_MS)
