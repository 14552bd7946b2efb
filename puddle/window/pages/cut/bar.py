"""The row over the wave: which recording it is, and the gauges that find its hits."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from puddle.kit.model.document import Recording
from puddle.parameter import parameters
from puddle.window.session.recording_looks import Looked
from puddle.window.widgets.controls import button, elided, label
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.recording_span import lasting

_WIDE_PX = 1120
_GAUGES = ("sensitivity", "gap_ms", "ends_db")


class RecordingBar(QWidget):
    """Name, facts, gauges, count."""

    chosen = pyqtSignal(str)  # a recording's id
    moved = pyqtSignal(str, float, str)  # field, value, text
    settled = pyqtSignal()

    def __init__(self, ask: Callable[[], object], record: Callable[[], object]) -> None:
        super().__init__()
        self._ids: tuple[str, ...] = ()
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 5, 12, 5)
        row.setSpacing(10)
        self.names = QComboBox()
        self.names.setAccessibleName("Recording")
        self.names.setToolTip("The recordings that the kit names.")
        self.names.setMinimumWidth(150)
        self.names.activated.connect(self._choose)
        row.addWidget(self.names)
        row.addWidget(button("Open …", "Another recording to cut hits out of.", ask))
        self.record = button("Record …", "An input of the sound card.", record)
        row.addWidget(self.record)
        self.facts = elided("", "soft")
        row.addWidget(self.facts)
        self.gauges: dict[str, Gauge] = {}
        for known in parameters(Recording):
            if known.field in _GAUGES:
                gauge = Gauge(known, known.default)
                gauge.setMinimumWidth(206)
                gauge.moved.connect(
                    lambda value, k=known: self.moved.emit(
                        k.field, value, f"{k.label.lower()} {k.text(value)}"
                    )
                )
                gauge.settled.connect(self.settled)
                self.gauges[known.field] = gauge
                row.addWidget(gauge, 1)
        self.count = label("", "title")
        self.count.setMinimumWidth(56)
        row.addWidget(self.count)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window the gauges come first; what goes is in the menu, or a tooltip."""
        super().resizeEvent(event)
        wide = self.width() >= _WIDE_PX
        self.record.setVisible(wide)
        self.facts.setVisible(wide)
        self.names.setMinimumWidth(150 if wide else 104)

    def _choose(self, place: int) -> None:
        if 0 <= place < len(self._ids):
            self.chosen.emit(self._ids[place])

    def show_recording(
        self, all_: Sequence[Recording], shown: Recording, known: Looked | None, count: int | None
    ) -> None:
        """The recording that is shown, among all; how many hits it has, None while it is looked
        at."""
        ids = tuple(r.id for r in all_)
        names = [r.name for r in all_]
        if ids != self._ids or names != [self.names.itemText(n) for n in range(len(ids))]:
            self._ids = ids
            self.names.clear()
            self.names.addItems(names)
        self.names.setCurrentIndex(ids.index(shown.id))
        for field, gauge in self.gauges.items():
            gauge.set_value(getattr(shown, field))
        self.facts.setText(_facts(known))
        self.names.setToolTip(f"The recordings that the kit names. {_facts(known)}")
        self.count.setText("" if count is None else f"{count} hit{'' if count == 1 else 's'}")


def _facts(known: Looked | None) -> str:
    if known is None or known.file is None:
        return ""
    file = known.file
    rate = f"{file.rate_hz / 1000.0:g} kHz"
    wide = {1: "mono", 2: "stereo"}.get(
        file.file_channels, f"{file.file_channels} channels, mixed down"
    )
    return f"{lasting(file.seconds)} · {rate} {wide}"
