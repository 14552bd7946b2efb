"""How files are made: a row for each choice."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QWidget

from puddle.deliver.names import FIELDS, unknown
from puddle.deliver.options import FORMATS, NAME_SCHEME, RATES, SOURCES
from puddle.parameter import Parameter, Scale
from puddle.window.session.deliverer import Deliverer
from puddle.window.widgets.chips import Chips
from puddle.window.widgets.controls import elided, label, restyle, toggle
from puddle.window.widgets.field import Field
from puddle.window.widgets.flow import Flow
from puddle.window.widgets.gauge import Gauge

_SOURCE_SAYS = {
    "dry": "Each sound at its pad's level and place, without what runs live.",
    "live": "Through the pad's own live stages, until it has rung out.",
    "bus": "Through the pad's buses, rooms and sends as well.",
    "master": "Through all that the mix does, the master's stages too.",
}
_FORMAT_SAYS = {
    "wav 24": "What most take.",
    "wav 16": "With dither, for what takes no more.",
    "wav 32f": "Never clipped, for further work.",
    "flac": "24 bits, about half as large, nothing lost.",
    "aiff": "24 bits.",
}
_LOUDNESS = {"as it is": "as it is", "peak": "peak", "by role": "by role"}
_LOUDNESS_SAYS = {
    "as it is": "As loud as in the kit.",
    "peak": "Each pad's hardest strike has the true peak that is set; strengths stay apart.",
    "by role": "Each pad as loud as its role, under the peak that is set; strengths stay apart.",
}
_STRENGTHS = {"each": "each", "hardest": "hardest only"}
_FOLDERS = {"by role": "by role", "by pad": "by pad", "none": "none"}
_TAILS = {"ring out": "ring out", "wrapped": "wrapped"}
_TAIL_SAYS = {
    "ring out": "A groove's file goes on until nothing rings any more.",
    "wrapped": "What rings on is laid over the beginning: the file is exactly its bars, and loops.",
}
_STEMS = {"bus": "by bus", "lane": "by lane"}
_NAME_PX = 92


class OptionRows(QWidget):
    """Names of the rows on the left, their choices on the right."""

    def __init__(self, deliverer: Deliverer) -> None:
        super().__init__()
        self._deliverer = deliverer
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 4, 6, 0)
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(7)
        self.grid.setColumnStretch(1, 1)
        self._names()
        rates = {str(rate): f"{rate / 1000:g} kHz" for rate in RATES}
        self.source = self._chips("Taken from", "source", SOURCES, _SOURCE_SAYS)
        self.format = self._chips("Format", "format", FORMATS, _FORMAT_SAYS)
        self.rate = self._chips("Rate", "rate_hz", rates, {})
        self.loudness = self._chips("Loudness", "loudness", _LOUDNESS, _LOUDNESS_SAYS)
        self.peak = self._gauge("peak_db", "True peak", -24.0, 0.0, -1.0, "dB",
                                "How high the hardest strike comes.")  # fmt: skip
        self.strengths = self._chips("Strengths", "strengths", _STRENGTHS, {
            "each": "A file for each strength that sounds different.",
            "hardest": "A file for full strength alone.",
        })  # fmt: skip
        self.folders = self._chips("Folders", "folders", _FOLDERS, {})
        self.tail = self._gauge("tail_db", "Tails end at", -120.0, -40.0, -90.0, "dB",
                                "How soft a tail is, beside the peak, when it ends.")  # fmt: skip
        self.fade = self._gauge("fade_ms", "then fade", 0.0, 500.0, 20.0, "ms",
                                "How long the fade after that is.")  # fmt: skip
        self._switches()
        self.tails = self._chips("Grooves", "tails", _TAILS, _TAIL_SAYS)
        self.stems = self._chips("Stems", "stems_by", _STEMS, {
            "bus": "A file for each bus: they add up to what enters the master.",
            "lane": "A file for each lane, through its buses.",
        })  # fmt: skip
        self._tempos()
        self.show_options()

    # Building.

    def _put(self, name: str, widget: QWidget) -> None:
        row = self.grid.rowCount()
        said = label(name, "soft")
        self.grid.addWidget(said, row, 0, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self.grid.addWidget(widget, row, 1)

    def _chips(
        self, name: str, field: str, choices: Mapping[Any, str], says: dict[str, str]
    ) -> Chips:
        made = Chips(name, choices, says)
        made.chosen.connect(partial(self._set, field))
        self._put(name, made)
        return made

    def _gauge(
        self, field: str, name: str, low: float, high: float, value: float, unit: str, says: str
    ) -> Gauge:
        known = Parameter(
            field=field, label=name, low=low, high=high, default=value, unit=unit,
            scale=Scale.LINEAR, decimals=0, says=says, part="", kind="number",
        )  # fmt: skip
        made = Gauge(known, value, name_px=_NAME_PX)
        made.moved.connect(lambda moved: self._deliverer.set_options(**{field: float(moved)}))
        self.grid.addWidget(made, self.grid.rowCount(), 0, 1, 2)
        return made

    def _names(self) -> None:
        self.scheme = Field()
        self.scheme.setAccessibleName("Scheme of names")
        fields = "\n".join(f"{{{field}}}  {says}" for field, says in FIELDS.items())
        self.scheme.setToolTip(
            f"How one-shots are named. A word whose field is empty is left out.\n{fields}"
        )
        self.scheme.setPlaceholderText(NAME_SCHEME)
        self.scheme.editingFinished.connect(self._take_scheme)
        self.scheme.textEdited.connect(self._judge_scheme)
        self._put("Names", self.scheme)
        self.example: QLabel = elided("", "soft")
        self.grid.addWidget(self.example, self.grid.rowCount(), 1)

    def _switches(self) -> None:
        row = Flow()
        holder = QWidget()
        holder.setLayout(row)
        self.switches: dict[str, QPushButton] = {}
        for field, text, says in (
            ("turns", "turns", "A file for each turn of a round robin."),
            ("alternates", "alternates", "The alternates that do not play now, too."),
            ("mono", "mono where equal", "One channel where both sides are the same."),
            ("loops", "keys and loops", "Root keys, loops and tempo inside WAV files."),
            ("later_opcodes", "voice limits", "SFZ's later opcode for how many voices may ring."),
        ):
            pill = toggle(text, says)
            pill.clicked.connect(lambda on, field=field: self._deliverer.set_options(**{field: on}))
            self.switches[field] = pill
            row.addWidget(pill)
        self._put("With", holder)

    def _tempos(self) -> None:
        self.tempos = Field()
        self.tempos.setAccessibleName("Tempos of grooves")
        self.tempos.setPlaceholderText("the kit's")
        self.tempos.setToolTip("Grooves at several tempos at once, as 90, 104, 120.")
        self.tempos.editingFinished.connect(self._take_tempos)
        self._put("Tempos", self.tempos)

    # Taken.

    def _set(self, field: str, value: str) -> None:
        self._deliverer.set_options(**{field: int(value) if field == "rate_hz" else value})

    def _judge_scheme(self, text: str) -> None:
        wrong = unknown(text)
        restyle(self.example, "warning" if wrong else "soft")
        if wrong:
            self.example.setText(f"{{{wrong[0]}}} stands for nothing.")

    def _take_scheme(self) -> None:
        text = self.scheme.text().strip() or NAME_SCHEME
        if not unknown(text) and text != self._deliverer.options.scheme:
            self._deliverer.set_options(scheme=text)

    def _take_tempos(self) -> None:
        words = self.tempos.text().replace(",", " ").split()
        try:
            found = [float(word) for word in words]
        except ValueError:
            self.show_options()
            return
        if tuple(found) != self._deliverer.options.tempos:
            self._deliverer.set_options(tempos=found)

    def show_options(self) -> None:
        """The choices as they are, and a name as the scheme makes it."""
        options = self._deliverer.options
        for chips, value in (
            (self.source, options.source),
            (self.format, options.format),
            (self.rate, str(options.rate_hz)),
            (self.loudness, options.loudness),
            (self.strengths, options.strengths),
            (self.folders, options.folders),
            (self.tails, options.tails),
            (self.stems, options.stems_by),
        ):
            chips.choose(value)
        self.peak.set_value(options.peak_db)
        self.tail.set_value(options.tail_db)
        self.fade.set_value(options.fade_ms)
        self.peak.setEnabled(options.loudness != "as it is")
        for field, pill in self.switches.items():
            pill.setChecked(bool(getattr(options, field)))
        if not self.scheme.hasFocus():
            self.scheme.setText(options.scheme)
        if not self.tempos.hasFocus():
            self.tempos.setText(", ".join(f"{bpm:g}" for bpm in options.tempos))
        plan = self._deliverer.plan
        shots = plan.of("one-shots") if plan is not None else []
        self.example.setText(shots[len(shots) // 2].path.rpartition("/")[2] if shots else "")
        restyle(self.example, "soft")
