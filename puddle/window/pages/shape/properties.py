"""The right of Shape: what the selected layer or whole sound is made of."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QVBoxLayout,
)

from puddle.engine.names import MASTER, pad_node
from puddle.kit import edits
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Layer, Pad, Sample
from puddle.views.sound import Pitches, SoundView
from puddle.window.editors.assigner import Assigner
from puddle.window.editors.naming import ask_rename
from puddle.window.editors.print_lines import PrintLines
from puddle.window.editors.stage_row import RowEditor
from puddle.window.editors.swap import Swap
from puddle.window.editors.tune_lines import TuneLines
from puddle.window.editors.voice_lines import VoiceLines
from puddle.window.pages.shape.property_tabs import PropertyTabs
from puddle.window.session.printer import Printer
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, clear, label, put_away, scrolled, tab
from puddle.window.widgets.dot import Dot
from puddle.window.widgets.fields import Fields
from puddle.window.widgets.gauge import Gauge

if TYPE_CHECKING:
    from puddle.stages.chain import Over

LAYER_TABS = ("Source", "Tune", "Envelope", "Band", "Stages")
WHOLE_TABS = ("Stages", "Tune", "Live", "Pad", "Bus", "Master")
_PLAYED_TABS = ("Live", "Bus", "Master")  # whose stages run while they play
_NAME_PX = 140


class Properties(PropertyTabs):
    """Header, tabs, and the gauges of the tab that is shown."""

    equalizer_changed = pyqtSignal()
    band_chosen = pyqtSignal(str)

    def __init__(self, session: Session, printer: Printer) -> None:
        super().__init__()
        self._session = session
        self._printer = printer
        self.setObjectName("panel")
        self.setMinimumWidth(330)
        self._shown: tuple[Any, ...] = ()
        self._tab = {"layer": "Source", "whole": "Stages"}
        self.fields: Fields | None = None
        self._strikes: Fields | None = None
        self.voice_lines: VoiceLines | None = None
        self.tune_lines: TuneLines | None = None
        self.print_lines: PrintLines | None = None
        self.assigner = Assigner(session, self)
        self.row = RowEditor(session, self.assigner)
        self.stages = self.row.stages
        self.row.equalizer_changed.connect(self.equalizer_changed)
        self.row.band_chosen.connect(self.band_chosen)
        self.row.way_changed.connect(lambda: self._show_view(session.looks.view))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(14, 12, 12, 10)
        outer.setSpacing(8)
        head = QHBoxLayout()
        head.setSpacing(7)
        self._dot = Dot("ink")
        head.addWidget(self._dot)
        self._name = label("", "title")
        head.addWidget(self._name)
        self._chip = label("", "soft")
        head.addWidget(self._chip)
        head.addStretch(1)
        self.swap = Swap(session)
        head.addWidget(self.swap.button)
        self._rename = button(
            "Rename", "Gives the layer, or the pad, another name.", self._ask_name
        )
        head.addWidget(self._rename)
        outer.addLayout(head)
        self._tab_line = QHBoxLayout()
        self._tab_line.setSpacing(3)
        outer.addLayout(self._tab_line)
        self._body = QVBoxLayout()
        self._body.setContentsMargins(0, 0, 6, 0)
        self._body.setSpacing(5)
        scroll = scrolled(self._body)
        outer.addWidget(scroll, 1)
        session.kit_changed.connect(self.show_kit)
        session.selection_changed.connect(self.show_kit)
        session.looks.view_ready.connect(self._show_view)
        session.looks.pitches_ready.connect(self._show_pitches)

    # Which tab.

    def choose_tab(self, name: str) -> None:
        """Shows another tab."""
        kind = "layer" if self._session.layer is not None else "whole"
        if name in (LAYER_TABS if kind == "layer" else WHOLE_TABS):
            self._tab[kind] = name
            self.show_kit()

    def add_stage(self, process: Any) -> None:
        """A stage at the end of the row that is shown, or of what is selected."""
        if not self.row.shown:
            self.choose_tab("Stages")
        self.row.add_stage(process)

    def show_kit(self) -> None:
        """Shows what is selected; rows are made anew only when something else is selected."""
        pad, layer = self._session.pad, self._session.layer
        source = type(layer.source) if layer else None
        key = (
            pad.id if pad else "",
            layer.id if layer else None,
            self.tab,
            source,
            self._lines(),
            self._printer.content,  # a print may have taken the place of its recipe
        )
        self._show_head(pad, layer)
        if key != self._shown:
            self._shown = key
            self._rebuild(pad, layer)
        if pad is None:
            return
        self._show_row(pad, layer)
        if self.voice_lines is not None and layer and not isinstance(layer.source, Sample):
            self.voice_lines.show_voice(layer.source)
        if self._strikes is not None:
            self._strikes.show_values(pad.sound)
        if self.fields is not None:
            self.fields.show_values(self._struct(pad, layer))
            if layer is not None and self.tab == "Source":
                self.fields.show_reaches({r.field: r.amount for r in layer.reaches})

    def _lines(self) -> Any:
        """What the lines over the gauges of the pad's and the bus's tab say."""
        pad, buses = self._session.pad, self._session.kit.buses
        if pad is None or self._session.layer is not None:
            return None
        if self.tab == "Pad":
            notes = tuple(p.notes for p in self._session.kit.pads)
            return (pad.role, pad.bus, notes, tuple((bus.id, bus.name) for bus in buses))
        if self.tab == "Bus" and pad.bus:
            bus = edits.bus_of(self._session.kit, pad.bus)
            goers = [p.name for p in self._session.kit.pads if p.bus == bus.id]
            return (bus.id, bus.name, *goers)
        return None

    def _show_head(self, pad: Pad | None, layer: Layer | None) -> None:
        self._rename.setEnabled(pad is not None)
        self.swap.button.setVisible(layer is not None)
        if pad is None:
            self._name.setText("Nothing selected")
            self._chip.setText("")
            return
        if layer is None:
            self._dot.set_dye(pad.dye)
            self._show_name(self._session.selection.who if self.tab == "Pad" else pad.name)
            plays = pad.alternates[pad.alternate].name if len(pad.alternates) > 1 else ""
            count = f"{pad.alternate + 1} of {len(pad.alternates)}"
            self._chip.setText(f"{plays[:16]}, {count}" if plays else "whole sound")
            self._chip.setToolTip(f"It plays {plays}, alternate {count}." if plays else "")
            return
        self._dot.set_dye(layer.dye)
        self._show_name(layer.name)
        self._chip.setToolTip("")
        place = pad.sound.layers.index(layer) + 1
        self._chip.setText(f"layer {place} of {len(pad.sound.layers)}")

    def _show_name(self, name: str) -> None:
        metrics = self._name.fontMetrics()
        self._name.setText(metrics.elidedText(name, Qt.TextElideMode.ElideRight, _NAME_PX))
        self._name.setToolTip(name)

    def _rebuild(self, pad: Pad | None, layer: Layer | None) -> None:
        put_away(self.stages, self)
        clear(self._body)
        clear(self._tab_line)
        self.fields = self._strikes = None
        self.tune_lines = self.print_lines = None
        self.voice_lines = None
        if pad is None:
            hint = label(
                "Click an empty place below for a new sound, or drop a sound file on one.", "soft"
            )
            hint.setWordWrap(True)
            self._body.addWidget(hint)
            self._body.addStretch(1)
            return
        for name in LAYER_TABS if layer is not None else WHOLE_TABS:
            made = tab(name)
            made.setChecked(name == self.tab)
            made.clicked.connect(lambda _, name=name: self.choose_tab(name))
            self._tab_line.addWidget(made)
        self._tab_line.addStretch(1)
        builders: dict[str, Callable[[], None]] = {
            "Source": self._build_source,
            "Tune": self._build_tune,
            "Envelope": self._build_envelope,
            "Band": self._build_band,
            "Stages": self._build_stages,
            "Live": self._build_live,
            "Pad": self._build_pad,
            "Bus": self._build_bus,
            "Master": self._build_master,
        }
        builders[self.tab]()
        self._body.addStretch(1)

    def gauge(self, field: str) -> Gauge | None:
        """The gauge of a field outside of stages, if the tab that is shown has one."""
        shown = [fields for fields in (self.fields, self._strikes) if fields is not None]
        return next((fields.gauge(field) for fields in shown if fields.has_gauge(field)), None)

    # Tabs of a layer.

    # Tabs of the whole.

    # Stages.

    def _show_row(self, pad: Pad, layer: Layer | None) -> None:
        name = layer.name if layer else pad.name
        if self.tab == "Master":
            self.row.show_row(RowPath(), "Master")
        elif self.tab == "Bus":
            bus = edits.bus_of(self._session.kit, pad.bus) if pad.bus else None
            self.row.show_row(RowPath(bus=bus.id) if bus else None, bus.name if bus else "")
        elif self.tab == "Live":
            self.row.show_row(RowPath(pad=pad.id, live=True), f"{pad.name} live")
        elif self.tab == "Stages":
            self.row.show_row(self._session.row, name)
            self._show_view(self._session.looks.view)
        else:
            self.row.hide_row(name)
            self.equalizer_changed.emit()

    # What comes from the workers.

    def _show_view(self, view: SoundView | None) -> None:
        if view is None or self.tab != "Stages":
            self.stages.show_overs({}, 1.0)
            return
        layer = self._session.layer
        if self.row.path.branches:
            self._look_inside(view, layer)
            return
        self.stages.show_overs(
            view.layer_overs.get(layer.id, {}) if layer else view.overs, view.rate_hz
        )

    def _look_inside(self, view: SoundView, layer: Layer | None) -> None:
        """What the stages of the branch that was entered do over the hit."""
        takes, path = self._session.renders.takes, self.row.path

        def show(overs: dict[str, Over]) -> None:
            if self.row.path == path:
                self.stages.show_overs(overs, view.rate_hz)

        known = next((k for k in view.sound.layers if layer and k.id == layer.id), None)
        self._session.background.start(
            lambda: takes.overs_in(view.sound, known, path.branches), show, key="inside"
        )

    def show_live_reductions(self) -> None:
        """The reductions of the pad, bus or master that is shown, as they play."""
        if self.tab not in _PLAYED_TABS or self.row.path.branches:
            return
        path = self.row.path
        bus = pad_node(path.pad or "") if path.live else path.bus or MASTER
        player = self._session.player
        ids = [card.stage.id for card in self.stages.cards]
        self.stages.show_reductions({key: player.reduction_db(bus, key) for key in ids})

    def _show_pitches(self, found: Pitches) -> None:
        if self.tune_lines is not None:
            self.tune_lines.show_pitches(found)

    def type_note(self) -> None:
        """Shows the tuning of what is selected, ready for a note to be typed."""
        self.choose_tab("Tune")
        if self.tune_lines is not None:
            self.tune_lines.note.setFocus()
            self.tune_lines.note.selectAll()

    def _ask_name(self) -> None:
        ask_rename(self._session, self)
