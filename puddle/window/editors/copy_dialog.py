"""At which intervals a sound is copied to more pads."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QWidget,
)

from puddle.window.widgets.asking import short
from puddle.window.widgets.controls import label, toggle
from puddle.window.widgets.passing import answer_buttons


class CopyPads(QDialog):
    """At which intervals a sound is copied to more pads, and whether the copies follow it."""

    def __init__(self, name: str, scale: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Copy to more pads")
        form = QFormLayout(self)
        form.setSpacing(10)
        form.addRow(label(f"{short(name)} again, on the next free places."))
        self.intervals = QLineEdit(scale)
        self.intervals.setAccessibleName("Intervals or a scale")
        self.intervals.setToolTip(
            "Semitones such as 3 5 7 (0 for the same again), a scale from this sound upwards, such "
            "as minor pentatonic, or one with its root, such as D minor."
        )
        form.addRow("Semitones or a scale", self.intervals)
        self.linked = toggle(
            "on",
            "Linked copies follow this sound whenever it is edited; one that is edited itself "
            "goes its own way.",
            "Linked to this sound",
        )
        form.addRow("Linked to this sound", self.linked)
        kinds = QDialogButtonBox.StandardButton
        form.addRow(answer_buttons(self, kinds.Ok | kinds.Cancel))
