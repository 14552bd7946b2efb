"""Findings: each a sentence, a way to where it is, and where it can be, a mend."""

from __future__ import annotations

from collections import Counter

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from puddle.check.finding import LEVELS, Finding
from puddle.check.limits import BY_ID
from puddle.window import theme
from puddle.window.pages.deliver.limits_panel import LimitsPanel
from puddle.window.session.checker import Checker
from puddle.window.session.session import Session
from puddle.window.widgets.controls import (
    button,
    clear,
    column,
    elided,
    label,
    panel,
    scrolled,
    tab,
    toggle,
)

_MOST_SHOWN = 80
_COLORS = {"error": "coral", "warning": "sun", "note": "soft"}
_SIGNS = {"error": "!", "warning": "–", "note": "·"}


class _Sign(QWidget):
    """How much a finding matters: by its color, its sign and its name."""

    def __init__(self, level: str) -> None:
        super().__init__()
        self._level = level
        self.setFixedSize(QSize(18, 18))
        self.setAccessibleName(level)
        self.setToolTip(level.capitalize())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color(_COLORS[self._level]))
        painter.drawEllipse(QRectF(2, 2, 14, 14))
        painter.setPen(theme.color("panel"))
        painter.drawText(
            QRectF(2, 1, 14, 15), int(Qt.AlignmentFlag.AlignCenter), _SIGNS[self._level]
        )


class _Row(QWidget):
    """One finding."""

    def __init__(self, finding: Finding, panel_: FindingsPanel, *, fresh: bool) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(2, 4, 2, 4)
        row.setSpacing(10)
        row.addWidget(_Sign(finding.level), 0, Qt.AlignmentFlag.AlignTop)
        said = column(spacing=0)
        where = elided(finding.where, "strong")
        message = label(finding.message, "soft")
        message.setWordWrap(True)
        said.addWidget(where)
        said.addWidget(message)
        row.addLayout(said, 1)
        rule = BY_ID[finding.rule].title
        whole = f"{finding.where}: {finding.message}"
        self.setAccessibleName(f"{finding.level}: {whole}")
        self.mend: QPushButton | None = None
        if finding.mend:
            self.mend = button(
                finding.mend, f"Mends it in one step: {whole}.",
                lambda: panel_.mend_wanted.emit(finding), name=f"{finding.mend}: {whole}",
            )  # fmt: skip
            self.mend.setEnabled(fresh)
            row.addWidget(self.mend, 0, Qt.AlignmentFlag.AlignTop)
        if finding.pad or finding.page:
            go = button(
                "Show", f"Goes there. Rule: {rule}.",
                lambda: panel_.show_wanted.emit(finding), flat=True, name=f"Show: {whole}",
            )  # fmt: skip
            row.addWidget(go, 0, Qt.AlignmentFlag.AlignTop)


