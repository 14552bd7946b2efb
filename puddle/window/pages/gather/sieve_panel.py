"""The sieve: ranges of measures, words, roles and kinds; together they are a query."""

from __future__ import annotations

from functools import partial

import msgspec
import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QMenu, QPushButton, QVBoxLayout, QWidget

from puddle.kit.model.roles import ROLES
from puddle.library.rows import Entry
from puddle.library.search import MEASURES, Query, Sieved
from puddle.window.session.timing import once_after
from puddle.window.widgets.controls import button, label, panel, toggle
from puddle.window.widgets.flow import Flow
from puddle.window.widgets.passing import empty
from puddle.window.widgets.sieve_range import SieveRange

_SHOWN = ("length_ms", "brightness_hz", "pitch_hz", "loudness_lufs", "attack_ms")
_WORDS_MS = 120
_AROUND = 1.25  # "as long as this": so much to either side
_KINDS = (
    ("never_used", "Never used", "Sounds that no kit of this session uses."),
    ("synthesized", "Synthesized", "Starting points: recipes whose gauges can be moved."),
    ("recorded", "Recorded", "Sound files."),
    ("loops", "Loops", "Recordings that hold whole beats."),
    ("one-shots", "One-shots", "What is no loop."),
    ("doubles", "Doubles", "Near-doubles in rows of their own, instead of one row for all."),
)


