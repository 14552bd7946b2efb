"""Asks before files go to the trash."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QMessageBox, QWidget

_NAMED = 5


def sure_to_trash(parent: QWidget, names: Sequence[str]) -> bool:
    """Whether these files are to go there."""
    more = f" and {len(names) - _NAMED} more" if len(names) > _NAMED else ""
    box = QMessageBox(parent)
    box.setWindowTitle("Move to the trash")
    box.setText(f"Move {', '.join(names[:_NAMED])}{more} to the trash?")
    box.setInformativeText("Kits that use them keep their own copies.")
    move = box.addButton("Move to the trash", QMessageBox.ButtonRole.DestructiveRole)
    keep = box.addButton("Leave them", QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(keep)
    box.exec()
    return box.clickedButton() is move
