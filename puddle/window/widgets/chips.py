"""One of several, as a row of pills."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QPushButton, QWidget

from puddle.window.widgets.controls import toggle
from puddle.window.widgets.flow import Flow


class Chips(QWidget):
    """Pills of which one is on; arrows go from one to the next."""

    chosen = pyqtSignal(str)

    def __init__(self, name: str, choices: Mapping[str, str], says: Mapping[str, str]) -> None:
        """`choices` and `says` are by what is emitted: the pill's text, and its sentence."""
        super().__init__()
        self.setAccessibleName(name)
        self.pills: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        group.setExclusive(True)
        row = Flow()
        self.setLayout(row)
        for value, text in choices.items():
            pill = toggle(text, says.get(value, ""), f"{name}: {text}")
            pill.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            group.addButton(pill)
            pill.clicked.connect(lambda _, value=value: self.chosen.emit(value))
            row.addWidget(pill)
            self.pills[value] = pill

    def choose(self, value: str) -> None:
        """Shows which one is on, without a signal."""
        pill = self.pills.get(value)
        if pill is not None:
            pill.setChecked(True)

    @property
    def value(self) -> str:
        """The one that is on."""
        return next((value for value, pill in self.pills.items() if pill.isChecked()), "")
