"""Shape: a drum's layers, its spectrum, and what each part is made of."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from puddle.units import with_unit
from puddle.views.sound import SoundView
from puddle.window import theme
from puddle.window.pages.shape.lanes import Lanes
from puddle.window.pages.shape.layer_header import HEADER_PX
from puddle.window.pages.shape.properties import Properties
from puddle.window.session.aligner import Aligner
from puddle.window.session.printer import Printer
from puddle.window.session.session import Session
from puddle.window.session.trial import Trial
from puddle.window.widgets.agreement import AgreementStrip
from puddle.window.widgets.controls import button, label, panel
from puddle.window.widgets.file_drops import files_of, welcome_files
from puddle.window.widgets.page_view import PageView
from puddle.window.widgets.spectrum import SpectrumView
from puddle.window.widgets.spectrum_backdrop import Trace

_ALIGN_SAYS = (
    "Proposes when the selected layer is to begin, and its polarity, so that it adds best to the "
    "others; it is heard before it is kept."
)
_LIVE_MS = 100
_APART_MS = 8  # between the strata and the spectrum: each in a turn of the event loop of its own


class ShapePage(PageView):
    """Strata over spectrum on the left, properties on the right."""

    wants_view = True
    conflicts_wanted = pyqtSignal()

    def __init__(
        self,
        session: Session,
        trial: Trial,
        aligner: Aligner,
        printer: Printer,
        drop_files: Callable[[list[Path], str, int | None], None],
        ask_voice: Callable[[], None],
    ) -> None:
        super().__init__()
        self._session = session
        self._drop_files = drop_files
        self.setAcceptDrops(True)
        self.lanes = Lanes(session)
        self.spectrum = SpectrumView()
        self.agreement = AgreementStrip()
        self.trial = trial
        self.aligner = aligner
        self.properties = Properties(session, printer)
        lanes = QVBoxLayout()
        lanes.setContentsMargins(0, 0, 0, 0)
        lanes.addWidget(self.lanes)
        self.left = QSplitter(Qt.Orientation.Vertical)
        self.left.addWidget(panel(lanes))
        self.left.addWidget(self._spectrum_panel())
        self.left.setSizes([412, 208])
        self.left.setStretchFactor(0, 1)
        self.whole = QSplitter(Qt.Orientation.Horizontal)
        self.whole.addWidget(self.left)
        self.whole.addWidget(self.properties)
        self.whole.setSizes([850, 404])
        self.whole.setStretchFactor(0, 1)
        for splitter in (self.left, self.whole):
            splitter.setHandleWidth(12)
            splitter.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 12, 12, 10)
        outer.addWidget(self.whole)
        self.lanes.layer_wanted.connect(ask_voice)
        self._live = QTimer(self)
        self._live.setInterval(_LIVE_MS)
        self._live.timeout.connect(self.properties.show_live_reductions)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_APART_MS)
        self._later.timeout.connect(self._show_view)
        session.looks.view_ready.connect(self._show_soon)
        session.selection_changed.connect(self._show_equalizer)
        session.kit_changed.connect(self._show_equalizer)
        self.trial.changed.connect(self._show_aligner)
        session.selection_changed.connect(self._show_aligner)
        self._show_aligner()
        session.tuning_wanted.connect(self._type_note)
        self.properties.equalizer_changed.connect(self._show_equalizer)
        self.properties.band_chosen.connect(self.spectrum.select_band)
        self.spectrum.moved.connect(self.properties.row.set_equalizer)
        self.spectrum.settled.connect(session.settle)
        self.spectrum.searching.connect(self.properties.row.search)
        self.spectrum.search_ended.connect(lambda: session.playing.hear(None))
        self.spectrum.cut_wanted.connect(self.properties.row.cut_at)
        self.spectrum.band_selected.connect(self._band_selected)
        self.lanes.show_kit()
        self.properties.show_kit()
        self._show_equalizer()

    def _spectrum_panel(self) -> QWidget:
        side = QVBoxLayout()
        side.setContentsMargins(8, 0, 4, 0)
        side.setSpacing(2)
        title = label("Spectrum", "title")
        title.setToolTip("The whole sound in ink, its layers in their dyes.")
        side.addWidget(title)
        self._curve = label("")
        self._curve.setWordWrap(True)
        side.addWidget(self._curve)
        side.addStretch(1)
        self._agreed = label("", "soft")
        self._agreed.setWordWrap(True)
        self._agreed.setFont(theme.text_font(12))
        side.addWidget(self._agreed)
        buttons = QHBoxLayout()
        buttons.setSpacing(5)
        self.align = button(
            "Align",
            _ALIGN_SAYS,
            self.aligner.propose,
            name="Align the layer",
        )
        self.conflicts = button(
            "Masking",
            "Bands in which one layer covers another, or another pad this one, with cuts on offer.",
            self.conflicts_wanted.emit,
        )
        self.keep = button("Keep", "Makes what is heard a step.", self.trial.keep)
        self.leave = button("Leave", "Back to the sound as it was.", self.trial.leave)
        for one in (self.align, self.conflicts, self.keep, self.leave):
            buttons.addWidget(one)
        buttons.addStretch(1)
        side.addLayout(buttons)
        head = QWidget()
        head.setFixedWidth(HEADER_PX)
        head.setLayout(side)
        line = QHBoxLayout()
        line.setContentsMargins(6, 10, 8, 4)
        line.setSpacing(6)
        line.addWidget(head)
        plots = QVBoxLayout()
        plots.setSpacing(0)
        plots.addWidget(self.spectrum, 1)
        plots.addWidget(self.agreement)
        line.addLayout(plots, 1)
        return panel(line)

    def _show_soon(self, view: SoundView | None) -> None:
        if not self._later.isActive():
            self._later.start()

    def _show_view(self) -> None:
        view = self._session.looks.view
        if view is None or not view.sound.layers:
            self.spectrum.show_traces([], self._session.renders.takes.rate_hz)
            self.agreement.show_agreement(None, "", {})
            self._show_aligner()
            return
        dyes = {layer.id: layer.dye for layer in view.sound.layers if layer.on}
        traces = [
            Trace(dyes[key], view.spectrum_hz, found.db, filled=True)
            for key, found in view.heard.items()
            if key in dyes
        ]
        traces.append(Trace("ink", view.spectrum_hz, view.spectrum_db, filled=False))
        self.spectrum.show_traces(traces, view.rate_hz)
        names = {layer.id: (layer.name, layer.dye) for layer in view.sound.layers}
        self.agreement.show_agreement(view.agreement, agreed_text(view), names)
        self._show_aligner()

    def _show_aligner(self) -> None:
        """What is said of the agreement, or of the proposal that is heard."""
        view, trial = self._session.looks.view, self.trial
        said = agreed_text(view) if view is not None else ""
        self._agreed.setText(trial.said if trial.trying else said)
        self.align.setVisible(not trial.trying)
        self.conflicts.setVisible(not trial.trying)
        layer = self._session.layer
        self.conflicts.setEnabled(self._session.pad is not None)
        self.align.setEnabled(layer is not None and bool(said))
        self.align.setToolTip(
            "Choose a layer first: click its lane."
            if layer is None
            else _ALIGN_SAYS
            if said
            else "There is no other layer to align it to."
        )
        self.keep.setVisible(trial.trying)
        self.leave.setVisible(trial.trying)

    def _type_note(self, layer_id: str | None) -> None:
        """A measured pitch was clicked."""
        self._session.selection.select_layer(layer_id)
        self.properties.type_note()

    def splitters(self) -> dict[str, QSplitter]:
        """The one between strata and spectrum, and the one beside the properties."""
        return {"left": self.left, "whole": self.whole}

    def end(self) -> None:
        """Removes what the last drag wrote."""
        self.lanes.sounds.close()

    def watch(self, seen: bool) -> None:
        """Reductions of live stages are followed while the page is seen."""
        if seen:
            self._live.start()
        else:
            self._live.stop()

    def dress(self) -> None:
        """Cards and lanes are made anew: they hold colors."""
        rate_hz = self._session.renders.takes.rate_hz
        self.properties.stages.show_stages((), rate_hz, [])
        self.lanes.show_kit()
        self.properties.show_kit()

    def _show_equalizer(self) -> None:
        stage = self.properties.row.equalizer_stage if self._session.pad else None
        layer = self._session.layer
        dye = layer.dye if layer else "ink"
        self.spectrum.show_equalizer(stage.process if stage else None, dye)
        if stage is None:
            self._curve.setText("Add an equalizer to draw its curve here.")
            return
        who = self.properties.row.who
        self._curve.setText(f"equalizer of {who}" + ("" if stage.on else ", bypassed"))

    def _band_selected(self, name: str) -> None:
        stage = self.properties.row.equalizer_stage
        if stage is not None:
            self.properties.choose_tab(
                self.properties.tab
                if self.properties.tab in ("Stages", "Live", "Bus", "Master")
                else "Stages"
            )
            self.properties.stages.open(stage.id)
            self.properties.stages.choose_band(name)

    # Files dropped on the strata become layers of the selected sound.

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        welcome_files(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        files = files_of(event)
        if files:
            self._drop_files(files, self._session.pad_id, None)


def agreed_text(view: SoundView) -> str:
    """The worst band of a sound's layers in words; empty for fewer than two."""
    if view.agreement is None:
        return ""
    worst = view.agreement.worst
    if worst is None:
        return "No layers cancel."
    names = {layer.id: layer.name for layer in view.sound.layers}
    lost = with_unit(worst.lost_db, "dB", 1).removeprefix("+")
    at = with_unit(worst.hz, "Hz", 0)
    return f"{names[worst.first]} and {names[worst.second]} lose {lost} at {at}."
