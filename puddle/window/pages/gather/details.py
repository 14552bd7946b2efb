"""The sound at hand: its figures, where it can be put, and what is like it."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from puddle.files import shown
from puddle.kit.model.document import Pad
from puddle.kit.model.roles import ROLES
from puddle.library.kit_pads import address
from puddle.library.pulls import Pulls
from puddle.library.rows import Entry
from puddle.parameter import changed, parameters
from puddle.units import pitch_text, plain, with_unit
from puddle.window.pages.gather.sound_list import paint_wave
from puddle.window.widgets.controls import button, elided, label, restyle, scrolled
from puddle.window.widgets.gauge import Gauge

_ENDS = {
    "length": ("shorter", "longer"),
    "brightness": ("darker", "brighter"),
    "pitch": ("lower", "higher"),
    "noise": ("cleaner", "noisier"),
}
_SHOWN = 14  # letters of a pad's name on a button
_EMPTY = "Choose a sound in the list: arrows and pointing at a wave play it."


class _Wave(QWidget):
    """The sound's wave, large."""

    def __init__(self) -> None:
        super().__init__()
        self.entry: Entry | None = None
        self.setFixedHeight(64)
        self.setAccessibleName("Wave")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.entry is not None:
            painter = QPainter(self)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            paint_wave(painter, QRectF(self.rect()).adjusted(1, 4, -1, -4), self.entry)


class Details(QWidget):
    """One sound."""

    put_wanted = pyqtSignal(str)  # source, layer, alternate, pad
    pulled = pyqtSignal()
    near_chosen = pyqtSignal(object)  # an entry
    role_corrected = pyqtSignal(str)
    unlike_wanted = pyqtSignal()
    other_wanted = pyqtSignal()  # what it is compared with is to be another

    def __init__(self) -> None:
        super().__init__()
        self.entry: Entry | None = None
        self.pulls = Pulls()
        column = QVBoxLayout()
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(6)
        self._name, self._where = elided("", "title"), elided("", "soft")
        self._empty = label(_EMPTY, "soft")
        self._empty.setWordWrap(True)
        self._wave = _Wave()
        for widget in (self._name, self._where, self._empty, self._wave):
            column.addWidget(widget)
        self._lines = [elided("", "soft") for _ in range(3)]
        for line in self._lines:
            column.addWidget(line)
        column.addLayout(self._role_row())
        column.addLayout(self._put_rows())
        column.addSpacing(4)
        self._like = elided("More like this, but", "title")
        column.addWidget(self._like)
        self.gauges = {}
        for p in parameters(Pulls):
            gauge = Gauge(p, 0.0, name_px=76)
            gauge.moved.connect(lambda value, field=p.field: self.pull(field, value))
            self.gauges[p.field] = gauge
            column.addWidget(gauge)
        column.addLayout(self._like_row())
        self.near = QListWidget()
        self.near.setAccessibleName("Sounds like this one")
        self.near.setToolTip("Nearest first; a click plays one, and makes it the sound at hand.")
        self.near.currentItemChanged.connect(self._tell_near)
        self._filling = False
        self.near.setMinimumHeight(60)
        column.addWidget(self.near, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scrolled(column))
        self.show_entry(None, None)

    def _like_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.unlike = button(
            "Less like", "Leads away from the sound at hand, in what is found from now on.",
            self.unlike_wanted.emit,
        )  # fmt: skip
        self.other = button(
            "Like …", "What is like the pad, or like something on its shelf of Compare.",
            self.other_wanted.emit, name="Like something else",
        )  # fmt: skip
        self.before = button("‹", "The one before, heard.", lambda: self.step(-1), name="Before")
        self.after = button("›", "The next nearest, heard.", lambda: self.step(1), name="Next")
        for made in (self.before, self.after):
            made.setFixedWidth(34)
        row.addWidget(self.other)
        row.addWidget(self.unlike)
        row.addStretch(1)
        row.addWidget(self.before)
        row.addWidget(self.after)
        return row

    def step(self, by: int) -> None:
        """Goes through what is near."""
        row = self.near.currentRow() + by
        if 0 <= row < self.near.count():
            self.near.setCurrentRow(row)

    def _tell_near(self, item: QListWidgetItem | None) -> None:
        if item is not None and not self._filling:
            self.near_chosen.emit(item.data(Qt.ItemDataRole.UserRole))

    def _role_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(label("Role", "soft"))
        self.role = QComboBox()
        self.role.addItems(list(ROLES))
        self.role.setAccessibleName("Role")
        self.role.setToolTip("What it is. A correction is kept, and teaches what is like it.")
        self.role.activated.connect(lambda _: self.role_corrected.emit(self.role.currentText()))
        row.addWidget(self.role, 1)
        return row

    def _put_rows(self) -> QVBoxLayout:
        rows = QVBoxLayout()
        rows.setSpacing(6)
        first, second = QHBoxLayout(), QHBoxLayout()
        self.put = button(
            "", "In the place of the selected source; all else stays. Enter.",
            lambda: self.put_wanted.emit("source"), name="Put on the pad",
        )  # fmt: skip
        self.layer = button(
            "New layer", "As a layer more of the selected pad. Shift and Enter.",
            lambda: self.put_wanted.emit("layer"),
        )  # fmt: skip
        self.alternate = button(
            "Alternate", "As another whole sound of the selected pad. Alt and Enter.",
            lambda: self.put_wanted.emit("alternate"),
        )  # fmt: skip
        self.pad = button(
            "New pad", "On a pad of its own. Ctrl and Enter.", lambda: self.put_wanted.emit("pad")
        )
        first.addWidget(self.put, 1)
        first.addWidget(self.layer)
        second.addWidget(self.alternate)
        second.addWidget(self.pad)
        rows.addLayout(first)
        rows.addLayout(second)
        return rows

    def pull(self, field: str, value: float) -> None:
        """Moves a gauge: what is near is asked for again."""
        self.pulls = changed(self.pulls, **{field: value})
        self.pulled.emit()

    def show_entry(self, entry: Entry | None, pad: Pad | None) -> None:
        """Shows a sound, and where it would go."""
        self.entry = entry
        self._wave.entry = entry
        self._empty.setVisible(entry is None)
        self._where.setVisible(entry is not None)
        self._wave.update()
        for part in (self.put, self.pad, self.role):
            part.setEnabled(entry is not None)
        self.show_pad(pad)
        if entry is None:
            self._name.setText("No sound chosen")
            self._where.setText("")
            self.role.setCurrentIndex(-1)
            for line in self._lines:
                line.setText("")
            return
        self._name.setText(entry.name.rsplit(".", 1)[0] or entry.name)
        self._where.setText(_where(entry))
        self._where.setToolTip(shown(entry.path))
        self.role.setCurrentText(entry.role)
        for line, text in zip(self._lines, _figures(entry), strict=True):
            line.setText(text)
            restyle(line, "soft")

    def show_pad(self, pad: Pad | None) -> None:
        """Names the pad that a sound would be put on."""
        named = "a new pad" if pad is None else pad.name
        cut = named if len(named) <= _SHOWN else f"{named[: _SHOWN - 1].rstrip()}…"
        self.put.setText(f"Put on {cut}")
        for part in (self.layer, self.alternate):
            part.setEnabled(self.entry is not None and pad is not None)

    def show_near(self, name: str, found: list[tuple[Entry, float]]) -> None:
        """Shows the sounds nearest to a question."""
        own = self.entry is not None and name == self.entry.name
        self._like.setText("More like this, but" if own else f"Like {name}, but")
        self._filling = True
        self.near.clear()
        for entry, apart in found:
            item = QListWidgetItem(entry.name.rsplit(".", 1)[0] or entry.name)
            item.setData(Qt.ItemDataRole.UserRole, entry)
            item.setToolTip(f"{shown(entry.path)}\n{apart:.0f} apart")
            self.near.addItem(item)
        self._filling = False


