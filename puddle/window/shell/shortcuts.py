"""Every key and what it does."""

from __future__ import annotations

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
from puddle.window.commands import COMMANDS, HAND
from puddle.window.widgets.controls import label


class Shortcuts(QDialog):
    """Every key and what it does."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shortcuts")
        self.resize(620, 560)
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(4)
        rows = [(c.keys, f"{c.title.rstrip(' …')}: {c.says}") for c in COMMANDS if c.keys]
        for row, (keys, says) in enumerate([*HAND, *rows]):
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
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.reject)
        outer.addWidget(close)
