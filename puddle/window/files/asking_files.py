"""Asks for sound files; the library's favorite folders come first in the dialog's side bar."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QStandardPaths, QUrl
from PyQt6.QtWidgets import QFileDialog, QWidget

from puddle.formats.sound import SUFFIXES
from puddle.home.settings import Settings


def sound_dialog(parent: QWidget, title: str, folder: str) -> QFileDialog:
    """A dialog for sound files, not yet shown."""
    from puddle.library.catalog import favorites  # with SQLite, on first use

    pattern = " ".join(f"*{suffix}" for suffix in SUFFIXES)
    dialog = QFileDialog(parent, title, folder, f"Sounds ({pattern})")
    dialog.setFileMode(QFileDialog.FileMode.ExistingFiles)
    liked = [path for path in favorites() if os.path.isdir(path)]
    if liked:
        # Only Qt's own dialog has a side bar that an application may fill.
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        places = QStandardPaths.standardLocations(QStandardPaths.StandardLocation.HomeLocation)
        dialog.setSidebarUrls([QUrl.fromLocalFile(path) for path in (*liked, *places)])
    return dialog


def ask_sounds(parent: QWidget, title: str, settings: Settings) -> list[Path]:
    """The files that were chosen; the folder is where the next dialog begins."""
    dialog = sound_dialog(parent, title, settings.last_folder)
    try:
        if dialog.exec() != QFileDialog.DialogCode.Accepted:
            return []
        names = [Path(name) for name in dialog.selectedFiles()]
    finally:
        dialog.deleteLater()
    if names:
        settings.last_folder = str(names[0].parent)
    return names
