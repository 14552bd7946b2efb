"""The bridge between the window and everything behind it: the one place where they meet.

It holds the history, the samples, the renders, the engine and the device. Pages edit the kit
through it and are told by its signals what differs; workers' results come in through a queued
signal, so that all of the window's work is on the window's thread.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from puddle.demo.kept import open_demo
from puddle.errors import PuddleError
from puddle.formats.journal import Journal, Lost, recovered
from puddle.formats.kitfile import damage, open_kit, save_kit
from puddle.kit.document import Kit, Layer, Pad, Pattern, Sound, Source
from puddle.kit.edits import RowPath
from puddle.kit.history import History
from puddle.kit.struck import steps_of, turns_of
from puddle.measure.pitch import Pitch
from puddle.render.cache import RenderCache
from puddle.render.samples import Decoded
from puddle.render.take import Takes
from puddle.render.takeset import TakeSet, take_of, wanted
from puddle.render.workers import Workers
from puddle.window.player import Player
from puddle.window.settings import Settings, journal_root, remember_kit
from puddle.window.views import Pitches, SoundView, pitches, sound_view

_AUTOSAVE_MS = 3000
_MEASURE_MS = 120
_FAILED = "Something could not be rendered. Your kit is unharmed; move any control to try again."


@dataclass(frozen=True, eq=False)
class _Saved:
    """What came of a save on a worker."""

    path: Path
    kit: Kit
    journal: Journal
    error: str


@dataclass(frozen=True, eq=False)
class _Opened:
    """What came of opening a kit on a worker."""

    before: Kit
    kit: Kit
    path: Path | None
    journal: Journal
    problems: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class _Heard:
    """A rendered audition."""

    rate_hz: float
    audio: np.ndarray


class _StoreOfNow:
    """Samples of whichever journal is open."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def decoded(self, content: str) -> Decoded | None:
        journal = self._session.journal
        return journal.store.decoded(content) if journal else None


