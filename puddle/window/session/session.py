"""The bridge between the window and everything behind it: the one place where they meet.

It holds the history and the files of the open kit. Pages edit the kit through it and are told by
its signals what differs; what is rendered is in `renders`, what plays in `player`, and both work
away from the window's thread.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from puddle.demo.kept import open_demo
from puddle.errors import PuddleError
from puddle.files import Stamp, stamp_of
from puddle.formats.journal import Journal, Lost, any_journal, recovered
from puddle.formats.kitfile import damage, open_kit
from puddle.home.settings import Settings, journal_root, remember_kit
from puddle.kit.edits.links import followed
from puddle.kit.edits.rows import RowPath
from puddle.kit.edits.side_chains import lost_keys
from puddle.kit.edits.snapshots import take_snapshot
from puddle.kit.history import History
from puddle.kit.model.document import Kit, Layer, Pad, Pattern
from puddle.kit.playing.key_tracking import NO_NOTE
from puddle.kit.playing.tempo import Pacer
from puddle.kit.presets.templates import UNTITLED, started
from puddle.render.samples import NoSamples
from puddle.window.session.background import Background
from puddle.window.session.player import Player
from puddle.window.session.renders import Renders
from puddle.window.session.saving import Saved, Saving

T = TypeVar("T")
_AUTOSAVE_MS = 3000


@dataclass(frozen=True, eq=False)
class _Opened:
    """What came of opening a kit on a worker."""

    before: Kit
    kit: Kit
    path: Path | None
    journal: Journal
    problems: tuple[str, ...]
    stamp: Stamp | None = None


class Session(QObject):
    """One open kit, heard and seen."""

    started = pyqtSignal()  # another kit is open; told before it is shown
    kit_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    told = pyqtSignal(str)  # a sentence for the person
    saved = pyqtSignal()
    heard_changed = pyqtSignal()  # something else is tried in the kit's place, or nothing any more
    tuning_wanted = pyqtSignal(object)  # of a layer by its id, or with None of the whole sound
    shape_wanted = pyqtSignal()  # a kit is there to be seen on Shape
    sound_added = pyqtSignal()  # a sound came in, wherever the person is

    def __init__(self, settings: Settings) -> None:
        super().__init__()
        self.settings = settings
        self.around: Callable[[], AbstractContextManager[None]] = nullcontext  # what is told
        self.journal: Journal | None = None
        self.path: Path | None = None
        self.history = History(Kit(name=""))
        self.background = Background()
        self.background.told.connect(self.told)
        self.renders = Renders(self.background, NoSamples(), float(settings.rate_hz))
        self.renders.takes_came.connect(self._send)
        self.pad_id = ""
        self.layer_id: str | None = None
        self._others: tuple[str, ...] = ()  # pads that are selected beside it, in their order
        self._place = 0  # of the selected pad: when it goes, the nearest is selected
        self.pattern_id = ""
        self.player = Player(settings, lambda: self._index(self.pad_id))
        self.player.device_changed.connect(self._follow_rate)
        self.player.repeater.struck = self._note_repeat
        self.renders.auditioned.connect(self.player.audition)
        self.saving = Saving()
        self._to_check: tuple[Kit, Journal] | None = None
        self.renders.takes_came.connect(self._check_when_all_play)
        self._pacer = Pacer()
        self._trial: Kit | None = None  # instead of the kit, while something is tried
        self.heard_by: object = None
        self._goes_over: tuple[Pad, float] | None = None  # once its take is there
        self._cancelled = False  # whether what is dragged was taken back
        self._autosaved: Kit | None = None
        self._autosave = QTimer(self)
        self._autosave.setInterval(_AUTOSAVE_MS)
        self._autosave.timeout.connect(self.write_journal)
        self._autosave.start()

    # The kit.

    @property
    def kit(self) -> Kit:
        """The kit as it is now."""
        return self.history.kit

    @property
    def paced(self) -> Kit:
        """The kit at its tempo, as it is exported: never what is tried in its place."""
        return self._pacer.paced(self.kit)

    @property
    def heard(self) -> Kit:
        """What plays: a trial while there is one, else the kit; at the tempo."""
        return self._pacer.paced(self._trial) if self._trial is not None else self.paced

    @property
    def trying(self) -> bool:
        """Whether something is heard in the kit's place."""
        return self._trial is not None

    def tries(self, kit: Kit) -> bool:
        """Whether that very kit is heard in the place of what is edited."""
        return self._trial is kit

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

    def edit(
        self,
        name: str,
        change: Callable[[Kit], Kit],
        mark: object = None,
        *,
        large: bool = False,
    ) -> bool:
        """Changes the kit as it is now: the next step, or more of the same drag.

        Before a large step the selected pad's sound goes to the shelf, as part of the step. False
        where the change was refused, which is told.
        """
        try:
            kit = change(self.kit)
        except PuddleError as error:
            self.told.emit(str(error))
            return False
        if kit is not self.kit:
            self._take(name, kit, mark, large=large)
        return True

    def make(self, name: str, change: Callable[[Kit], tuple[Kit, T]]) -> T | None:
        """An edit that also gives what it made; None where it was refused, which is told."""
        made: list[T] = []

        def keep(kit: Kit) -> Kit:
            kit, found = change(kit)
            made.append(found)
            return kit

        return made[0] if self.edit(name, keep) else None

    def _take(self, name: str, kit: Kit, mark: object, *, large: bool) -> None:
        before, now = self.pad, kit.pad(self.pad_id)
        if large and before is not None and now is not None and before.sound is not now.sound:
            said = f"before: {name}"
            kit, _ = take_snapshot(kit, before.id, said, before.sound, by_itself=True)
        made = followed(self.kit, kit)
        lost = lost_keys(self.kit, made)
        self.history.push(name, made, mark)
        self._differs()
        self._tell_all(lost)

    def rename(self, name: str) -> None:
        """Another name for the kit, which is no step."""
        self.history.rename(name)
        self._differs()

    def settle(self) -> None:
        """The hand has let go: the next edit is a step of its own."""
        self.history.settle()
        if self._cancelled:
            self._cancelled = False
            self._differs()  # what was dragged on stands where it was

    @property
    def drag_cancelled(self) -> bool:
        """Whether what still comes of a drag is ignored, because it was taken back."""
        return self._cancelled

    def cancel_drag(self) -> bool:
        """Escape while something is dragged: it is as it was before; whether anything was."""
        if self.history.cancel():
            self._cancelled = True
            self._differs()
        return self._cancelled

    def undo(self) -> None:
        """Takes the last step back, and shows the pad that it belongs to."""
        before = self.kit
        self.history.undo()
        self._differs()
        self._show_changed(before)

    def redo(self) -> None:
        """Brings it back."""
        before = self.kit
        self.history.redo()
        self._differs()
        self._show_changed(before)

    def _show_changed(self, before: Kit) -> None:
        """Selects the one pad that is another than before, if it is one."""
        changed = [pad.id for pad in self.kit.pads if before.pad(pad.id) is not pad]
        if len(changed) == 1:
            self.select_pad(changed[0])

    def _differs(self) -> None:
        self._trial = self._goes_over = self.heard_by = None
        kit = self.kit
        pad = kit.pad(self.pad_id)
        if pad is None:
            pad = min(kit.pads, key=lambda p: abs(p.place - self._place), default=None)
            self.pad_id = pad.id if pad is not None else ""
            self.layer_id = None
        self._place = pad.place if pad is not None else 0
        if self.layer_id is not None and self.layer is None:
            self.layer_id = None
        self._follow()
        self.renders.show(self.heard.pad(self.pad_id))
        with self.around():
            self.kit_changed.emit()

    def _follow(self) -> None:
        self.renders.follow(self.heard, self.pad_id)
        self._send()

    def show_again(self) -> None:
        """Everything that is shown, after a preference has changed how it is written."""
        self.kit_changed.emit()
        if self.renders.pitches is not None:
            self.renders.pitches_ready.emit(self.renders.pitches)

    # Selection.

    @property
    def pads(self) -> tuple[str, ...]:
        """Every selected pad's id: the one that is shown first."""
        others = tuple(k for k in self._others if k != self.pad_id and self.kit.pad(k) is not None)
        return (self.pad_id, *others) if self.pad is not None else ()

    @property
    def who(self) -> str:
        """The selected pads in words, for the names of steps."""
        count = len(self.pads) - 1
        name = self.pad.name if self.pad is not None else "No pad"
        return f"{name} and {count} more" if count > 0 else name

    def add_pad(self, pad_id: str) -> None:
        """Selects another pad beside those that are, or takes it out again."""
        if pad_id == self.pad_id:
            if self._others:  # the next one is shown instead
                first, *rest = self._others
                self.select_pad(first)
                self._set_others(tuple(rest))
            return
        others = self._others
        out = pad_id in others
        self._set_others(tuple(k for k in others if k != pad_id) if out else (*others, pad_id))

    def select_range(self, pad_id: str) -> None:
        """Selects every pad from the one that is shown to another, by their places."""
        first, last = self.pad, self.kit.pad(pad_id)
        if first is None or last is None:
            return
        low, high = sorted((first.place, last.place))
        inside = sorted(
            (p for p in self.kit.pads if low <= p.place <= high and p is not first),
            key=lambda p: p.place,
        )
        self._set_others(tuple(p.id for p in inside))

    def _set_others(self, others: tuple[str, ...]) -> None:
        if others != self._others:
            self._others = others
            with self.around():
                self.selection_changed.emit()

    def select_pad(self, pad_id: str) -> None:
        """Shows a pad's whole sound, and selects no other."""
        alone, self._others = not self._others, ()
        if pad_id == self.pad_id and not alone:
            with self.around():
                self.selection_changed.emit()
        if pad_id != self.pad_id:
            self.pad_id, self.layer_id = pad_id, None
            pad = self.pad
            self._place = pad.place if pad is not None else self._place
            self.renders.show(self.heard.pad(pad_id))
            with self.around():
                self.selection_changed.emit()

    def select_layer(self, layer_id: str | None) -> None:
        """Shows a layer, or with None the whole sound."""
        if layer_id != self.layer_id:
            self.layer_id = layer_id
            with self.around():
                self.selection_changed.emit()

    # What is heard.

    def hear(
        self,
        kit: Kit | None,
        *,
        seen: bool = False,
        ahead_frames: float | None = None,
        by: object = None,
    ) -> None:
        """Plays another kit than the one that is edited, for a trial; None ends it.

        Where it is to be seen as well, Shape draws what is heard. With `ahead_frames`, what the
        selected pad rings goes over to it too, so many frames further into the sound. `by` is kept
        as `heard_by`, for whoever wants to know whether it is still heard.
        """
        if kit is None and self._trial is None:
            return
        self._trial = kit
        self.heard_by = by if kit is not None else None
        if ahead_frames is not None:
            pad = self.heard.pad(self.pad_id)
            self._goes_over = (pad, ahead_frames) if pad is not None else None
        self._follow()
        if seen:
            self.renders.show(self.heard.pad(self.pad_id))
        self.heard_changed.emit()

    def _send(self) -> None:
        self.player.show(self.heard, self.renders.sets, self.pattern)
        if self._goes_over is not None:
            pad, ahead = self._goes_over
            index = self._index(pad.id)
            if self.renders.can_play(pad) and index is not None:
                self._goes_over = None
                self.player.cross(index, ahead)

    def _follow_rate(self) -> None:
        """A card at another rate plays takes of that rate."""
        engine = self.player.engine
        if engine is not None and engine.rate_hz != self.renders.takes.rate_hz:
            self.renders.restart(engine.rate_hz)
            self._differs()

    def _index(self, pad_id: str) -> int | None:
        return next((n for n, pad in enumerate(self.kit.pads) if pad.id == pad_id), None)

    def _note_repeat(self, velocity: float) -> None:
        if self.pad is not None:
            self.renders.note_strike(self.pad, velocity)

    def strike(self, pad_id: str, velocity: float, note: int = NO_NOTE) -> None:
        """Strikes a pad now; with a note, by that key."""
        index = self._index(pad_id)
        if index is not None:
            self.renders.note_strike(self.kit.pads[index], velocity, note)
            self.player.strike(index, velocity, note)

    def release(self, pad_id: str, note: int = NO_NOTE) -> None:
        """Lets a gated pad go; with a note, what that key struck."""
        index = self._index(pad_id)
        if index is not None:
            self.player.release(index, note)

    # Files.

    def start(self, kit: Kit, path: Path | None, journal: Journal, *, saved: bool) -> None:
        """Opens a kit whose samples are in a journal's store."""
        old, self.journal = self.journal, journal
        self._to_check = None
        self.history = History(kit)
        if not saved:
            self.history.mark_saved(None)
        self.path = path.absolute() if path is not None else None
        self.pad_id = kit.pads[0].id if kit.pads else ""
        self.layer_id = None
        self.pattern_id = kit.patterns[0].id if kit.patterns else ""
        self.renders.restart(self.renders.takes.rate_hz, journal.store)
        self._autosaved = kit if saved else None
        self.started.emit()
        if old is not None:
            self.saving.leave(old)
        self._differs()
        self.selection_changed.emit()
        self.saved.emit()

    def new(self, kit: Kit | None = None) -> None:
        """A new kit: empty, or one of no samples that was made."""
        made = kit if kit is not None else Kit(name=UNTITLED)
        journal, note = any_journal(journal_root())
        self.start(made, None, journal, saved=True)
        if note:
            self.told.emit(note)

    def open(self, path: Path | None) -> None:
        """Opens a kit file, or without one the demo, at once: before the window is painted.

        Raises KitFileError, and then nothing has changed.
        """
        self._show_opened(_opened(self.kit, path.absolute() if path is not None else None))

    def open_soon(self, path: Path | None, *, as_template: bool = False) -> None:
        """The same on a worker; a kit that is edited meanwhile stays.

        Of a template a new kit is made, which lies nowhere yet.
        """
        before = self.kit
        path = path.absolute() if path is not None else None

        def work() -> _Opened | str:
            self.saving.wait()  # it may be this very file that is being written
            try:
                opened = _opened(before, path)
            except PuddleError as error:
                return str(error)
            return replace(opened, kit=started(opened.kit), path=None) if as_template else opened

        def then(opened: _Opened | str) -> None:
            if isinstance(opened, str):
                self.told.emit(opened)
            else:
                self._show_opened(opened)

        self.background.ask("open", work, then)

    def _show_opened(self, opened: _Opened) -> None:
        if opened.before is not self.kit:
            self.saving.ask(opened.journal.close)
            self.told.emit(f"{self.kit.name} was edited meanwhile, so {opened.kit.name} waits.")
            return
        kit, journal = opened.kit, opened.journal
        self.start(kit, opened.path, journal, saved=True)
        if opened.path is not None:
            self.saving.note(opened.path, opened.stamp)
            remember_kit(self.settings, opened.path)
        for problem in opened.problems:
            self.told.emit(problem)
        self.shape_wanted.emit()
        self._to_check = (kit, journal)
        self._check_when_all_play()

    def _check_when_all_play(self) -> None:
        """Whether samples are what they were: read all once more, after all can be played."""
        if self._to_check is not None and self.renders.complete:
            kit, journal = self._to_check
            self._to_check = None

            def work() -> list[str]:
                with journal.in_use() as store:
                    return damage(kit, store, lambda: not journal.closing)

            self.background.ask("check", work, self._tell_all, spare=True)

    def _tell_all(self, sentences: list[str]) -> None:
        for sentence in sentences:
            self.told.emit(sentence)

    def recover(self, lost: Lost) -> None:
        """Opens what a process that died had not saved."""
        kit, journal = recovered(lost)
        path = Path(lost.path) if lost.path else None
        self.start(kit, path, journal, saved=False)
        if path is not None:
            self.saving.note(path, lost.stamp)

    def open_demo(self) -> None:
        """Opens *Rain Gauge*."""
        self.open(None)

    def save(self, path: Path, then: Callable[[Saved], None], *, sure: bool = False) -> None:
        """Saves in its turn; `then` is told what came of it, on the window's thread."""
        kit, journal = self.kit, self.journal
        if journal is None:
            return

        def come(saved: Saved) -> None:
            if saved.done:
                self._note_saved(saved.path, saved.kit, saved.journal)
            then(saved)

        self.saving.save(path.absolute(), kit, journal, come, sure=sure)

    def _note_saved(self, path: Path, kit: Kit, journal: Journal) -> None:
        """What is on disk now is known; edits made meanwhile are still edits."""
        if journal is not self.journal:
            return
        self.path = path
        self.history.mark_saved(kit)
        if kit is self.kit:
            self.saving.forget(journal)
            self._autosaved = kit
        remember_kit(self.settings, path)
        self.saved.emit()

    def write_journal(self) -> None:
        """Autosave, when there is something new."""
        kit, journal = self.kit, self.journal
        if journal is None or kit is self._autosaved:
            return
        self._autosaved = kit
        if self.history.edited:
            self.saving.keep(journal, kit, self.path)
        else:  # undone to what is on disk: nothing to recover
            self.saving.forget(journal)

    def close(self) -> None:
        """Ends all that runs; what was not saved is given up."""
        self._autosave.stop()
        self.renders.close()
        self.player.close()
        self.saving.close()
        self.background.close()
        if self.journal is not None:
            self.journal.close()
            self.journal = None


def _opened(before: Kit, path: Path | None) -> _Opened:
    """A kit file, or without one the demo, in a journal of its own. Raises KitFileError."""
    journal, note = any_journal(journal_root())
    stamp = stamp_of(path) if path is not None else None
    try:
        opened = open_demo(journal.store) if path is None else open_kit(path, journal.store)
    except PuddleError:
        journal.close()
        raise
    problems = (*opened.problems, *([note] if note else []))
    return _Opened(before, opened.kit, path, journal, problems, stamp)
