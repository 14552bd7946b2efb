"""Folders measured and watched, away from the window's thread."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import FileError
from puddle.home.own import starting_points
from puddle.library.library import Library
from puddle.library.measuring import Processes, all_cores, spare_cores
from puddle.library.scanner import Progress, scan, scan_parts
from puddle.library.synthesized import measure_voices
from puddle.library.watching import Watch
from puddle.tasks import Task, post
from puddle.window.session.session import Session

_TOLD_EVERY = 4  # sounds that are written


class Scans(QObject):
    """One scan at a time; what is asked for meanwhile comes after it."""

    changed = pyqtSignal()  # there are other entries
    progressed = pyqtSignal(object)  # a Progress; None when a scan has ended
    _parts_changed = pyqtSignal(bytes, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.library: Library | None = None
        self._waiting: list[bytes] = []  # folders that are to be scanned
        self._parts: dict[bytes, set[bytes]] = {}  # of roots, where something changed
        self._watch = Watch(self._hear_change)
        self._watched: tuple[bytes, ...] | None = None
        self._parts_changed.connect(self._note_parts)
        self._scan: Task[None] | None = None
        self._processes: Processes | None = None
        self._ended = threading.Event()
        self._ended.set()
        self._making: Task[None] | None = None

    def close(self) -> None:
        """Leaves what is measured, and watches no more."""
        self.cancel()
        self._watch.close()
        self._ended.wait(5.0)
        self.library = None

    @property
    def _every(self) -> tuple[bytes, ...]:
        """The folders of the library."""
        folders = self.library.catalog.folders if self.library is not None else ()
        return tuple(folder.raw for folder in folders)

    def follow_folders(self) -> None:
        """Watches the folders that there are now."""
        roots = self._every
        if roots != self._watched and self.library is not None and self.library.index.writes:
            self._watched = roots
            self._session.background.start(
                lambda: self._watch.follow(roots), key="watch", priority="low"
            )

    def _hear_change(self, root: bytes, folders: list[bytes]) -> None:
        """Called on the watcher's thread: forwards to the window's thread."""
        self._parts_changed.emit(root, folders)

    def _note_parts(self, root: bytes, folders: list[bytes]) -> None:
        self._parts.setdefault(root, set()).update(folders)
        self.scan([])

    def make(
        self,
        folder: Path,
        write: Callable[[Path, Callable[[int, int], None]], object],
        then: Callable[[Path], None],
    ) -> None:
        """Has a folder of sounds written, with its progress; then `then` is told of it."""
        if self._making is not None:
            return

        def tell(done: int, of: int) -> None:
            if done % _TOLD_EVERY == 0:
                post(self.progressed.emit, Progress(done, of, 0.0))

        def work() -> None:
            try:
                write(folder, tell)
            except OSError as error:
                raise FileError(f"{folder} cannot be written: {error.strerror}.") from error

        def end() -> None:
            self._making = None
            self.progressed.emit(None)

        self._making = self._session.background.start(
            work, lambda _: then(folder), priority="long", ended=end
        )

    # Scanning.

    @property
    def watching(self) -> bool:
        """Whether changes of folders are noticed."""
        return self._watch.watching

    @property
    def scanning(self) -> bool:
        """Whether folders are being measured."""
        return not self._ended.is_set()

    @property
    def paused(self) -> bool:
        """Whether a scan is paused."""
        return self._processes is not None and not self._processes.going.is_set()

    def pause(self, on: bool) -> None:
        """Pauses or resumes a scan."""
        if self._processes is not None:
            (self._processes.going.clear if on else self._processes.going.set)()

    def cancel(self) -> None:
        """Leaves a scan; what was measured is kept."""
        self._waiting = []
        if self._making is not None:
            self._making.cancel()
        if self._scan is not None:
            self._scan.cancel()

    def scan(self, folders: Sequence[bytes] | None = None) -> None:
        """Brings folders up to date, or all; after the scan at hand, if there is one."""
        library = self.library
        if library is None or not library.index.writes:
            return
        self._waiting += [
            f for f in (self._every if folders is None else folders) if f not in self._waiting
        ]
        if self.scanning:
            return
        todo, self._waiting = self._waiting, []
        parts, self._parts = self._parts, {}
        playing = self._session.player.playing
        self._processes = Processes(spare_cores() if playing else all_cores())
        self._ended.clear()
        processes = self._processes

        def tell(progress: Progress) -> None:
            self._tell(progress)
            processes.rest_while_paused()

        def work() -> None:
            try:
                measure_voices(library.index, starting_points(), tell)
                for root, folders in parts.items():
                    scan_parts(library.index, root, sorted(folders), processes)
                if todo or not parts:
                    scan(library.index, todo, processes, self._tell)
                library.refresh_marks()
            finally:
                self._ended.set()

        self._scan = self._session.background.start(work, priority="long", ended=self._end)

    def _tell(self, progress: Progress) -> None:
        """Called on the scan's thread: forwards to the window's thread."""
        post(self._note_progress, progress)

    def _note_progress(self, progress: Progress) -> None:
        self.progressed.emit(progress)
        self.changed.emit()

    def _end(self) -> None:
        self._scan = self._processes = None
        self.progressed.emit(None)
        self.changed.emit()
        if self._waiting or self._parts:
            self.scan([])
