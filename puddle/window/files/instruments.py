"""Instruments that come in: read on a thread, and added as pads in one step."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from puddle.deliver.from_sfz import Imported, kit_from_sfz
from puddle.deliver.joining import joined
from puddle.window.files.working import Working
from puddle.window.session.session import Session
from puddle.window.widgets.asking import short

SUFFIX = ".sfz"
_MOST_TOLD = 3


class Instruments:
    """SFZ instruments as pads of the open kit."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self._session, self._window = session, window
        self.working: Working | None = None

    def ask(self) -> None:
        """Asks for an instrument."""
        folder = self._session.settings.last_folder or str(Path.home())
        found, _ = QFileDialog.getOpenFileName(
            self._window, "Import an instrument", folder, "SFZ (*.sfz *.SFZ)"
        )
        if found:
            self._session.settings.last_folder = str(Path(found).parent)
            self.take_in(Path(found))

    def take_in(self, path: Path) -> None:
        """Adds its pads; what of it is not in them is told."""
        session, journal = self._session, self._session.file.journal
        if journal is None:
            return
        made: list[Imported] = []
        give_back = journal.borrow()

        def work() -> None:
            made.append(kit_from_sfz(path, journal.store))

        def done(error: str | None) -> None:
            self.working = None
            if error:
                session.told.emit(error)
            elif made and session.file.journal is journal:
                self._land(path, made[0])

        title = f"Reading {short(path.stem)} …"
        self.working = Working(
            session.background, title, work, done, self._window, release=give_back
        )
        self.working.open()

    def _land(self, path: Path, found: Imported) -> None:
        session = self._session
        pads = session.make(f"{short(path.stem)} imported", lambda kit: joined(kit, found.kit))
        if pads is None:
            return
        session.settle()
        session.selection.select_pad(pads[0])
        session.sound_added.emit()
        count = "1 pad" if len(pads) == 1 else f"{len(pads)} pads"
        told = " ".join(found.told[:_MOST_TOLD])
        more = len(found.told) - _MOST_TOLD
        rest = f" And {more} more such sentences." if more > 0 else ""
        session.told.emit(f"{short(path.stem)}: {count}. {told}{rest}".strip())