class SievePanel(QWidget):
    """Tells whenever what is asked for is another."""

    asked = pyqtSignal()
    keep_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.ranges = {m.field: SieveRange(m) for m in MEASURES}
        self._query = Query()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addWidget(panel(self._range_row()))
        column.addWidget(panel(self._word_row()))

    def _range_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(8, 8, 8, 2)
        row.setSpacing(4)
        for field, part in self.ranges.items():
            part.moved.connect(partial(self._set_range, field))
            part.setVisible(field in _SHOWN)
            row.addWidget(part, 1)
        self.measures = QMenu(self)
        self.measures.aboutToShow.connect(self._fill_measures)
        more = button("…", "Which measures are shown.", self._show_measures, name="Measures")
        more.setFixedWidth(34)
        self._more = more
        row.addWidget(more, 0, Qt.AlignmentFlag.AlignTop)
        return row

    def _word_row(self) -> QVBoxLayout:
        rows = QVBoxLayout()
        rows.setContentsMargins(12, 8, 12, 8)
        rows.setSpacing(8)
        first, second = Flow(), Flow()
        self.words = QLineEdit()
        self.words.setPlaceholderText("words in name, folder or tag")
        self.words.setAccessibleName("Words")
        self.words.setToolTip("Every word has to stand in the name, a folder or a tag.")
        self.words.setClearButtonEnabled(True)
        self.words.setMinimumWidth(110)
        self._typing = once_after(self, _WORDS_MS, self._set_words)
        self.words.textChanged.connect(lambda _: self._typing.start())
        first.add_greedy(self.words)
        self.roles: dict[str, QPushButton] = {}
        for role in ROLES:
            made = toggle(role, f"Only sounds taken for a {role}; several may be on.")
            made.toggled.connect(self._set_roles)
            self.roles[role] = made
            first.addWidget(made)
        self.kinds: dict[str, QPushButton] = {}
        for kind, title, says in _KINDS:
            made = toggle(title, says)
            made.toggled.connect(partial(self._set_kind, kind))
            self.kinds[kind] = made
            second.addWidget(made)
        self.count, self.of = label("", "title"), label("", "soft")
        second.addWidget(button("Clear", "Takes all ranges, words and kinds back.", self.clear))
        second.addWidget(
            button("Keep search …", "Keeps what is asked for under a name; it stays current.",
                   self.keep_wanted.emit)
        )  # fmt: skip
        rows.addLayout(first)
        rows.addLayout(second)
        return rows

    # Measures.

    def _show_measures(self) -> None:
        self.measures.popup(self._more.mapToGlobal(self._more.rect().bottomLeft()))

    def _fill_measures(self) -> None:
        empty(self.measures)
        for measure in MEASURES:
            action = self.measures.addAction(measure.label)
            if action is not None:
                action.setCheckable(True)
                action.setChecked(not self.ranges[measure.field].isHidden())
                action.toggled.connect(partial(self.show_measure, measure.field))

    def show_measure(self, field: str, on: bool) -> None:
        """Shows or hides a measure; one that is hidden lets everything through."""
        self.ranges[field].setVisible(on)
        if not on and field in self._query.ranges:
            self.ranges[field].show_range(None)
            self._set_range(field, None)

    # The query.

    @property
    def query(self) -> Query:
        """What is asked for, wherever it lies."""
        return self._query

    def show_query(self, query: Query) -> None:
        """Shows what is asked for, and asks."""
        self._query = msgspec.structs.replace(query, folder="", collection="", judged="")
        for field, part in self.ranges.items():
            chosen = query.ranges.get(field)
            part.show_range(chosen)
            if chosen is not None:
                part.show()
        on = {
            "never_used": query.never_used,
            "doubles": query.doubles,
            query.made: bool(query.made),
            query.shape: bool(query.shape),
        }
        parts = [*self.roles.values(), *self.kinds.values(), self.words]
        for widget in parts:
            widget.blockSignals(True)
        self.words.setText(query.words)
        for role, made in self.roles.items():
            made.setChecked(role in query.roles)
        for kind, made in self.kinds.items():
            made.setChecked(on.get(kind, False))
        for widget in parts:
            widget.blockSignals(False)
        self.asked.emit()

    def clear(self) -> None:
        """Asks for everything."""
        self.show_query(Query())

    def near(self, field: str, value: float) -> None:
        """A range around a sound's own figure."""
        measure = self.ranges[field].measure
        by = _AROUND if measure.log else 0.0
        ends = (value / by, value * by) if by else (value - 3.0, value + 3.0)
        self.ranges[field].show()
        self.ranges[field].show_range(ends)
        self._set_range(field, ends)

    def _change(self, **values: object) -> None:
        self._query = msgspec.structs.replace(self._query, **values)
        self.asked.emit()

    def _set_range(self, field: str, chosen: tuple[float, float] | None) -> None:
        ranges = {f: r for f, r in self._query.ranges.items() if f != field}
        if chosen is not None:
            ranges[field] = chosen
        self._change(ranges=ranges)

    def _set_words(self) -> None:
        self._change(words=self.words.text())

    def _set_roles(self) -> None:
        self._change(roles=tuple(role for role, made in self.roles.items() if made.isChecked()))

    def _set_kind(self, kind: str, on: bool) -> None:
        others = {"synthesized": "recorded", "recorded": "synthesized",
                  "loops": "one-shots", "one-shots": "loops"}  # fmt: skip
        if on and kind in others:
            other = self.kinds[others[kind]]
            other.blockSignals(True)
            other.setChecked(False)
            other.blockSignals(False)
        if kind in ("never_used", "doubles"):
            self._change(**{kind: on})
        elif kind in ("synthesized", "recorded"):
            self._change(made=kind if on else "")
        else:
            self._change(shape=kind if on else "")

    def show_answer(self, sieved: Sieved) -> None:
        """How many remain, and how they are spread."""
        self.count.setText(f"{sieved.ids.size:,}")
        self.of.setText(f"of {sieved.of:,} remain")
        for n, measure in enumerate(MEASURES):
            self.ranges[measure.field].show_counts(np.asarray(sieved.histograms[n], np.float64))


def figures_of(entry: Entry) -> dict[str, float]:
    """An entry's figures by the measures' fields, those that it has."""
    told = entry.measured
    found = {
        "length_ms": told.get("length_ms"),
        "brightness_hz": told.get("centroid_hz"),
        "pitch_hz": told.get("fundamental_hz"),
        "loudness_lufs": told.get("loudness_lufs"),
        "attack_ms": told.get("attack_ms"),
        "decay_ms": told.get("decay_60_ms"),
        "noisiness": told.get("flatness"),
        "bpm": entry.bpm or None,
    }
    return {field: value for field, value in found.items() if value is not None}