class FindingsPanel(QWidget):
    """The page's left side: findings, or from where on they are findings."""

    mend_wanted = pyqtSignal(object)
    show_wanted = pyqtSignal(object)

    def __init__(self, session: Session, checker: Checker) -> None:
        super().__init__()
        self._session, self._checker = session, checker
        self._shown: tuple[Finding, ...] | None = None
        self._fresh: tuple[bool, ...] = ()
        self._levels: set[str] = set(LEVELS)
        side = QVBoxLayout()
        head = QHBoxLayout()
        head.addWidget(label("Before it leaves", "title"))
        head.addStretch(1)
        self.found_tab, self.limits_tab = tab("Findings"), tab("Rules")
        self.found_tab.setToolTip("What the rules find in the kit as it is now.")
        self.limits_tab.setToolTip("What is checked, and from where on.")
        self.found_tab.setChecked(True)
        self.found_tab.clicked.connect(lambda: self.stack.setCurrentIndex(0))
        self.limits_tab.clicked.connect(self._show_limits)
        head.addWidget(self.found_tab)
        head.addWidget(self.limits_tab)
        side.addLayout(head)
        self.stack = QStackedWidget()
        self.stack.addWidget(self._findings())
        self._limits: LimitsPanel | None = None
        side.addWidget(self.stack, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(panel(side))
        checker.changed.connect(self.show_findings)

    @property
    def limits(self) -> LimitsPanel:
        """The table of rules, made when it is first wanted."""
        if self._limits is None:
            self._limits = LimitsPanel(self._checker)
            self.stack.addWidget(self._limits)
        return self._limits

    def _show_limits(self) -> None:
        self.stack.setCurrentWidget(self.limits)

    def _findings(self) -> QWidget:
        made = QWidget()
        side = QVBoxLayout(made)
        side.setContentsMargins(0, 4, 0, 0)
        row = QHBoxLayout()
        self.filters: dict[str, QPushButton] = {}
        for level in LEVELS:
            pill = toggle(f"{level}s", f"Whether {level}s are listed.")
            pill.setChecked(True)
            pill.clicked.connect(lambda on, level=level: self._filter(level, on=on))
            self.filters[level] = pill
            row.addWidget(pill)
        row.addStretch(1)
        self.mend_all = button(
            "Mend all", "Mends what can be mended of what is listed, in one step.", self._mend_all
        )
        row.addWidget(self.mend_all)
        side.addLayout(row)
        self.said = label("", "soft")
        self.said.setWordWrap(True)
        side.addWidget(self.said)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(7)
        self.bar.setAccessibleName("Checked")
        side.addWidget(self.bar)
        self.rows = column(spacing=0)
        self.area: QScrollArea = scrolled(self.rows)
        side.addWidget(self.area, 1)
        return made

    def _filter(self, level: str, *, on: bool) -> None:
        (self._levels.add if on else self._levels.discard)(level)
        self._shown = None
        self.show_findings()

    def _mend_all(self) -> None:
        self._checker.mend_all(self._chosen())

    def _chosen(self) -> list[Finding]:
        return [one for one in self._checker.findings if one.level in self._levels]

    def show_findings(self) -> None:
        """What was found last, and how far a check has come."""
        checker = self._checker
        share = checker.share
        self.bar.setVisible(share is not None)
        if share is not None:
            self.bar.setValue(round(100.0 * share))
        counts: Counter[str] = Counter(one.level for one in checker.findings)
        for level, pill in self.filters.items():
            count = counts[level]
            pill.setText(f"{count} {level}{'' if count == 1 else 's'}")
        self.said.setText(self._sentence(counts))
        found = self._chosen()
        fresh = tuple(checker.fresh(one) for one in found)
        self.mend_all.setEnabled(any(checker.mends_itself(one) for one in found))
        if tuple(found) != self._shown or fresh != self._fresh:
            self._shown, self._fresh = tuple(found), fresh
            self._fill(found, fresh)

    def _sentence(self, counts: Counter[str]) -> str:
        checker, pads = self._checker, len(self._session.kit.pads)
        if not pads:
            return "There is nothing to check yet: make a sound first, on Shape."
        if checker.share is not None and not checker.findings:
            return "The kit is being checked."
        if not checker.findings:
            return f"{pads} pads, and nothing found." if checker.current else ""
        worst = "It should not leave like this." if counts["error"] else "It can leave."
        return f"{pads} pads, {sum(counts.values())} findings. {worst}"

    def _fill(self, found: list[Finding], fresh: tuple[bool, ...]) -> None:
        at = self.area.verticalScrollBar()
        place = at.value() if at is not None else 0
        clear(self.rows)
        for one, is_fresh in list(zip(found, fresh, strict=True))[:_MOST_SHOWN]:
            self.rows.addWidget(_Row(one, self, fresh=is_fresh))
        if len(found) > _MOST_SHOWN:
            self.rows.addWidget(label(f"and {len(found) - _MOST_SHOWN} more", "soft"))
        self.rows.addStretch(1)  # an alignment would cut sentences that wrap
        if at is not None:
            at.setValue(place)

    def row_of(self, rule: str) -> _Row | None:
        """The first row of a rule."""
        for n in range(self.rows.count()):
            item = self.rows.itemAt(n)
            widget = item.widget() if item is not None else None
            if isinstance(widget, _Row) and self._shown and self._shown[n].rule == rule:
                return widget
        return None
