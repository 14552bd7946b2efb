"""Cut as it is laid out: the bar over the wave, groups or slices under it, timing beside them."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from puddle.window.pages.cut.bar import RecordingBar
from puddle.window.pages.cut.bringing import Bringing
from puddle.window.pages.cut.groups_panel import GroupsPanel
from puddle.window.pages.cut.slots_panel import SlotsPanel
from puddle.window.pages.cut.timing_panel import TimingPanel
from puddle.window.session.session import Session
from puddle.window.widgets.busy import BusyStrip
from puddle.window.widgets.controls import button, column, label, panel, tab
from puddle.window.widgets.page_view import PageView
from puddle.window.widgets.recording_overview import RecordingOverview
from puddle.window.widgets.recording_span import RecordingSpan
from puddle.window.widgets.recording_wave import RecordingWave

_EMPTY = (
    "Hits and loops are cut out of recordings: an hour of playing, a walk with a recorder, a loop. "
    "Drop one here, or open it. The file stays as it is."
)
TABS = (
    ("Hits that sound alike", "Groups, and the pads that they go to."),
    ("Slices in order", "The slices of a pattern, to be played otherwise."),
)


class CutLayout(PageView):
    """The parts of the page in their places."""

    tab_wanted = pyqtSignal(int)

    def lay_out(self, session: Session, bringing: Bringing) -> None:
        """Makes the parts, and puts them where they stand."""
        self.span = RecordingSpan()
        self.overview, self.wave = RecordingOverview(self.span), RecordingWave(self.span)
        self.bar = RecordingBar(bringing.ask, bringing.record)
        self.groups, self.timing = GroupsPanel(), TimingPanel()
        self.slots = SlotsPanel(session)
        self.busy = BusyStrip("Working", "Stops it.")
        self.looking = BusyStrip("Finding the hits", "Leaves what was not looked at yet.")
        self._build(bringing)

    def _build(self, bringing: Bringing) -> None:
        top = column((0, 0, 0, 0), 0)
        top.addWidget(self.bar)
        upper = column((12, 10, 12, 6), 6)
        upper.addWidget(self.overview)
        upper.addWidget(self.wave, 1)
        upper.addWidget(self.looking)
        upper.addWidget(self.busy)
        left, right = column((0, 0, 0, 0), 0), column((0, 0, 0, 0), 0)
        self.tabs: dict[str, QPushButton] = {}
        names = QHBoxLayout()
        names.setContentsMargins(10, 6, 10, 0)
        for n, (text, says) in enumerate(TABS):
            made = tab(text)
            made.setToolTip(says)
            made.clicked.connect(partial(self.tab_wanted.emit, n))
            names.addWidget(made)
            self.tabs[text] = made
        names.addStretch(1)
        left.addLayout(names)
        self.left = QStackedWidget()
        self.left.addWidget(self.groups)
        self.left.addWidget(self.slots)
        left.addWidget(self.left, 1)
        self.tabs[TABS[0][0]].setChecked(True)
        right.addWidget(self.timing)
        side = panel(right)
        side.setMinimumWidth(286)
        self.across = QSplitter(Qt.Orientation.Horizontal)
        self.across.addWidget(panel(left))
        self.across.addWidget(side)
        self.across.setSizes([880, 364])
        self.across.setStretchFactor(0, 1)
        self.across.setHandleWidth(12)
        self.across.setChildrenCollapsible(False)
        self.down = QSplitter(Qt.Orientation.Vertical)
        self.down.addWidget(panel(upper))
        self.down.addWidget(self.across)
        self.down.setSizes([306, 262])
        self.down.setStretchFactor(0, 1)
        self.down.setHandleWidth(10)
        self.down.setChildrenCollapsible(False)
        whole = QWidget()
        lines = QVBoxLayout(whole)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(10)
        lines.addWidget(panel(top))
        lines.addWidget(self.down, 1)
        self.stack = QStackedWidget()
        self.stack.addWidget(panel(self._empty_state(bringing)))
        self.stack.addWidget(whole)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 12, 12, 10)
        outer.addWidget(self.stack)

    def _empty_state(self, bringing: Bringing) -> QVBoxLayout:
        lines = column((24, 24, 24, 24), 10)
        lines.addStretch(1)
        said = label(_EMPTY, "soft")
        said.setWordWrap(True)
        said.setAlignment(Qt.AlignmentFlag.AlignCenter)
        lines.addWidget(said)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(
            button("Open a recording …", "A sound file of up to two hours.", bringing.ask)
        )
        row.addWidget(button("Record …", "An input of the sound card.", bringing.record))
        row.addWidget(
            button(
                "Open the boathouse session",
                "Forty hits on five things, made by Puddle, to try it with.",
                bringing.open_session,
            )
        )
        row.addStretch(1)
        lines.addLayout(row)
        lines.addStretch(2)
        return lines
