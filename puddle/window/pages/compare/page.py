"""Compare: the selected sound beside something else, seen, heard and in figures."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QKeyEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSplitter, QVBoxLayout, QWidget

from puddle.units import gain_from_db, with_unit
from puddle.window.pages.compare.figures import FiguresTable
from puddle.window.pages.compare.shelf_panel import MOST_KEYS, ShelfPanel
from puddle.window.session.comparer import Comparer
from puddle.window.session.session import Session
from puddle.window.session.shelf import OTHER_DYE
from puddle.window.widgets.comparison_plot import Headroom, TwoSpectra, TwoWaves
from puddle.window.widgets.controls import button, label, panel, tab, toggle
from puddle.window.widgets.file_drops import files_of, welcome_files
from puddle.window.widgets.page_view import PageView

_DIGITS = {getattr(Qt.Key, f"Key_{n}"): n for n in range(10)}


class ComparePage(PageView):
    """Shelf on the left, pictures in the middle, figures and listening on the right."""

    wants_view = True

    def __init__(self, session: Session, comparer: Comparer) -> None:
        super().__init__()
        self._session = session
        self.comparer = comparer
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.shelf = ShelfPanel(session, comparer)
        self.waves, self.spectra, self.headroom = TwoWaves(), TwoSpectra(), Headroom()
        self.table = FiguresTable()
        parts = (_sheet(self.shelf), self._pictures(), self._right())
        self.whole = self.side_by_side(parts, [252, 622, 358], growing=1)
        comparer.compared.connect(self.show_result)
        comparer.hearing_changed.connect(self.show_heard)
        comparer.chosen_changed.connect(self.show_heard)
        session.selection_changed.connect(self.show_heard)

    def _pictures(self) -> QWidget:
        self.middle = QSplitter(Qt.Orientation.Vertical)
        waves = QVBoxLayout()
        waves.setContentsMargins(10, 8, 10, 6)
        head = QHBoxLayout()
        head.addWidget(label("From the onset on", "title"))
        head.addStretch(1)
        self.overlaid, self.stacked = tab("over each other"), tab("stacked")
        for pill, on, says in (
            (self.overlaid, False, "Both waveforms in one place."),
            (self.stacked, True, "One waveform under the other."),
        ):
            pill.setToolTip(says)
            pill.clicked.connect(lambda _, on=on: self.waves.set_stacked(on))
            head.addWidget(pill)
        self.overlaid.setChecked(True)
        waves.addLayout(head)
        waves.addWidget(self.waves, 1)
        self.middle.addWidget(panel(waves))
        spectra = QVBoxLayout()
        spectra.setContentsMargins(10, 8, 10, 6)
        self._differs = label("Spectra, and where they differ", "title")
        spectra.addWidget(self._differs)
        spectra.addWidget(self.spectra, 1)
        self.middle.addWidget(panel(spectra))
        self.middle.setHandleWidth(12)
        self.middle.setChildrenCollapsible(False)
        self.middle.setSizes([280, 330])
        return self.middle

    def _right(self) -> QWidget:
        column = QVBoxLayout()
        column.setContentsMargins(14, 12, 14, 10)
        column.setSpacing(8)
        self._title = label("", "title")
        column.addWidget(self._title)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.own, self.other = _side(), _side()
        self.own.setToolTip("Hears this sound (F5 switches).")
        self.other.setToolTip("Hears what it is compared with (F5 switches).")
        self.own.clicked.connect(lambda: self._hear(False))
        self.other.clicked.connect(lambda: self._hear(True))
        line.addWidget(self.own, 1)
        line.addWidget(self.other, 1)
        column.addLayout(line)
        matching = QHBoxLayout()
        self.matched = toggle(
            "matched loudness",
            "Plays both equally loud, so that louder is not mistaken for better.",
        )
        self.matched.setChecked(True)
        self.matched.clicked.connect(lambda on: self.comparer.set_matched(bool(on)))
        matching.addWidget(self.matched)
        self._gains = label("", "soft")
        self._gains.setWordWrap(True)
        matching.addWidget(self._gains, 1)
        column.addLayout(matching)
        column.addSpacing(2)
        column.addWidget(self.table)
        column.addSpacing(4)
        column.addWidget(label("Headroom", "title"))
        column.addWidget(self.headroom)
        self._problem = QLabel()
        self._problem.setObjectName("notice")
        self._problem.setWordWrap(True)
        self._problem.hide()
        column.addWidget(self._problem)
        column.addStretch(1)
        self.restore = button(
            "Restore this sound",
            "The pad's sound becomes this snapshot's; what it is now goes to the shelf.",
            self._restore,
        )
        column.addWidget(self.restore)
        return _sheet_of(column)

    # Showing.

    def show_result(self) -> None:
        """The comparison that has come, or that there is none, once somebody looks."""
        if not self.comparer.watched:
            return
        found, entry = self.comparer.result, self.comparer.chosen
        self.matched.setChecked(self.comparer.matched)
        problem = entry.problem if entry is not None else ""
        self._problem.setText(problem)
        self._problem.setVisible(bool(problem))
        self.restore.setVisible(entry is not None and entry.kind == "snapshot")
        gains = self.comparer.gains
        names = self._names()
        if found is None:
            self.spectra.show_spectra(None)
            self.table.show_figures(names, None, None)
            self.headroom.show_figures(None, None, (0.0, 0.0))
            nothing = np.zeros((1, 2), np.float32)
            self.waves.show_sounds(nothing, nothing, 48000.0, (1.0, 1.0))
        else:
            linear = gain_from_db(gains.own_db), gain_from_db(gains.other_db)
            self.waves.show_sounds(found.own_audio, found.other_audio, found.rate_hz, linear)
            self.spectra.show_spectra(found.spectra)
            self.table.show_figures(
                names, found.own_figures, found.other_figures, pitch_known=found.pitch_known
            )
            levels = (gains.own_db, gains.other_db)
            self.headroom.show_figures(found.own_figures, found.other_figures, levels)
        self.show_heard()

    def splitters(self) -> dict[str, QSplitter]:
        """The one beside the shelf and the figures, and the one between the pictures."""
        return {"compare": self.whole, "compared": self.middle}

    def end(self) -> None:
        """Removes what the last drag wrote."""
        self.shelf.sounds.close()

    def watch(self, seen: bool) -> None:
        """Comparisons follow the sound while the page is seen."""
        if seen != self.comparer.watched:
            self.comparer.watch(seen)

    def entered(self) -> None:
        """Digits choose what is heard."""
        self.setFocus()

    def showEvent(self, event: QShowEvent | None) -> None:
        """What came while nobody looked."""
        super().showEvent(event)
        self.show_result()

    def _names(self) -> tuple[str, str]:
        pad, entry = self._session.pad, self.comparer.chosen
        own = pad.name if pad is not None else ""
        if entry is not None and entry.beats:
            own = "the groove"
        return own, entry.name if entry is not None else ""

    def show_heard(self) -> None:
        """Which of both is heard."""
        own, other = self._names()
        entry, hearing = self.comparer.chosen, self.comparer.hearing
        self._title.setText(f"{own} beside {other}" if other else own)
        self.own.setText(own or "nothing selected")
        self.other.setText(other or "nothing chosen")
        self.own.setChecked(not hearing)
        self.other.setChecked(hearing)
        self.other.setEnabled(entry is not None and not entry.problem)
        for picture in (self.waves, self.spectra, self.headroom):
            picture.name_both(own, other, OTHER_DYE, hearing)
        gains = self.comparer.gains
        if self.comparer.result is None:
            self._gains.setText("")
        elif not self.comparer.matched:
            self._gains.setText("each as loud as it is")
        else:
            text = f"{other} {with_unit(gains.other_db, 'dB', 1)}"
            if gains.own_db < -0.05:
                text = f"{own} {with_unit(gains.own_db, 'dB', 1)}, {text}"
            self._gains.setText(text)
            self._gains.setToolTip(
                f"{own} {with_unit(gains.own_db, 'dB', 1)}, {other} "
                f"{with_unit(gains.other_db, 'dB', 1)}: as loud as each other, and not clipped."
            )

    # The hand.

    def _hear(self, other: bool) -> None:
        if self.comparer.hearing != other:
            self.comparer.switch()
        self.show_heard()

    def _restore(self) -> None:
        entry = self.comparer.chosen
        if entry is not None:
            self.comparer.shelf.restore(entry)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """0 hears this sound, 1 to 9 what stands on the shelf."""
        number = _DIGITS.get(Qt.Key(event.key())) if event is not None else None
        if event is None or number is None or event.modifiers():
            super().keyPressEvent(event)
        elif number == 0:
            self._hear(False)
        elif number <= min(MOST_KEYS, len(self.comparer.shelf.entries)):
            self.comparer.hear_entry(self.comparer.shelf.entries[number - 1].key)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        welcome_files(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        files = files_of(event)
        if files:
            self.comparer.shelf.add_files(files)


def _side() -> QPushButton:
    made = QPushButton()
    made.setCheckable(True)
    made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    return made


def _sheet(widget: QWidget) -> QWidget:
    layout = QVBoxLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(widget)
    return panel(layout)


def _sheet_of(layout: QVBoxLayout) -> QWidget:
    made = panel(layout)
    made.setMinimumWidth(340)
    return made