class Session(QObject):
    """One open kit, heard and seen."""

    kit_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    view_ready = pyqtSignal(object)
    pitches_ready = pyqtSignal(object)
    told = pyqtSignal(str)  # a sentence for the person
    saved = pyqtSignal()
    shape_wanted = pyqtSignal()  # something new is there to be seen on Shape
    _came = pyqtSignal(object)  # from workers

    def __init__(self, settings: Settings) -> None:
        super().__init__()
        self.settings = settings
        self.journal: Journal | None = None
        self.path: Path | None = None
        self.history = History(Kit(name=""))
        self.workers = Workers(failed=lambda: self.told.emit(_FAILED))
        self.pad_id = ""
        self.layer_id: str | None = None
        self.pattern_id = ""
        self.takes = Takes(_StoreOfNow(self), float(settings.rate_hz))
        self.player = Player(settings, lambda: self._index(self.pad_id))
        self.player.device_changed.connect(self._follow_rate)
        self._sounds: dict[str, Sound] = {}
        self._audio: dict[str, np.ndarray] = {}  # full strength, by pad
        self._sets: dict[str, tuple[Sound, TakeSet]] = {}  # what else velocity and turns ask for
        self._spare = Workers(1, failed=lambda: self.told.emit(_FAILED))
        self._view: SoundView | None = None
        self._pitches: Pitches | None = None
        self._autosaved: Kit | None = None
        self._came.connect(self._take_in)
        self._autosave = QTimer(self)
        self._autosave.setInterval(_AUTOSAVE_MS)
        self._autosave.timeout.connect(self._write_journal)
        self._autosave.start()
        self._measure = QTimer(self)
        self._measure.setSingleShot(True)
        self._measure.setInterval(_MEASURE_MS)
        self._measure.timeout.connect(self._request_pitches)
        self._sending = QTimer(self)
        self._sending.setSingleShot(True)
        self._sending.setInterval(0)
        self._sending.timeout.connect(self._send)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_MEASURE_MS)
        self._rest.timeout.connect(self._request_others)
        self._known_pitches: RenderCache[Pitch] = RenderCache(256, lambda _: 1)

    # The kit.

    @property
    def kit(self) -> Kit:
        """The kit as it is now."""
        return self.history.kit

    @property
    def pad(self) -> Pad | None:
        """The selected pad."""
        return self.kit.pad(self.pad_id)

    @property
    def layer(self) -> Layer | None:
        """The selected layer; None while the whole sound is selected."""
        pad = self.pad
        if pad is None or self.layer_id is None:
            return None
        return next((k for k in pad.sound.layers if k.id == self.layer_id), None)

    @property
    def pattern(self) -> Pattern | None:
        """The pattern that plays."""
        kit = self.kit
        found = next((p for p in kit.patterns if p.id == self.pattern_id), None)
        return found or (kit.patterns[0] if kit.patterns else None)

    @property
    def row(self) -> RowPath:
        """Where the selected layer's or sound's stages stand."""
        return RowPath(pad=self.pad_id, layer=self.layer_id)

    def edit(self, name: str, kit: Kit, mark: object = None) -> None:
        """Takes an edited kit as the next step, or as more of the same drag."""
        if kit is self.kit:
            return
        self.history.push(name, kit, mark)
        self._differs()

    def settle(self) -> None:
        """The hand has let go: the next edit is a step of its own."""
        self.history.settle()

    def undo(self) -> None:
        """Takes the last step back."""
        self.history.undo()
        self._differs()

    def redo(self) -> None:
        """Brings it back."""
        self.history.redo()
        self._differs()

    def try_edit(self, name: str, make: Callable[[], Kit], mark: object = None) -> None:
        """An edit whose refusal is told, not raised."""
        try:
            self.edit(name, make(), mark)
        except PuddleError as error:
            self.told.emit(str(error))

    def _differs(self) -> None:
        kit = self.kit
        if kit.pad(self.pad_id) is None:
            self.pad_id = kit.pads[0].id if kit.pads else ""
            self.layer_id = None
        if self.layer_id is not None and self.layer is None:
            self.layer_id = None
        self._request_takes()
        self._send()
        self._request_view()
        self.kit_changed.emit()

    # Selection.

    def select_pad(self, pad_id: str) -> None:
        """Shows a pad's whole sound."""
        if pad_id != self.pad_id:
            self.pad_id, self.layer_id = pad_id, None
            self._request_view()
            self.selection_changed.emit()

    def select_layer(self, layer_id: str | None) -> None:
        """Shows a layer, or with None the whole sound."""
        if layer_id != self.layer_id:
            self.layer_id = layer_id
            self.selection_changed.emit()

    # Renders.

    def _request_takes(self) -> None:
        pads = self.kit.pads
        for pad in sorted(pads, key=lambda p: p.id != self.pad_id):
            if self._sounds.get(pad.id) is not pad.sound:
                self._sounds[pad.id] = pad.sound
                self._render(pad.id, pad.sound)
        known = {p.id for p in pads}
        for gone in [k for k in self._sounds if k not in known]:
            del self._sounds[gone]
            self._audio.pop(gone, None)
            self._sets.pop(gone, None)

    def _render(self, pad_id: str, sound: Sound) -> None:
        takes = self.takes
        self.workers.request(
            ("take", pad_id),
            lambda: takes.sound(sound).audio,
            lambda audio: self._came.emit((takes, pad_id, sound, wanted(sound)[0], audio)),
        )

    def _request_others(self) -> None:
        """Softer strikes and other turns, once the hand rests: one after another, at leisure."""
        for pad_id, (sound, found) in self._sets.items():
            missing = [key for key in wanted(sound) if key not in found.ready]
            if missing:
                work = partial(self._render_others, pad_id, sound, missing)
                self._spare.request(pad_id, work, _no)

    def _render_others(self, pad_id: str, sound: Sound, missing: list[tuple[int, int]]) -> None:
        takes = self.takes
        for key in missing:
            if self._sounds.get(pad_id) is not sound:
                return  # edited meanwhile
            self._came.emit((takes, pad_id, sound, key, take_of(takes, sound, *key)))

    def _request_view(self) -> None:
        pad = self.pad
        if pad is None:
            self._view = None
            self.workers.request("view", lambda: None, lambda _: None)  # drops one on its way
            self.view_ready.emit(None)
            return
        takes, sound = self.takes, pad.sound
        if self._view is not None and self._view.sound is sound:
            return
        self.workers.request("view", lambda: sound_view(takes, sound), self._came.emit)

    def _take_in(self, result: Any) -> None:
        """A worker's result, on the window's thread."""
        if isinstance(result, SoundView):
            if self.pad is None:
                return
            self._view = result
            self.view_ready.emit(result)
            # Pitches take longest and change least: they wait until the hand rests.
            self._measure.start()
        elif isinstance(result, Pitches):
            if self.pad is None or self.pad.sound is not result.sound:
                return  # of a sound that is no longer shown
            self._pitches = result
            self.pitches_ready.emit(result)
        elif isinstance(result, _Saved):
            if not result.error:
                self._note_saved(result.path, result.kit, result.journal)
            self.told.emit(result.error or f"Saved to {result.path}.")
        elif isinstance(result, _Heard):
            if result.rate_hz == self.takes.rate_hz:
                self.player.audition(result.audio)
        elif isinstance(result, _Opened):
            self._show_opened(result)
        elif isinstance(result, str):
            self.told.emit(result)
        elif isinstance(result, list):
            for sentence in result:
                self.told.emit(sentence)
        elif isinstance(result, tuple):
            self._take_one_in(*result)

    def _take_one_in(
        self, takes: Takes, pad_id: str, sound: Sound, key: tuple[int, int], audio: np.ndarray
    ) -> None:
        if takes is not self.takes or self._sounds.get(pad_id) is not sound:
            return
        known, found = self._sets.get(pad_id, (None, TakeSet()))
        if known is not sound:
            found = TakeSet(steps_of(sound), turns_of(sound))
            self._sets[pad_id] = (sound, found)
        found.ready[key] = audio
        if key == wanted(sound)[0]:
            self._audio[pad_id] = audio
            self._rest.start()
        self._sending.start()  # once for all that have come by now

    def _request_pitches(self) -> None:
        view, takes, known = self._view, self.takes, self._known_pitches
        if view is not None:
            self.workers.request("pitch", lambda: pitches(takes, view, known), self._came.emit)

    @property
    def view(self) -> SoundView | None:
        """What was last made for the selected sound."""
        return self._view

    @property
    def pitches(self) -> Pitches | None:
        """What was last measured."""
        return self._pitches

    @property
    def ready(self) -> bool:
        """Whether every pad that has layers has its take."""
        return all(p.id in self._audio for p in self.kit.pads if p.sound.layers)

    def _send(self) -> None:
        sets = {pad_id: found for pad_id, (_, found) in self._sets.items()}
        self.player.show(self.kit, sets, self.pattern)

    # Playing.

    def _follow_rate(self) -> None:
        """A card at another rate plays takes of that rate."""
        engine = self.player.engine
        if engine is not None and engine.rate_hz != self.takes.rate_hz:
            self.takes = Takes(_StoreOfNow(self), engine.rate_hz)
            self._sounds, self._audio, self._sets, self._view = {}, {}, {}, None
            self._differs()

    def _index(self, pad_id: str) -> int | None:
        return next((n for n, pad in enumerate(self.kit.pads) if pad.id == pad_id), None)

    def strike(self, pad_id: str, velocity: float) -> None:
        """Strikes a pad now."""
        index = self._index(pad_id)
        if index is not None:
            self.player.strike(index, velocity)

    def release(self, pad_id: str) -> None:
        """Lets a gated pad go."""
        index = self._index(pad_id)
        if index is not None:
            self.player.release(index)

    def audition(self, source: Source) -> None:
        """Plays a source by itself, without touching the kit; the newest wins."""
        takes = self.takes
        sound = Sound(layers=(Layer(id="layer1", name="", source=source),))
        self.workers.request(
            "audition",
            lambda: takes.sound(sound).audio,
            lambda audio: self._came.emit(_Heard(takes.rate_hz, audio)),
        )

    # Files.

    def start(self, kit: Kit, path: Path | None, journal: Journal, *, saved: bool) -> None:
        """Opens a kit whose samples are in a journal's store."""
        old, self.journal = self.journal, journal
        self.history = History(kit)
        if not saved:
            self.history.mark_saved(None)
        self.path = path
        self.pad_id = kit.pads[0].id if kit.pads else ""
        self.layer_id = None
        self.pattern_id = kit.patterns[0].id if kit.patterns else ""
        self._sounds, self._audio, self._sets, self._view = {}, {}, {}, None
        self.takes = Takes(_StoreOfNow(self), self.takes.rate_hz)
        self._autosaved = kit if saved else None
        if old is not None:
            old.forget_edits()
            self.workers.request(("close", old), lambda: self._put_away(old), lambda _: None)
        self._differs()
        self.selection_changed.emit()
        self.saved.emit()

    def new(self) -> None:
        """An empty kit."""
        self.start(Kit(name="Untitled"), None, Journal(journal_root()), saved=True)

    def _put_away(self, journal: Journal) -> None:
        self.workers.wait_for("save")  # it reads samples from the folder that goes now
        journal.close()

    def open(self, path: Path | None) -> None:
        """Opens a kit file, or without one the demo, at once: before the window is painted.

        Raises KitFileError, and then nothing has changed.
        """
        self._show_opened(_opened(self.kit, path))

    def open_soon(self, path: Path | None) -> None:
        """The same on a worker; a kit that is edited meanwhile stays."""
        before = self.kit

        def work() -> _Opened | str:
            self.workers.wait_for("save")  # it may be this very file that is being written
            try:
                return _opened(before, path)
            except PuddleError as error:
                return str(error)

        self.workers.request("open", work, self._came.emit)

    def _show_opened(self, opened: _Opened) -> None:
        if opened.before is not self.kit:
            opened.journal.close()
            self.told.emit(f"{self.kit.name} was edited meanwhile, so {opened.kit.name} waits.")
            return
        kit, store = opened.kit, opened.journal.store
        self.start(kit, opened.path, opened.journal, saved=True)
        if opened.path is not None:
            remember_kit(self.settings, opened.path)
        for problem in opened.problems:
            self.told.emit(problem)
        self.shape_wanted.emit()
        self.workers.request("check", lambda: damage(kit, store), self._came.emit)

    def recover(self, lost: Lost) -> None:
        """Opens what a process that died had not saved."""
        kit, journal = recovered(lost, journal_root())
        path = Path(lost.path) if lost.path else None
        self.start(kit, path, journal, saved=False)

    def open_demo(self) -> None:
        """Opens *Rain Gauge*."""
        self.open(None)

    def save(self, path: Path) -> None:
        """Saves at once. Raises KitFileError, and then what was there before is as it was."""
        if self.journal is not None:
            kit = self.kit
            save_kit(path, kit, self.journal.store)
            self._note_saved(path, kit, self.journal)

    def save_soon(self, path: Path) -> None:
        """Saves on a worker, and tells what came of it."""
        kit, journal = self.kit, self.journal
        if journal is None:
            return

        def work() -> _Saved:
            try:
                save_kit(path, kit, journal.store)
            except PuddleError as error:
                return _Saved(path, kit, journal, str(error))
            return _Saved(path, kit, journal, "")

        self.workers.request("save", work, self._came.emit)

    def _note_saved(self, path: Path, kit: Kit, journal: Journal) -> None:
        """What is on disk now is known; edits made meanwhile are still edits."""
        if journal is not self.journal:
            return
        self.path = path
        self.history.mark_saved(kit)
        if kit is self.kit:
            journal.forget_edits()
            self._autosaved = kit
        remember_kit(self.settings, path)
        self.saved.emit()

    def _write_journal(self) -> None:
        """Autosave: on a worker, and only when there is something new."""
        kit, journal, path = self.kit, self.journal, self.path
        if journal is None or kit is self._autosaved:
            return
        if not self.history.edited:  # undone to what is on disk: nothing to recover
            self._autosaved = kit
            self.workers.request("journal", journal.forget_edits, lambda _: None)
            return
        self._autosaved = kit

        def write() -> None:
            try:
                journal.write(kit, path)
            except (PuddleError, OSError) as error:
                self.told.emit(f"The journal cannot be written: {error}")

        self.workers.request("journal", write, lambda _: None)

    def close(self) -> None:
        """Ends all that runs; what was not saved is given up."""
        for timer in (self._autosave, self._measure, self._sending, self._rest):
            timer.stop()
        self.player.close()
        self.workers.wait_for("save")
        self._sounds = {}
        self._spare.close()
        self.workers.close()
        if self.journal is not None:
            self.journal.close()
            self.journal = None


def _no(_: object) -> None:
    """Nothing is left to do."""


def _opened(before: Kit, path: Path | None) -> _Opened:
    """A kit file, or without one the demo, in a journal of its own. Raises KitFileError."""
    journal = Journal(journal_root())
    try:
        opened = open_demo(journal.store) if path is None else open_kit(path, journal.store)
    except PuddleError:
        journal.close()
        raise
    return _Opened(before, opened.kit, path, journal, opened.problems)
