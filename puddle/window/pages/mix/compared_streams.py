"""Which stream is analyzed, and what lies beside it: another stream, or a file of the shelf."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from puddle.errors import PuddleError
from puddle.kit.model.document import Kit
from puddle.kit.model.reference import FileReference
from puddle.views.analyzer import file_spectrum
from puddle.views.streams import MASTER, pad_place
from puddle.window.session.session import Session
from puddle.window.widgets.controls import label

_FILE = "\0file "
SELECTED = ""


class ComparedStreams(QObject):
    """Two lists to choose from."""

    changed = pyqtSignal()  # which streams are looked at

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._listed: object = None
        self.reference: tuple[np.ndarray, np.ndarray] | None = None  # Hz and dB of a file
        self.of = QComboBox()
        self.of.setAccessibleName("Analyzed")
        self.of.setToolTip("Whose spectrum, loudness and peaks are told: the mix, a bus, a pad.")
        self.of.activated.connect(lambda _: self.changed.emit())
        self.beside = QComboBox()
        self.beside.setAccessibleName("Beside it")
        self.beside.setToolTip(
            "What lies filled behind it: what is selected, any other stream, or a file of "
            "Compare's shelf, averaged, as high as what is analyzed."
        )
        self.beside.activated.connect(self._choose_beside)
        for box in (self.of, self.beside):
            box.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            box.setMinimumContentsLength(8)
        self.beside_row = QWidget()
        row = QHBoxLayout(self.beside_row)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label("beside", "soft"))
        row.addWidget(self.beside)

    def show_kit(self, kit: Kit) -> None:
        """Offers what there is; what was chosen stays chosen while it is there."""
        streams = [("the mix", MASTER)]
        streams += [(bus.name, bus.id) for bus in kit.buses]
        streams += [(pad.name, pad_place(pad.id)) for pad in kit.pads]
        files = [
            (one.name, f"{_FILE}{one.id}")
            for one in kit.references
            if isinstance(one, FileReference)
        ]
        if (streams, files) == self._listed:
            return
        self._listed = (streams, files)
        before = (self.analyzed, self.other)
        _refill(self.of, streams)
        _refill(self.beside, [("selected", SELECTED), *files, *streams])
        if not self.file:
            self.reference = None
        if (self.analyzed, self.other) != before:
            self.changed.emit()

    @property
    def analyzed(self) -> str:
        """The place of the stream that is analyzed."""
        found: str = self.of.currentData() or MASTER
        return found

    @property
    def other(self) -> str:
        """The place of the stream beside it; SELECTED for what is selected, or for a file."""
        found: str = self.beside.currentData() or SELECTED
        return SELECTED if found.startswith(_FILE) else found

    @property
    def file(self) -> str:
        """The id of the reference that lies beside it, if one does."""
        found: str = self.beside.currentData() or SELECTED
        return found.removeprefix(_FILE) if found.startswith(_FILE) else ""

    def _choose_beside(self) -> None:
        self.reference = None
        self.changed.emit()
        references = self._session.kit.references
        chosen = next((r for r in references if r.id == self.file), None)
        if not isinstance(chosen, FileReference):
            return
        path, span = Path(chosen.path), (chosen.start_ms, chosen.end_ms)

        def work() -> tuple[np.ndarray, np.ndarray] | str:
            try:
                return file_spectrum(path, *span)
            except PuddleError as error:
                return str(error)

        self._session.background.start(work, self._take, key="beside the mix", priority="low")

    def _take(self, found: tuple[np.ndarray, np.ndarray] | str) -> None:
        if isinstance(found, str):
            self._session.told.emit(found)
            self.beside.setCurrentIndex(0)
            self.changed.emit()
        elif self.file:
            self.reference = found


def _refill(box: QComboBox, entries: list[tuple[str, str]]) -> None:
    now = box.currentData()
    box.clear()
    for name, key in entries:
        box.addItem(name, key)
    box.setCurrentIndex(max(0, box.findData(now)))
