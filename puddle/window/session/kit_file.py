"""The file of the open kit: opened, saved, recovered, and kept in a journal meanwhile."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, Protocol

import msgspec
from msgspec.structs import replace
from PyQt6.QtCore import QObject, QTimer

from puddle.demo.kept import open_demo
from puddle.errors import PuddleError
from puddle.files import Stamp, stamp_of
from puddle.formats.journal import Journal, Lost, any_journal, recovered
from puddle.formats.kitfile import damage, open_kit
from puddle.home.settings import Settings, journal_root, remember_kit
from puddle.kit.history import History
from puddle.kit.model.document import Kit
from puddle.kit.presets.templates import UNTITLED, started
from puddle.window.session.background import Background
from puddle.window.session.renders import Renders
from puddle.window.session.saving import Saved, Saving

_AUTOSAVE_MS = 3000


class Host(Protocol):
    """The session whose kit lies in the file."""

    settings: Settings
    history: History
    background: Background
    renders: Renders
    told: Any
    saved: Any
    shape_wanted: Any

    @property
    def kit(self) -> Kit:
        """The kit as it is now."""

    def start(self, kit: Kit, path: Path | None, journal: Journal, *, saved: bool) -> None:
        """Opens a kit whose samples are in a journal's store."""

    def tell_all(self, sentences: Iterable[str]) -> None:
        """Each to the person."""


class _Opened(msgspec.Struct, frozen=True, eq=False):
    """What came of opening a kit on a worker."""

    before: Kit
    kit: Kit
    path: Path | None
    journal: Journal
    problems: tuple[str, ...]
    stamp: Stamp | None = None
    demo: bool = False


class KitFile(QObject):
    """Where the kit of a session lies, and its journal."""

    def __init__(self, session: Host) -> None:
        super().__init__()
        self._session = session
        self.journal: Journal | None = None
        self._demo: Journal | None = None  # that of the demo, once it was opened
        self.path: Path | None = None
        self.saving = Saving()
        self._to_check: tuple[Kit, Journal] | None = None
        session.renders.takes_came.connect(self._check_when_all_play)
        self._autosaved: Kit | None = None
        self._autosave = QTimer(self)
        self._autosave.setInterval(_AUTOSAVE_MS)
        self._autosave.timeout.connect(self.write_journal)
        self._autosave.start()

    def take(self, kit: Kit, path: Path | None, journal: Journal, *, saved: bool) -> None:
        """Another kit is open, with its samples in a journal's store."""
        old, self.journal = self.journal, journal
        self._to_check = None
        self.path = path.absolute() if path is not None else None
        self._autosaved = kit if saved else None
        if old is not None:
            self.saving.leave(old)

    def new(self, kit: Kit | None = None) -> None:
        """A new kit: empty, or one of no samples that was made."""
        made = kit if kit is not None else Kit(name=UNTITLED)
        journal, note = any_journal(journal_root())
        self._session.start(made, None, journal, saved=True)
        if note:
            self._session.told.emit(note)

    def open(self, path: Path | None) -> None:
        """Opens a kit file, or without one the demo, at once: before the window is painted.

        Raises KitFileError, and then nothing has changed.
        """
        self._show_opened(_opened(self._session.kit, path.absolute() if path is not None else None))

    def open_soon(self, path: Path | None, *, as_template: bool = False) -> None:
        """The same on a worker; a kit that is edited meanwhile stays.

        Of a template a new kit is made, which lies nowhere yet.
        """
        before = self._session.kit
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
                self._session.told.emit(opened)
            else:
                self._show_opened(opened)

        self._session.background.start(work, then, key="open")

    def _show_opened(self, opened: _Opened) -> None:
        if opened.before is not self._session.kit:
            self.saving.ask(opened.journal.close)
            self._session.told.emit(
                f"{self._session.kit.name} was edited meanwhile, so {opened.kit.name} waits."
            )
            return
        kit, journal = opened.kit, opened.journal
        self._demo = journal if opened.demo else None
        self._session.start(kit, opened.path, journal, saved=True)
        if opened.path is not None:
            self.saving.note(opened.path, opened.stamp)
            remember_kit(self._session.settings, opened.path)
        for problem in opened.problems:
            self._session.told.emit(problem)
        self._session.shape_wanted.emit()
        self._to_check = (kit, journal)
        self._check_when_all_play()

    def _check_when_all_play(self) -> None:
        """Whether samples are what they were: read all once more, after all can be played."""
        if self._to_check is not None and self._session.renders.complete:
            kit, journal = self._to_check
            self._to_check = None

            def work() -> list[str]:
                with journal.in_use() as store:
                    return damage(kit, store, lambda: not journal.closing)

            self._session.background.start(
                work, self._session.tell_all, key="check", priority="low"
            )

    @property
    def is_demo(self) -> bool:
        """Whether the demo is open, as it came or edited."""
        return self.journal is not None and self.journal is self._demo

    def recover(self, lost: Lost) -> None:
        """Opens what a process that died had not saved."""
        kit, journal = recovered(lost)
        path = Path(lost.path) if lost.path else None
        self._session.start(kit, path, journal, saved=False)
        if path is not None:
            self.saving.note(path, lost.stamp)

    def open_demo(self) -> None:
        """Opens *Rain Gauge*."""
        self.open(None)

    def save(self, path: Path, then: Callable[[Saved], None], *, sure: bool = False) -> None:
        """Saves in its turn; `then` is told what came of it, on the window's thread."""
        kit, journal = self._session.kit, self.journal
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
        self._session.history.mark_saved(kit)
        if kit is self._session.kit:
            self.saving.forget(journal)
            self._autosaved = kit
        remember_kit(self._session.settings, path)
        self._session.saved.emit()

    def write_journal(self) -> None:
        """Autosave, when there is something new."""
        kit, journal = self._session.kit, self.journal
        if journal is None or kit is self._autosaved:
            return
        self._autosaved = kit
        if self._session.history.edited:
            self.saving.keep(journal, kit, self.path)
        else:  # undone to what is on disk: nothing to recover
            self.saving.forget(journal)

    def close(self) -> None:
        """Writes what waits, and ends."""
        self._autosave.stop()
        self.saving.close()

    def give_up(self) -> None:
        """What was not saved is given up."""
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
    return _Opened(before, opened.kit, path, journal, problems, stamp, demo=path is None)
