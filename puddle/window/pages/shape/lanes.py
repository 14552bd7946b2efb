"""The left of Shape: the whole sound and its layers as lanes, headers beside canvases."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from puddle.kit.model.document import Layer, Pad
from puddle.render.take import lead_ms
from puddle.units import THIN, pitch_text, plain, with_unit
from puddle.views.handles import Drag
from puddle.views.sound import Pitches, SoundView
from puddle.window import theme
from puddle.window.files.carried_sounds import CarriedSounds
from puddle.window.pages.shape.edges import Edges
from puddle.window.pages.shape.layer_header import HEADER_PX, LayerHeader
from puddle.window.session.measuring import out_peak_db
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, label, restyle, scrolled
from puddle.window.widgets.strata import Canvas, Ruler
from puddle.window.widgets.time_axis import TimeAxis

_TOLD_DB = 0.05  # by which two peaks are shown apart


def _style(widget: QWidget, style: str) -> None:
    """Qt looks through everything below a widget whenever its style is set, another or not."""
    if widget.styleSheet() != style:
        widget.setStyleSheet(style)


class Lanes(QWidget):
    """The strata of the selected pad's sound."""

    layer_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.sounds = CarriedSounds(session)
        self.axis = TimeAxis()
        self._headers: dict[str, LayerHeader] = {}
        self._canvases: dict[str, Canvas] = {}
        self._rows: dict[str, QWidget] = {}
        self._edges = Edges(session)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(6, 8, 8, 6)
        outer.setSpacing(2)
        top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(self._whole_header())
        self.whole = Canvas(self.axis)
        self.whole.setAccessibleName("Whole sound")
        self.whole.setMinimumHeight(96)
        self.whole.selected.connect(lambda: session.selection.select_layer(None))
        top.addWidget(self.whole, 1)
        self._top = QWidget()
        self._top.setLayout(top)
        top.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self._top, 5)
        self._list = QVBoxLayout()
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(2)
        scroll = scrolled(self._list)
        self._empty = label(
            "This sound has no layers yet.\nDrop a sound file here, or choose Add layer.",
            "soft",
        )
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        bar = scroll.verticalScrollBar()
        if bar is not None:
            bar.rangeChanged.connect(self._make_room)
        outer.addWidget(scroll, 11)
        self._list.addWidget(self._empty)
        self._under = QHBoxLayout()
        under = QWidget()
        under.setFixedWidth(HEADER_PX)
        left = QHBoxLayout(under)
        left.setContentsMargins(8, 0, 0, 0)
        self.add = button(
            "Add layer",
            "Another voice or sound file, heard together with the others.",
            self.layer_wanted.emit,
        )
        left.addWidget(self.add)
        left.addStretch(1)
        self._under.addWidget(under)
        self._under.addSpacing(6)
        self._under.addWidget(Ruler(self.axis), 1)
        outer.addLayout(self._under)
        session.looks.view_ready.connect(self._show_view)
        session.looks.pitches_ready.connect(self._show_pitches)
        session.selection_changed.connect(self.show_kit)
        session.kit_changed.connect(self.show_kit)

    def _make_room(self, first: int, last: int) -> None:
        """Where the lanes have a scroll bar, the time axes over and under them end with it."""
        room = 9 if last > first else 0
        for line in (self._top.layout(), self._under):
            if line is not None:
                line.setContentsMargins(0, 0, room, 0)

    def _whole_header(self) -> QWidget:
        made = QWidget()
        made.setFixedWidth(HEADER_PX)
        grid = QGridLayout(made)
        grid.setContentsMargins(8, 4, 4, 2)
        grid.setVerticalSpacing(1)
        self._name = label("", "title")
        self._count = label("", "soft")
        self.pitch = button(
            "", "", lambda: self._session.tuning_wanted.emit(None),
            name="Measured pitch of the whole sound",
        )  # fmt: skip
        self.peak = label("", "soft")
        self._loudness = label("", "soft")
        self.pitch.setObjectName("quiet")
        lines: list[QLabel | QPushButton] = [
            self._name, self._count, self.pitch, self.peak, self._loudness,
        ]  # fmt: skip
        for row, line in enumerate(lines):
            if row:
                line.setFont(theme.text_font(12))
                # Of one size, so that another text does not lay out the whole window anew.
                line.setFixedSize(HEADER_PX - 14, line.fontMetrics().height() + 2)
            grid.addWidget(line, row, 0)
        grid.setRowStretch(len(lines), 1)
        return made

    # Showing.

    def show_kit(self) -> None:
        """Headers and lanes as the kit has them; canvases follow when they are rendered."""
        pad = self._session.pad
        layers = pad.sound.layers if pad else ()
        if list(self._headers) != [layer.id for layer in layers]:
            self._rebuild(layers)
        for layer in layers:
            self._headers[layer.id].show_layer(layer)
        self._show_name(pad)
        self._show_selection()
        self._show_view(self._session.looks.view)

    def _show_name(self, pad: Pad | None) -> None:
        """The pad's name and, of several sounds, the one that plays."""
        name, tip = (pad.name, pad.name) if pad is not None else ("No pad", "")
        if pad is not None and len(pad.alternates) > 1:
            plays = pad.alternates[pad.alternate].name
            tip = f"{pad.name} plays {plays}"
            name = pad.name if plays == pad.name else f"{pad.name} · {plays}"
        metrics = self._name.fontMetrics()
        shown = metrics.elidedText(name, Qt.TextElideMode.ElideRight, HEADER_PX - 14)
        self._name.setText(shown)
        self._name.setToolTip(tip)

    def _rebuild(self, layers: tuple[Layer, ...]) -> None:
        while self._list.count():
            item = self._list.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None and widget is not self._empty:
                widget.hide()
                widget.deleteLater()
        self._headers, self._canvases, self._rows = {}, {}, {}
        self._empty.setVisible(not layers)
        if not layers:
            self._list.addWidget(self._empty)
        for layer in layers:
            header = LayerHeader(self._session, layer, self.sounds)
            canvas = Canvas(self.axis)
            canvas.setAccessibleName(f"{layer.name}: place in time")
            canvas.setMinimumHeight(70)
            canvas.selected.connect(lambda key=layer.id: self._session.selection.select_layer(key))
            canvas.dragged.connect(partial(self._drag, canvas, layer.id))
            canvas.settled.connect(self._edges.let_go)
            row = QWidget()
            row.setObjectName("lane")
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            line.setSpacing(6)
            line.addWidget(header)
            line.addWidget(canvas, 1)
            self._list.addWidget(row, 1)
            self._headers[layer.id], self._canvases[layer.id] = header, canvas
            self._rows[layer.id] = row

    def _drag(self, canvas: Canvas, layer_id: str, drag: Drag) -> None:
        landing = self._edges.drag(layer_id, drag)
        canvas.tell(None if self._session.drag_cancelled else landing)

    def _show_selection(self) -> None:
        chosen = self._session.selection.layer_id
        style = f"#lane {{ background: {theme.chosen_ground().name()}; border-radius: 8px; }}"
        for key, row in self._rows.items():
            _style(row, style if key == chosen else "")
            self._canvases[key].set_chosen(key == chosen)
        self._top.setObjectName("lane")
        _style(self._top, style if chosen is None else "")
        self.whole.set_chosen(chosen is None)

    def _show_view(self, view: SoundView | None) -> None:
        pad = self._session.pad
        if view is None or pad is None or not pad.sound.layers:
            for line in (self._count, self.pitch, self.peak, self._loudness):
                line.setText("")
            for shown in (self.whole, *self._canvases.values()):
                shown.show_sound(np.zeros((1, 2), np.float32), 48000.0, None)
            return
        length = 1000.0 * view.whole.shape[0] / view.rate_hz
        longest = max([length, *(1000.0 * a.shape[0] / view.rate_hz for a in view.layers.values())])
        self.axis.set_whole(min(longest, 4.0 * length))
        count = len(pad.sound.layers)
        layers = f"{count} layer{'' if count == 1 else 's'}"
        self._count.setText(f"{layers}, {with_unit(length, 'ms', 0)}")
        self._show_peak(view.peak_db, out_peak_db(pad, view.side_peaks_db))
        loud = view.loudness_lufs
        self._loudness.setText(
            f"loudness {with_unit(loud, 'LUFS', 1)}" if loud is not None else "silent"
        )
        self.whole.show_sound(view.whole, view.rate_hz, view.shape)
        lead = lead_ms(pad.sound)
        for layer in pad.sound.layers:
            canvas, audio = self._canvases.get(layer.id), view.layers.get(layer.id)
            if canvas is not None and audio is not None:
                found = view.recordings.get(layer.id)
                recorded_ms = 1000.0 * found.audio.shape[0] / found.rate_hz if found else 0.0
                canvas.show_layer(audio, view.rate_hz, layer, lead, recorded_ms)

    def _show_peak(self, peak_db: float, out_db: float) -> None:
        """The sound's peak and, where the pad's level and pan make it another, that."""
        over, same = out_db > 0.0, abs(out_db - peak_db) < _TOLD_DB
        out = with_unit(out_db, "dBFS", 1)
        if over:
            self.peak.setText(f"{'peak' if same else 'out'} {out} over")
        else:
            self.peak.setText(f"peak {out}" if same else f"peak {plain(peak_db, 1)}, out {out}")
        restyle(self.peak, "warning" if over else "soft")
        self.peak.setToolTip(
            "Over full scale: what is exported with 16 or 24 bits is clipped. Lower the pad or a "
            "layer, or put a limiter last."
            if over
            else "The highest sample of the whole sound, struck at full velocity; out: after the "
            "pad's own level and pan, as it is exported."
        )

    def _show_pitches(self, found: Pitches) -> None:
        hz = found.whole.hz
        self.pitch.setText(pitch_text(hz) if hz is not None else "no settled pitch")
        self.pitch.setEnabled(hz is not None)
        sure = f"Measured, {100 * found.whole.confidence:.0f}{THIN}% sure."
        click = " Click to type another note." if hz is not None else ""
        self.pitch.setToolTip(f"The settled fundamental of the whole sound. {sure}{click}")
        for key, header in self._headers.items():
            header.show_pitch(found.layers.get(key))

    def canvas(self, layer_id: str) -> Canvas:
        """A layer's canvas."""
        return self._canvases[layer_id]

    def header(self, layer_id: str) -> LayerHeader:
        """A layer's header."""
        return self._headers[layer_id]
