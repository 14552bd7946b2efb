"""Where an export goes, and how many bits it has."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QWidget,
)

from puddle.window.widgets.asking import short
from puddle.window.widgets.controls import button
from puddle.window.widgets.passing import answer_buttons
from puddle.window.widgets.questions import confirmed, with_suffix

DEPTHS = {"24": "24 bit", "16": "16 bit, with dither", "32f": "32-bit float, never clipped"}


class ExportDialog(QDialog):
    """A file's place and its depth; a file that is there already is asked about."""

    def __init__(self, title: str, place: Path, bits: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(520)
        form = QFormLayout(self)
        form.setSpacing(10)
        self._folder = place.parent
        self.place = QLineEdit(str(place))
        self.place.setAccessibleName("Where it goes")
        line = QHBoxLayout()
        line.addWidget(self.place, 1)
        line.addWidget(button("Browse …", "Another folder or name.", self._browse))
        form.addRow("File", line)
        self.bit_depth = QComboBox()
        self.bit_depth.setAccessibleName("Depth")
        self.bit_depth.setToolTip("24 bit is what most take; a float is for further work.")
        for key, name in DEPTHS.items():
            self.bit_depth.addItem(name, key)
        self.bit_depth.setCurrentIndex(max(0, self.bit_depth.findData(bits)))
        form.addRow("Depth", self.bit_depth)
        kinds = QDialogButtonBox.StandardButton
        buttons = answer_buttons(self, kinds.Ok | kinds.Cancel)
        go = buttons.button(kinds.Ok)
        if go is not None:
            go.setText("Export")
        form.addRow(buttons)
        self.place.setFocus()

    @property
    def path(self) -> Path:
        """The file, with its suffix; a name alone lies in the folder that was offered."""
        return with_suffix(str(self._folder / self.place.text().strip()), ".wav")

    @property
    def bits(self) -> str:
        """ "16", "24" or "32f"."""
        return str(self.bit_depth.currentData())

    def accept(self) -> None:
        """Not without a name, and not over a file without asking."""
        if not self.place.text().strip():
            return
        asked = f"{short(self.path.name)} is there already. Replace it?"
        if self.path.exists() and not confirmed(self, asked, "Replace"):
            return
        super().accept()

    def _browse(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self,
            self.windowTitle(),
            self.place.text(),
            "WAV (*.wav)",
            options=QFileDialog.Option.DontConfirmOverwrite,
        )
        if name:
            self.place.setText(name)
