"""Every key and what it does."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from puddle.window import theme
from puddle.window.commands import Command
from puddle.window.widgets.controls import label
from puddle.window.widgets.passing import answer_buttons

_HAND = (
    ("Q W E R T Y U I", "strike pads 1 to 8, by their place on the keyboard"),
    ("A S D F G H J K", "strike pads 9 to 16"),
    ("[  ]", "softer, harder velocity; Shift with a letter is an accent"),
    ("click on a pad", "strikes it, harder near its center"),
    ("Ctrl + click on a pad", "selects it beside the others, Shift + click all up to it"),
    ("Alt + click on a pad", "mute; with Shift solo"),
    ("drag a pad to a place", "moves or swaps it, with Ctrl a copy; to another window, copies it"),
    ("drag on a gauge", "moves it; Shift is fine, a double click resets, typing sets"),
    ("arrows, Page Up, Page Down", "move the gauge that has the focus"),
    ("Enter", "presses what Tab reached; takes a typed value"),
    ("Escape", "back to playing; leaves a typed value; takes a drag back while it goes on"),
    ("F10", "opens the menu of all commands"),
    ("wheel on the strata", "zooms around the pointer; Shift moves along"),
    ("wheel on a handle of the spectrum", "width of the bell"),
    ("0, 1 … 9 on Compare", "hears this sound, or what stands on the shelf"),
)


class Shortcuts(QDialog):
    """Every key and what it does."""

    def __init__(self, commands: Sequence[Command], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shortcuts")
        self.resize(620, 560)
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(4)
        rows = [(c.keys, f"{c.title.rstrip(' …')}: {c.says}") for c in commands if c.keys]
        for row, (keys, says) in enumerate([*_HAND, *rows]):
            left = label(keys)
            left.setFont(theme.text_font(13, bold=True))  # a style sheet each takes far longer
            grid.addWidget(left, row, 0, Qt.AlignmentFlag.AlignTop)
            right = label(says)
            right.setWordWrap(True)
            grid.addWidget(right, row, 1)
        grid.setColumnStretch(1, 1)
        inner = QWidget()
        inner.setLayout(grid)
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        outer = QVBoxLayout(self)
        outer.addWidget(scroll)
        outer.addWidget(answer_buttons(self, QDialogButtonBox.StandardButton.Close))
