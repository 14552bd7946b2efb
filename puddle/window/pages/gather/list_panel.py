"""The list with its row of switches: how sounds are heard, how many remain, marks."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from puddle.window.pages.gather.marking import Marking
from puddle.window.pages.gather.sieve_panel import SievePanel
from puddle.window.pages.gather.sound_list import SoundList
from puddle.window.session.hearing import WAYS, Hearing
from puddle.window.widgets.controls import button, label, panel, tab

_WAY_SAYS = {
    "plain": "As the file is.",
    "matched": "As loud as the pad's own sound, and at its pitch where both have one.",
    "in the groove": "In the place of the selected pad's source, with all its stages.",
}
_EMPTY = (
    "No folder is looked into yet. Add one of yours: its sounds are measured once, and found here "
    "by length, brightness, pitch and what they are like."
)


class ListPanel(QWidget):
    """The list, or what to do first where there is nothing to list."""

    surprise_wanted = pyqtSignal()
    folder_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()

    def __init__(
        self,
        sounds: SoundList,
        sieve: SievePanel,
        marking: Marking,
        hearing: Hearing,
        gaps: QWidget,
    ) -> None:
        super().__init__()
        self._sieve, self._marking, self._hearing = sieve, marking, hearing
        self.stack = QStackedWidget()
        self.stack.addWidget(sounds)
        self.stack.addWidget(self._empty_state())
        inner = QVBoxLayout()
        inner.setContentsMargins(6, 6, 6, 6)
        inner.addLayout(self._way_row(gaps))
        inner.addWidget(self.stack, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(panel(inner))
        hearing.changed.connect(self._show_way)

    def _way_row(self, gaps: QWidget) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(6, 0, 6, 0)
        self._heard = label("Heard", "soft")
        row.addWidget(self._heard)
        self._marks: list[QPushButton] = []  # in the menu of a row too, for narrow windows
        self.ways = {}
        for way in WAYS:
            made = tab(way)
            made.setToolTip(_WAY_SAYS[way])
            made.setChecked(way == self._hearing.way)
            made.clicked.connect(lambda _, w=way: self._hearing.set_way(w))
            self.ways[way] = made
            row.addWidget(made)
        row.addStretch(1)
        row.addWidget(self._sieve.count)
        row.addWidget(self._sieve.of)
        row.addWidget(
            button(
                "Surprise me",
                "One of what remains that was not heard lately.",
                self.surprise_wanted.emit,
            )
        )
        row.addWidget(gaps)
        row.addStretch(1)
        for text, says, judged in (
            ("Keep", "Marks the selected sounds as kept, or no longer. 1", "kept"),
            ("Reject", "Hides the selected sounds from now on; no file is deleted. 2", "rejected"),
        ):
            self._marks.append(button(text, says, partial(self._marking.mark, judged)))
        tag = button(
            "Tag …", "A word of yours on the selected sounds. 3", partial(self._marking.mark, "tag")
        )
        self._marks.append(tag)
        for made in self._marks:
            row.addWidget(made)
        return row

    def _empty_state(self) -> QWidget:
        empty = QWidget()
        column = QVBoxLayout(empty)
        column.addStretch(1)
        said = label(_EMPTY, "soft")
        said.setWordWrap(True)
        said.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(said)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(
            button("Add folder …", "A folder whose sounds are found here.", self.folder_wanted.emit)
        )
        demo = button(
            "Make the demo's library", "Six hundred one-shots and loops, synthesized now.",
            self.demo_wanted.emit,
        )  # fmt: skip
        row.addWidget(demo)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(2)
        return empty

    def _show_way(self) -> None:
        self.ways[self._hearing.way].setChecked(True)

    def show_nothing(self, nothing: bool) -> None:
        """Whether there is nothing to list yet."""
        self.stack.setCurrentIndex(1 if nothing else 0)

    def set_wide(self, wide: bool) -> None:
        """In a narrow window marks are left to keys and to the menu of a row."""
        for made in (*self._marks, self._heard, self._sieve.of):
            made.setVisible(wide)
