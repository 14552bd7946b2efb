"""On its way: where it goes, what becomes of what stands there, and how far it has come."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from puddle.deliver.plan import Planned
from puddle.deliver.writing import THERE
from puddle.files import homely, writable
from puddle.window.session.deliverer import Deliverer
from puddle.window.session.session import Session
from puddle.window.widgets.chips import Chips
from puddle.window.widgets.controls import button, clear, column, elided, label, panel, scrolled
from puddle.window.widgets.crossing import Crossing

_THERE_SAYS = {
    "keep both": "What is new gets a number behind its name.",
    "replace": "What is new takes the place of what stands there.",
    "skip": "What stands there stays, and is not written again.",
}
_QUIET = "Nothing half-written is left behind."


class WayPanel(QWidget):
    """The page's right side."""

    def __init__(self, session: Session, deliverer: Deliverer) -> None:
        super().__init__()
        self._session, self._deliverer = session, deliverer
        side = QVBoxLayout()
        side.addWidget(label("On its way", "title"))
        line = QHBoxLayout()
        line.addWidget(label("To", "soft"))
        # Both ends of a path tell: whose it is, and the kit's own folder.
        self.to = elided("", "strong", Qt.TextElideMode.ElideMiddle)
        line.addWidget(self.to, 1)
        self.change = button(
            "Change …", "Another folder; the kit's own is made in it.", self._ask_folder
        )
        line.addWidget(self.change)
        side.addLayout(line)
        self.standing = label("", "soft")
        self.standing.setWordWrap(True)
        side.addWidget(self.standing)
        self.there = Chips("Of files that are there", {one: one for one in THERE}, _THERE_SAYS)
        self.there.chosen.connect(deliverer.set_policy)
        side.addWidget(self.there)
        self.pond = Crossing()
        side.addWidget(self.pond, 1)
        self.said = label("", "strong")
        self.said.setWordWrap(True)
        side.addWidget(self.said)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(8)
        self.bar.setAccessibleName("Files written")
        side.addWidget(self.bar)
        stop = QHBoxLayout()
        self.cancel = button("Cancel", "Leaves it. " + _QUIET, deliverer.cancel)
        stop.addWidget(self.cancel)
        self.quiet = label(_QUIET, "soft")
        stop.addWidget(self.quiet, 1)
        side.addLayout(stop)
        self.left = column(spacing=3)
        self.left.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.leaves = scrolled(self.left)
        self.leaves.setMaximumHeight(96)
        side.addWidget(self.leaves)
        go = QHBoxLayout()
        self.zip = button("As a zip …", "All of it in one file instead of a folder.", self._ask_zip)
        go.addWidget(self.zip)
        self.go = button("Deliver", "Writes all that is listed.", self._go)
        self.go.setObjectName("primary")
        go.addWidget(self.go, 1)
        side.addLayout(go)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(panel(side))
        deliverer.planned.connect(self.show_plan)
        deliverer.wrote.connect(self._show_progress)
        deliverer.ended.connect(self._show_end)
        self._told: list[str] = []
        self._plan: object = None
        self.show_plan()

    # Asked.

    def _ask_folder(self) -> None:
        now = str(self._deliverer.folder.parent)
        found = QFileDialog.getExistingDirectory(self, "Deliver into", now)
        if found:
            self._deliverer.set_folder(found)

    def _ask_zip(self) -> None:
        folder = self._deliverer.folder.parent
        name = str(folder / f"{writable(self._session.kit.name)}.zip")
        found, _ = QFileDialog.getSaveFileName(self, "Deliver as a zip", name, "Zip (*.zip)")
        if found:
            path = Path(found)
            self._deliverer.deliver(path if path.suffix else path.with_suffix(".zip"))

    def _go(self) -> None:
        self._deliverer.deliver()

    # Shown.

    def show_plan(self) -> None:
        """Where it goes, and what stands there."""
        deliverer = self._deliverer
        self.to.setText(homely(deliverer.folder))
        plan, writing = deliverer.plan, deliverer.writing
        count = len(plan.files) if plan is not None else 0
        there = len(deliverer.there)
        if there:
            of = "1 of them stands" if there == 1 else f"{there:,} of them stand"
            self.standing.setText(f"{count:,} files. {of} there already:")
        self.standing.setVisible(bool(there))
        self.there.setVisible(bool(there))
        self.there.choose(deliverer.policy)
        if plan is not self._plan and not writing:
            self._plan = plan
            self.pond.show_files([one.dye for one in plan.files] if plan is not None else [])
            self._tell(plan.told if plan is not None else [])
        for made in (self.go, self.zip):
            made.setEnabled(bool(count) and not writing)
        self.change.setEnabled(not writing)
        for part in (self.bar, self.cancel, self.quiet):
            part.setVisible(writing)
        if writing and not self.said.text().endswith("written"):
            self.said.setText("It is being prepared.")
            self.bar.setValue(0)

    def _tell(self, told: list[str]) -> None:
        """What the files leave out."""
        clear(self.left)
        if told:
            self.left.addWidget(label("Left out of the instrument"))
        for sentence in told:
            said = label(sentence, "soft")
            said.setWordWrap(True)
            self.left.addWidget(said)
        self.leaves.setVisible(bool(told))

    def _show_progress(self, one: Planned, done: int, of: int) -> None:
        self.bar.setRange(0, of)
        self.bar.setValue(done)
        self.pond.show_done(done)
        self.said.setText(f"{done:,} of {of:,} files written")

    def _show_end(self, said: str) -> None:
        self.said.setText(said or "It was stopped, and nothing of it was written.")
        if not said:
            self.pond.show_done(0)
        self._plan = self._deliverer.plan  # the drops stay as they are until something changes
        self.show_plan()
