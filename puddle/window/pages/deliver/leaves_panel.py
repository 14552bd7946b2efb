"""What leaves: the kinds of files, a list of all of them, and how they are made."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from puddle.deliver.options import WHAT
from puddle.window.pages.deliver.file_list import FileList
from puddle.window.pages.deliver.option_rows import OptionRows
from puddle.window.session.deliverer import Deliverer
from puddle.window.widgets.controls import column, label, panel, scrolled, toggle
from puddle.window.widgets.flow import Flow

_SAYS = {
    "one-shots": "A sound file for each strength, turn and alternate of each pad.",
    "instrument": "An SFZ instrument with its samples: keys, velocities, turns and chokes.",
    "groove": "Every pattern through the mix, as a sound file.",
    "stems": "Every pattern apart, by bus or by lane: they add up to the mix.",
    "midi": "Every pattern as Standard MIDI Files, together and lane by lane.",
    "kit": "The kit file itself, a picture, a README and checksums.",
}


class LeavesPanel(QWidget):
    """The page's middle."""

    def __init__(self, deliverer: Deliverer) -> None:
        super().__init__()
        self._deliverer = deliverer
        side = QVBoxLayout()
        head = QHBoxLayout()
        head.addWidget(label("What leaves", "title"))
        head.addStretch(1)
        self.said = label("", "soft")
        head.addWidget(self.said)
        side.addLayout(head)
        kinds = QWidget()
        row = Flow()
        kinds.setLayout(row)
        self.kinds: dict[str, QPushButton] = {}
        for kind, name in WHAT.items():
            pill = toggle(name, _SAYS[kind])
            pill.clicked.connect(self._choose)
            self.kinds[kind] = pill
            row.addWidget(pill)
        side.addWidget(kinds)
        self.files = FileList(deliverer)
        options = column()
        self.options = OptionRows(deliverer)
        options.addWidget(self.options)
        options.addStretch(1)
        both = QSplitter(Qt.Orientation.Vertical)
        both.addWidget(self.files)
        both.addWidget(scrolled(options))
        both.setSizes([220, 300])
        both.setHandleWidth(10)
        both.setChildrenCollapsible(False)
        self.splitter = both
        side.addWidget(both, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(panel(side))
        deliverer.planned.connect(self.show_plan)
        self.show_plan()

    def _choose(self) -> None:
        chosen = [kind for kind, pill in self.kinds.items() if pill.isChecked()]
        self._deliverer.set_options(what=chosen)

    def show_plan(self) -> None:
        """The list, and the options as they are."""
        what = self._deliverer.options.what
        for kind, pill in self.kinds.items():
            pill.setChecked(kind in what)
        plan = self._deliverer.plan
        if self._deliverer.trouble:
            self.said.setText(self._deliverer.trouble)
        elif plan is None:
            self.said.setText("being listed" if what else "")
        else:
            count = len(plan.files)
            files = "1 file" if count == 1 else f"{count:,} files"
            self.said.setText(f"{files}, about {size_text(plan.size)}")
        self.files.show_plan(plan)
        self.options.show_options()


def size_text(count: int) -> str:
    """Bytes as a person says them."""
    if count >= 1_000_000_000:
        return f"{count / 1e9:.1f} GB"
    if count >= 1_000_000:
        return f"{count / 1e6:.1f} MB" if count < 100_000_000 else f"{count / 1e6:.0f} MB"
    return f"{max(1, round(count / 1000))} kB"
