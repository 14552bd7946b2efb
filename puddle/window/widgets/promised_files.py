"""Files that a drag carries and that are written once another program takes the drag up."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QByteArray, QMetaType, QMimeData, QUrl, QVariant

from puddle.errors import PuddleError
from puddle.files import scratch_folder
from puddle.window.widgets.mime import URLS_MIME

Write = Callable[[Path], Sequence[Path]]  # into a folder; what was written


class Writing:
    """Files being written on a thread of their own, from the moment the drag begins."""

    def __init__(self, write: Write) -> None:
        self._write = write
        self._scratch = contextlib.ExitStack()
        self._folder = self._scratch.enter_context(scratch_folder())  # swept after a kill
        self._made: list[Path] = []
        self._thread = threading.Thread(target=self._run, name="puddle-drag", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        try:
            self._made = list(self._write(self._folder))
        except (PuddleError, OSError):
            self._made = []  # nothing lands; the other program shows that

    def files(self) -> list[Path]:
        """What was written; waits for it."""
        self._thread.join()
        return self._made

    def remove(self) -> None:
        """Removes the files; the other program has its copies by then."""
        self._thread.join()
        self._scratch.close()


class PromisedFiles(QMimeData):
    """Files for other programs; for this window whatever `own` says, in a format of its own."""

    def __init__(self, writing: Writing | None, files: Sequence[Path], **own: bytes) -> None:
        """`files` are there already; keywords are formats, `application/x-puddle-` left out."""
        super().__init__()
        self._writing, self._files = writing, list(files)
        self._own = {f"application/x-puddle-{name}": data for name, data in own.items()}

    def formats(self) -> list[str]:
        """The window's own first."""
        return [*self._own, URLS_MIME]

    def hasFormat(self, mimetype: str | None) -> bool:
        return mimetype in self.formats()

    def retrieveData(self, mimetype: str | None, preferred: QMetaType) -> Any:
        if mimetype == URLS_MIME:
            made = self._writing.files() if self._writing is not None else []
            return QVariant([QUrl.fromLocalFile(str(path)) for path in (*self._files, *made)])
        return QVariant(QByteArray(self._own.get(mimetype or "", b"")))
