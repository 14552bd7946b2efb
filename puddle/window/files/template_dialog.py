"""How a kit is kept as a template."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QWidget,
)

from puddle.window.widgets.controls import toggle
from puddle.window.widgets.passing import answer_buttons


class KeepTemplate(QDialog):
    """A name for a template, and whether its sounds are kept."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Save as a template")
        form = QFormLayout(self)
        form.setSpacing(10)
        self.name = QLineEdit(name)
        self.name.setMaxLength(120)
        self.name.setAccessibleName("Name of the template")
        self.name.selectAll()
        form.addRow("Name", self.name)
        self.sounds = toggle(
            "on",
            "Off keeps pads, notes, choke groups, buses, stages and kit gauges, but no layers.",
            "Keep its sounds",
        )
        form.addRow("With its sounds", self.sounds)
        self.default = QCheckBox("New kits start from it")
        form.addRow("", self.default)
        kinds = QDialogButtonBox.StandardButton
        form.addRow(answer_buttons(self, kinds.Save | kinds.Cancel))

    @property
    def chosen_name(self) -> str:
        """What was typed, without the space around it."""
        return self.name.text().strip()
