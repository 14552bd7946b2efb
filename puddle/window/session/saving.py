"""Saves and the journal of the open kit, off the window's thread, each reported to it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import PuddleError, ReadOnlyError
from puddle.files import Stamp, shown, stamp_of
from puddle.formats.journal import Journal
from puddle.formats.kitfile import save_kit
from puddle.formats.writing import Autosave, Writer
from puddle.kit.model.document import Kit


class Saved(msgspec.Struct, frozen=True, eq=False):
    """What came of a save: neither an error nor a doubt where the kit is on disk."""

    path: Path
    kit: Kit
    journal: Journal
    error: str = ""
    doubt: str = ""  # why the person is to be asked before the file is replaced

    @property
    def done(self) -> bool:
        """Whether the kit is on disk."""
        return not self.error and not self.doubt


class Saving(QObject):
    """Serializes all writes of kit files and journals on one thread."""

    changed = pyqtSignal()  # something began or ended, or the journal's trouble is another
    _came = pyqtSignal(object, object)
    _troubled = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._writer = Writer()
        self._journal = Autosave(self._troubled.emit)
        self._stamps: dict[Path, Stamp] = {}  # of files as they were read or written here
        self._waiting = 0
        self._when_idle: list[Callable[[], None]] = []
        self.trouble = ""  # why the journal cannot be written
        self._came.connect(self._hand_over)
        self._troubled.connect(self._show_trouble)

    # Saves, and whatever else has to be written in its turn.

    def save(
        self,
        path: Path,
        kit: Kit,
        journal: Journal,
        then: Callable[[Saved], None],
        *,
        sure: bool = False,
    ) -> None:
        """Saves a kit after all that was asked for before; `then` is told on the window's thread.

        A file that was changed by others since it was read here, or that is read-only, is replaced
        only when the person is `sure`.
        """

        def work() -> Saved:
            known = self._stamps.get(path)
            if not sure and known is not None and stamp_of(path) not in (known, None):
                doubt = f"{path.name} was changed by another window or program"
                return Saved(path, kit, journal, doubt=doubt)
            try:
                self._stamps[path] = save_kit(path, kit, journal.store, over_read_only=sure)
            except ReadOnlyError:
                return Saved(path, kit, journal, doubt=f"{path.name} is read-only")
            except PuddleError as error:
                return Saved(path, kit, journal, error=str(error))
            return Saved(path, kit, journal)

        def come(result: Saved | Exception) -> None:
            if isinstance(result, Exception):
                reason = f"{shown(path)} cannot be written: {result}."
                result = Saved(path, kit, journal, error=reason)
            then(result)

        self.ask(work, come)

    def ask(self, work: Callable[[], Any], then: Callable[[Any], None] = lambda _: None) -> None:
        """Work in its turn; `then` gets its result, or what it raised, on the window's thread."""
        self._waiting += 1
        self._writer.ask(work, lambda result: self._came.emit(then, result))
        self.changed.emit()

    def _hand_over(self, then: Callable[[Any], None], result: Any) -> None:
        self._waiting -= 1
        self.changed.emit()
        then(result)
        self.changed.emit()
        while not self._waiting and self._when_idle:
            self._when_idle.pop(0)()

    @property
    def busy(self) -> bool:
        """Whether anything is still to be written, or told."""
        return self._waiting > 0

    def when_idle(self, then: Callable[[], None]) -> None:
        """Calls back once everything was written and told; at once where it is."""
        if self.busy:
            self._when_idle.append(then)
        else:
            then()

    def wait(self, timeout_s: float | None = None) -> bool:
        """Until all is on disk: for workers that read what may be written now."""
        return self._writer.wait(timeout_s)

    def note(self, path: Path, stamp: Stamp | None) -> None:
        """A file as it was when it was read."""
        if stamp is not None:
            self._stamps[path] = stamp

    # The journal.

    def keep(self, journal: Journal, kit: Kit, path: Path | None) -> None:
        """Writes the journal with the kit as it is now."""
        self._journal.keep(journal, kit, path, self._stamps.get(path) if path else None)

    def forget(self, journal: Journal) -> None:
        """Marks the journal as clean: nothing is left to recover."""
        self._journal.forget(journal)

    def leave(self, journal: Journal) -> None:
        """Closes a journal after what is still to be written of it."""
        self._journal.drop()
        self._writer.ask(journal.forget_edits)
        self._writer.ask(journal.close)

    def wait_for_journal(self, timeout_s: float | None = None) -> bool:
        """Until the journal is written."""
        return self._journal.wait(timeout_s)

    def _show_trouble(self, trouble: str) -> None:
        self.trouble = trouble
        self.changed.emit()

    def close(self) -> None:
        """Returns once all saves are on disk."""
        self._journal.close()
        self._writer.close()
