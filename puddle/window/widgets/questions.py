"""Questions that name their deed, and names that a file dialog leaves incomplete."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import (
    QMessageBox,
    QWidget,
)


def confirmed(parent: QWidget, question: str, deed: str) -> bool:
    """Whether a person agrees to a deed, which its button names; what is first is to leave it."""
    kinds = QMessageBox.StandardButton
    box = QMessageBox(QMessageBox.Icon.NoIcon, "Puddle", question, kinds.Yes | kinds.Cancel, parent)
    agree = box.button(kinds.Yes)
    if agree is not None:
        agree.setText(deed)
    box.setDefaultButton(kinds.Cancel)
    answer = box.exec()
    box.deleteLater()
    return bool(answer == kinds.Yes)


def with_suffix(name: str, suffix: str) -> Path:
    """A typed file name with its ending."""
    path = Path(name)
    return path if path.suffix.lower() == suffix else path.with_name(path.name + suffix)
