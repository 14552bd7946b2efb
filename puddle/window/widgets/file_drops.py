"""Files that are dragged from the desktop onto a widget."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QDragEnterEvent, QDropEvent


def welcome_files(event: QDragEnterEvent | None) -> None:
    """Lets files be dropped here."""
    data = event.mimeData() if event is not None else None
    if event is not None and data is not None and data.hasUrls():
        event.acceptProposedAction()


def files_of(event: QDropEvent | None) -> list[Path]:
    """The files of this machine that were dropped."""
    data = event.mimeData() if event is not None else None
    if event is None or data is None:
        return []
    event.acceptProposedAction()
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