def _where(entry: Entry) -> str:
    told = entry.measured
    of_kit = address(entry.path)
    if of_kit is not None:
        return f"a pad of the kit {of_kit[0].stem}"
    if entry.synthesized:
        return "synthesized: a starting point"
    sides = "stereo" if told.get("channels") == 2 else "mono"
    rate = (told.get("sample_rate_hz") or 0.0) / 1000.0
    place = shown(entry.path).rsplit("/", 2)
    return f"{place[-2] if len(place) > 1 else ''} · {rate:g} kHz {sides}"


def _figures(entry: Entry) -> tuple[str, str, str]:
    told = entry.measured
    hz = told.get("fundamental_hz")
    first = [
        _part("peak", told.get("peak_dbfs"), "dBFS"),
        _part("", told.get("loudness_lufs"), "LUFS"),
    ]
    attack = None if entry.beats else told.get("attack_ms")
    second = [
        _part("attack", attack, "ms"),
        _part("decay", told.get("decay_60_ms"), "ms"),
    ]
    if entry.beats:
        third = f"{entry.beats} beats at {plain(entry.bpm, 1)} bpm"
    else:
        third = pitch_text(hz) if hz else "no settled pitch"
    return " · ".join(filter(None, first)), " · ".join(filter(None, second)), third


def _part(name: str, value: float | None, unit: str) -> str:
    if value is None:
        return ""
    return f"{name} {with_unit(value, unit, 1).removeprefix('+')}".strip()
