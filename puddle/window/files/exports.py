"""Exports: a sound or the groove as WAV, on a thread, with their progress."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QWidget

from puddle.window.files.export_dialog import ExportDialog
from puddle.window.files.working import Working
from puddle.window.session.session import Session
from puddle.window.widgets.passing import open_once

Work = Callable[[], Any]


class Exports:
    """What leaves the kit."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self._session = session
        self._window = window
        self.working: Working | None = None
        self.asking: ExportDialog | None = None

    def _ask(self, title: str, name: str, then: Callable[[Path, Any], None]) -> None:
        """Asks for a place and a depth, and remembers both."""
        settings = self._session.settings
        folder = Path(settings.last_folder or Path.home())
        self.asking = asking = ExportDialog(
            title, folder / f"{name}.wav", settings.export_bits, self._window
        )

        def go() -> None:
            path, bits = asking.path, asking.bits
            settings.last_folder, settings.export_bits = str(path.absolute().parent), bits
            then(path, bits)

        asking.accepted.connect(go)
        open_once(asking)

    def ask_sound(self) -> None:
        """Asks where the selected sound goes."""
        pad = self._session.pad
        if pad is not None:
            self._ask("Export this sound", pad.name, self.sound)

    def sound(self, path: Path, bits: Any) -> None:
        """Writes the selected pad's strike at full strength."""
        from puddle.engine.offline import strike
        from puddle.formats.sound import write_wav

        pad = self._session.paced.pad(self._session.pad_id)
        takes = self._session.renders.takes
        if pad is None:
            return

        over: list[str] = []

        def work() -> None:
            audio = strike(pad, takes, 127.0)
            over.append(write_wav(path, audio, takes.rate_hz, bits))

        def said() -> str:
            return _told(pad.name, path, over)

        self._work(f"Exporting {pad.name} …", work, said)

    def ask_groove(self) -> None:
        """Asks where the groove goes."""
        pattern = self._session.pattern
        if pattern is None:
            return
        self._ask("Export the groove", f"{self._session.kit.name} {pattern.name}", self.groove)

    def groove(self, path: Path, bits: Any) -> None:
        """Writes the groove, once through, through the mix."""
        from puddle.engine.offline import bounce_beats
        from puddle.formats.sound import write_wav
        from puddle.kit.playing.groove import groove_of
        from puddle.kit.playing.schedule import pattern_beats

        kit, takes, pattern = self._session.kit, self._session.renders.takes, self._session.pattern
        if pattern is None:
            return
        groove, beats = groove_of(pattern), pattern_beats(pattern)

        def work() -> None:
            made = bounce_beats(kit, groove, beats, takes)
            over.append(write_wav(path, made.master, made.rate_hz, bits))

        over: list[str] = []
        self._work("Exporting the groove …", work, lambda: _told("The groove", path, over))

    def _work(self, title: str, work: Work, said: Callable[[], str]) -> None:
        journal = self._session.file.journal
        give_back = journal.borrow() if journal is not None else None

        def done(error: str | None) -> None:
            self.working = None
            if error is None:
                self._session.told.emit(said())
            elif error:
                self._session.told.emit(error)

        self.working = Working(
            self._session.background, title, work, done, self._window, release=give_back
        )
        self.working.open()


def _told(name: str, path: Path, clipped: list[str]) -> str:
    """Where something is now, and what of it was clipped."""
    if any(clipped):
        return f"{name} is in {path}, but {clipped[0]}. Lower it, or export 32-bit float."
    return f"{name} is in {path}."
