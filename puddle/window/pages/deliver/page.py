"""Deliver: findings, what leaves, and on its way."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QDialog, QInputDialog, QSplitter

from puddle.check.finding import Finding
from puddle.kit import edits
from puddle.window.pages.deliver.findings_panel import FindingsPanel
from puddle.window.pages.deliver.leaves_panel import LeavesPanel
from puddle.window.pages.deliver.way_panel import WayPanel
from puddle.window.session.checker import Checker
from puddle.window.session.deliverer import Deliverer
from puddle.window.session.session import Session
from puddle.window.widgets.page_view import PageView
from puddle.window.widgets.passing import open_once

_ON_MAP = frozenset(
    {
        "strength-order", "strength-jump", "velocity-gap", "velocity-overlap", "turns-apart",
        "turns-alike", "no-note", "note-twice", "key-gap", "name",
    }
)  # fmt: skip
_ASKED = {"license": "How may it be used?", "author": "Who made it?"}


class DeliverPage(PageView):
    """Three panels."""

    def __init__(
        self, session: Session, checker: Checker, deliverer: Deliverer, do: Callable[[str], None]
    ) -> None:
        super().__init__()
        self._session, self._checker, self._deliverer = session, checker, deliverer
        self._do = do
        self.findings = FindingsPanel(session, checker)
        self.leaves = LeavesPanel(deliverer)
        self.way = WayPanel(session, deliverer)
        for part, least in ((self.findings, 310), (self.leaves, 350), (self.way, 250)):
            part.setMinimumWidth(least)  # on a small window the list stays readable
        whole = self.side_by_side(
            (self.findings, self.leaves, self.way), [430, 470, 340], growing=1
        )
        self._splitters = {"deliver": whole, "deliver middle": self.leaves.splitter}
        self.findings.mend_wanted.connect(self.mend)
        self.findings.show_wanted.connect(self.go_to)
        self.asking: QDialog | None = None

    def splitters(self) -> dict[str, QSplitter]:
        return self._splitters

    def watch(self, seen: bool) -> None:
        """The kit is checked and listed only while somebody looks."""
        self._checker.watch(seen)
        self._deliverer.watch(seen)
        if seen:
            self.findings.show_findings()
            self.leaves.show_plan()
            self.way.show_plan()

    def end(self) -> None:
        """Leaves a check, and what the last drag wrote."""
        self._checker.stop()
        self.leaves.files.close_last()

    def mend(self, finding: Finding) -> None:
        """Mends a finding; what a person has to say is asked for."""
        if finding.rule in _ASKED:
            self._ask(finding.rule)
        else:
            self._checker.mend(finding)

    def _ask(self, field: str) -> None:
        now = str(getattr(self._session.kit, field))
        asking = QInputDialog(self)
        asking.setWindowTitle(field.capitalize())
        asking.setLabelText(_ASKED[field])
        asking.setTextValue(now)
        asking.setOption(
            QInputDialog.InputDialogOption.UsePlainTextEditForTextInput, field == "license"
        )
        asking.textValueSelected.connect(lambda text: self._take(field, text))
        self.asking = asking
        open_once(asking)

    def _take(self, field: str, text: str) -> None:
        said = text.strip()[: 200 if field == "author" else 2000]
        self._session.edit(
            f"{field.capitalize()} written", lambda kit: edits.set_kit(kit, **{field: said})
        )
        self._session.settle()

    def go_to(self, finding: Finding) -> None:
        """Selects what a finding is about, and shows the page where it can be changed."""
        if finding.page:
            self._do(finding.page)
            return
        if self._session.kit.pad(finding.pad) is None:
            self._session.told.emit(f"{finding.where} is not there any more.")
            return
        self._session.selection.select_pad(finding.pad)
        if finding.layer:
            self._session.selection.select_layer(finding.layer)
        self._do("map" if finding.rule in _ON_MAP else "shape")
