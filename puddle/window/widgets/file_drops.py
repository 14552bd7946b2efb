"""Files that are dragged from the desktop onto a widget."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QDragEnterEvent, QDropEvent

from puddle.window.widgets.mime import PAD_MIME


def welcome_files(event: QDragEnterEvent | None) -> None:
    """Lets files be dropped here; a pad of a window is none, though it can become one."""
    data = event.mimeData() if event is not None else None
    if event is not None and data is not None and data.hasUrls() and not data.hasFormat(PAD_MIME):
        event.acceptProposedAction()


def files_of(event: QDropEvent | None) -> list[Path]:
    """The files of this machine that were dropped."""
    data = event.mimeData() if event is not None else None
    if event is None or data is None or data.hasFormat(PAD_MIME):
        return []
    event.acceptProposedAction()
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
