"""The bridge between the window and everything behind it: the one place where they meet.

It holds the history and the files of the open kit. Pages edit the kit through it and are told by
its signals what differs; what is rendered is in `renders`, what plays in `player`, and both work
away from the window's thread.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import PuddleError
from puddle.formats.journal import Journal
from puddle.home.settings import Settings
from puddle.kit.edits.links import followed
from puddle.kit.edits.rows import RowPath
from puddle.kit.edits.side_chains import lost_keys
from puddle.kit.edits.snapshots import take_snapshot
from puddle.kit.history import History
from puddle.kit.model.document import Kit, Layer, Pad, Pattern
from puddle.render.samples import NoSamples
from puddle.window.session.background import Background
from puddle.window.session.frames import Frames
from puddle.window.session.grooving import Grooving
from puddle.window.session.input_clock import InputClock
from puddle.window.session.kit_file import KitFile
from puddle.window.session.looks import Looks
from puddle.window.session.player import Player
from puddle.window.session.playing import Playing
from puddle.window.session.renders import Renders
from puddle.window.session.selection import Selection

T = TypeVar("T")


class Session(QObject):
    """One open kit, heard and seen."""

    started = pyqtSignal()  # another kit is open; told before it is shown
    kit_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    told = pyqtSignal(str)  # a sentence for the person
    saved = pyqtSignal()
    heard_changed = pyqtSignal()  # something else is tried in the kit's place, or nothing any more
    tuning_wanted = pyqtSignal(object)  # of a layer by its id, or with None of the whole sound
    # By hand: a pad, its velocity, the key or NO_NOTE, and the own values of the stroke.
    struck = pyqtSignal(str, float, int, tuple)
    let_go = pyqtSignal(str, int)  # by hand
    sounds_dropped = pyqtSignal(list, int)  # ids of the library's sounds, on a place
    shape_wanted = pyqtSignal()  # a kit is there to be seen on Shape
    controller_came = pyqtSignal()  # a message of a controller
    control_wanted = pyqtSignal(object)  # by an address, or a kit gauge's id: a control moves it
    recording_wanted = pyqtSignal(object)  # a file that is to be cut
    sound_added = pyqtSignal()  # a sound came in, wherever the person is

    def __init__(self, settings: Settings) -> None:
        super().__init__()
        self.settings = settings
        self.around: Callable[[], AbstractContextManager[None]] = nullcontext  # what is told
        self.history = History(Kit(name=""))
        self.background = Background()
        self.background.told.connect(self.told)
        self.renders = Renders(self.background, NoSamples(), float(settings.rate_hz))
        self.looks = Looks(self.background, self.renders)
        self.selection = Selection(self)
        self.player = Player(settings, lambda: self.pad_id)
        self.player.told.connect(self.told)
        self.input_clock = InputClock()
        self.renders.auditioned.connect(self.player.audition)
        self.struck.connect(self.player.repeater.hold)
        self.let_go.connect(self.player.repeater.let_go)
        self.file = KitFile(self)
        self.grooving = Grooving(self)
        self.frames = Frames(self)
        self.frames.passed.connect(self.player.repeater.look)
        self.playing: Playing = Playing(self)
        self._cancelled = False  # whether what is dragged was taken back

    # The kit.

    @property
    def kit(self) -> Kit:
        """The kit as it is now."""
        return self.history.kit

    @property
    def paced(self) -> Kit:
        """The kit at its tempo, as it is exported: never what is tried in its place."""
        return self.playing.paced

    @property
    def heard(self) -> Kit:
        """What plays: a trial while there is one, else the kit; at the tempo."""
        return self.playing.heard

    @property
    def pad(self) -> Pad | None:
        """The selected pad."""
        return self.selection.pad

    @property
    def pad_id(self) -> str:
        """The selected pad's id; empty where the kit has none."""
        return self.selection.pad_id

    @property
    def layer(self) -> Layer | None:
        """The selected layer; None while the whole sound is selected."""
        return self.selection.layer

    @property
    def pattern(self) -> Pattern | None:
        """The pattern that is shown, and plays."""
        return self.grooving.pattern

    @property
    def row(self) -> RowPath:
        """Where the selected layer's or sound's stages stand."""
        return RowPath(pad=self.pad_id, layer=self.selection.layer_id)

    def edit(
        self,
        name: str,
        change: Callable[[Kit], Kit],
        mark: object = None,
        *,
        large: bool = False,
    ) -> bool:
        """Changes the kit as it is now: the next step, or more of the same drag.

        What leaves it equal is no step. Before a large one the selected pad's sound goes to the
        shelf, as part of the step. False where the change was refused, which is told.
        """
        try:
            kit = change(self.kit)
        except PuddleError as error:
            self.told.emit(str(error))
            return False
        if kit != self.kit:
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
        self.show_all()
        self.tell_all(lost)

    def rename(self, name: str) -> None:
        """Another name for the kit, which is no step."""
        self.history.rename(name)
        self.show_all()

    def settle(self) -> None:
        """The hand has let go: the next edit is a step of its own."""
        self.history.settle()
        if self._cancelled:
            self._cancelled = False
            self.show_all()  # what was dragged on stands where it was

    @property
    def drag_cancelled(self) -> bool:
        """Whether what still comes of a drag is ignored, because it was taken back."""
        return self._cancelled

    def cancel_drag(self) -> bool:
        """Escape while something is dragged: it is as it was before; whether anything was."""
        if self.history.cancel():
            self._cancelled = True
            self.show_all()
        return self._cancelled

    def undo(self) -> None:
        """Takes the last step back, and shows the pad that it belongs to."""
        before = self.kit
        self.history.undo()
        self.show_all()
        self._show_changed(before)

    def redo(self) -> None:
        """Brings it back."""
        before = self.kit
        self.history.redo()
        self.show_all()
        self._show_changed(before)

    def _show_changed(self, before: Kit) -> None:
        """Shows the one pad, or the one pattern, that is another than before."""
        changed = [pad.id for pad in self.kit.pads if before.pad(pad.id) is not pad]
        if len(changed) == 1:
            self.selection.select_pad(changed[0])
        other = [one.id for one in self.kit.patterns if before.pattern(one.id) is not one]
        if len(other) == 1:
            self.grooving.choose(other[0])

    def show_all(self) -> None:
        """Everything anew, after the kit has become another."""
        self.playing.end_trial()
        self.selection.follow(self.kit)
        self.playing.follow()
        self.show_pad(self.pad_id)
        with self.around():
            self.kit_changed.emit()

    def show_pad(self, pad_id: str) -> None:
        """Has a pad drawn, as it is heard, where somebody looks."""
        self.looks.show(self.heard.pad(pad_id))

    def show_again(self) -> None:
        """Everything that is shown, after a preference has changed how it is written."""
        self.kit_changed.emit()
        if self.looks.pitches is not None:
            self.looks.pitches_ready.emit(self.looks.pitches)

    # Files.

    def start(self, kit: Kit, path: Path | None, journal: Journal, *, saved: bool) -> None:
        """Opens a kit whose samples are in a journal's store."""
        self.history = History(kit)
        if not saved:
            self.history.mark_saved(None)
        self.selection.begin(kit)
        self.grooving.begin(kit)
        self.renders.restart(self.renders.takes.rate_hz, journal.store)
        self.started.emit()
        self.file.take(kit, path, journal, saved=saved)
        self.show_all()
        self.selection_changed.emit()
        self.saved.emit()

    def close(self) -> None:
        """Ends all that runs; what was not saved is given up."""
        self.renders.close()
        self.looks.close()
        self.player.close()
        self.file.close()
        self.background.close()
        self.file.give_up()

    def tell_all(self, sentences: Iterable[str]) -> None:
        """Each to the person."""
        for sentence in sentences:
            self.told.emit(sentence)
