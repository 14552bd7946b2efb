"""The kit's pitches in one list against a key: what is out is marked, and can be tuned."""

from __future__ import annotations

from functools import partial
from typing import Any

import msgspec
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QComboBox, QDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from puddle.kit import edits
from puddle.kit.model.document import Pad, Sound
from puddle.kit.model.tonality import ROOTS, SCALES, Key, Place, place_in
from puddle.measure.pitch import Pitch
from puddle.render.tuning import sound_pitch
from puddle.units import THIN, note_from_hz, note_name, pitch_text, with_unit
from puddle.window import theme
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after
from puddle.window.session.tuner import Tuner
from puddle.window.widgets.controls import button, clear, label, restyle, scrolled

_REST_MS = 150  # while a control moves, nothing is measured
_HEADS = ("Pad", "Measured", "Confidence", "Nearest in the key", "Off by")
OUT_CT = 10.0  # less is in tune: what the ear tells apart in short sounds


class Row(msgspec.Struct, frozen=True):
    """A pad's pitch, and where it lies in the key; None where there is no pitch."""

    pad: Pad
    pitch: Pitch
    place: Place | None

    @property
    def out(self) -> bool:
        """Whether it is to be marked."""
        return self.place is not None and abs(self.place.cents) > OUT_CT


class PitchesDialog(QDialog):
    """A row for every pad that has layers."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Pitches of the kit")
        self.resize(640, 520)
        self._session = session
        self._tuner = Tuner(session)
        self._known: dict[str, tuple[Sound, Pitch]] = {}
        self.rows: list[Row] = []
        outer = QVBoxLayout(self)
        line = QHBoxLayout()
        line.addWidget(label("Against the key of"))
        self.root = self._box("Root", list(ROOTS), "The note that the scale begins on.")
        self.scale = self._box("Scale", list(SCALES), "Which notes belong to the key.")
        line.addWidget(self.root)
        line.addWidget(self.scale)
        line.addStretch(1)
        self._count = label("", "soft")
        line.addWidget(self._count)
        outer.addLayout(line)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(5)
        outer.addWidget(scrolled(self._grid), 1)
        foot = QHBoxLayout()
        self.all = button(
            "Tune all that are off",
            "Every marked sound goes to the nearest note of the key, as one step.",
            self.tune_all,
        )
        foot.addWidget(self.all)
        foot.addStretch(1)
        foot.addWidget(button("Close", "Closes the list.", self.close))
        outer.addLayout(foot)
        self._rest = once_after(self, _REST_MS, self.measure)
        session.kit_changed.connect(self._rest.start)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Measures whenever it is opened."""
        super().showEvent(event)
        self.measure()

    def _box(self, name: str, choices: list[str], says: str) -> QComboBox:
        box = QComboBox()
        box.addItems(choices)
        box.setAccessibleName(name)
        box.setToolTip(says)
        box.textActivated.connect(lambda text: self._set_key(name.lower(), text))
        return box

    def _set_key(self, field: str, text: str) -> None:
        session, kit = self._session, self._session.kit
        values: dict[str, Any] = {field: text}
        key = Key(**{"root": kit.key.root, "scale": kit.key.scale, **values})
        session.edit(f"Key of {key.root} {key.scale}", lambda kit: edits.set_kit(kit, key=key))

    def measure(self) -> None:
        """Every pad whose sound is another than when it was measured, on a worker."""
        if not self.isVisible():
            return
        kit, takes, known = self._session.kit, self._session.renders.takes, dict(self._known)

        def work() -> dict[str, tuple[Sound, Pitch]]:
            found = {}
            for pad in kit.pads:
                before = known.get(pad.id)
                if before is not None and before[0] is pad.sound:
                    found[pad.id] = before
                elif pad.sound.layers:
                    found[pad.id] = (pad.sound, sound_pitch(takes, pad.sound))
            return found

        self._session.background.start(work, self._show, key="pitches")

    def _show(self, found: dict[str, tuple[Sound, Pitch]]) -> None:
        self._known = found
        kit = self._session.kit
        self.root.setCurrentText(kit.key.root)
        self.scale.setCurrentText(kit.key.scale)
        pads = sorted((p for p in kit.pads if p.id in found), key=lambda p: p.place)
        self.rows = [self._placed(pad, found[pad.id][1], kit.key) for pad in pads]
        out = sum(row.out for row in self.rows)
        pitched = sum(row.place is not None for row in self.rows)
        self._count.setText(f"{pitched} have a pitch, {out} are out of tune")
        self.all.setEnabled(out > 0)
        self._fill()

    def _placed(self, pad: Pad, pitch: Pitch, key: Key) -> Row:
        if pitch.hz is None:
            return Row(pad, pitch, None)
        return Row(pad, pitch, place_in(key, note_from_hz(pitch.hz) + pad.tune_st))

    def _fill(self) -> None:
        clear(self._grid)
        for column, head in enumerate(_HEADS):
            self._grid.addWidget(label(head, "soft"), 0, column)
        for n, row in enumerate(self.rows, 1):
            self._grid.addWidget(label(row.pad.name), n, 0)
            if row.place is None or row.pitch.hz is None:
                self._grid.addWidget(label("no settled pitch", "soft"), n, 1)
                continue
            hz = row.pitch.hz * 2.0 ** (row.pad.tune_st / 12.0)
            measured = label(pitch_text(hz))
            measured.setFont(theme.value_font(12))
            self._grid.addWidget(measured, n, 1)
            self._grid.addWidget(label(f"{100 * row.pitch.confidence:.0f}{THIN}%", "soft"), n, 2)
            self._grid.addWidget(label(note_name(row.place.note)), n, 3)
            cents = with_unit(row.place.cents, "ct", 0)
            out = label(f"● {cents}" if row.out else cents)
            restyle(out, "marked" if row.out else "soft")
            out.setAccessibleName(f"{row.pad.name} {'off by' if row.out else 'in tune,'} {cents}")
            self._grid.addWidget(out, n, 4)
            if row.out:
                tune = button(
                    f"Tune to {note_name(row.place.note)}",
                    "Moves the layers that have a pitch until the whole measures this note.",
                    partial(self.tune, row),
                    name=f"Tune {row.pad.name} to {note_name(row.place.note)}",
                )
                self._grid.addWidget(tune, n, 5)
        self._grid.setRowStretch(len(self.rows) + 1, 1)
        self._grid.setColumnStretch(3, 1)

    def tune(self, row: Row) -> None:
        """One sound to the nearest note of the key."""
        if row.place is not None:
            note = row.place.note - row.pad.tune_st
            self._tuner.tune_sounds([(row.pad.id, note)], f"tuned to {note_name(row.place.note)}")

    def tune_all(self) -> None:
        """All that are marked, as one step."""
        wanted = [
            (row.pad.id, row.place.note - row.pad.tune_st)
            for row in self.rows
            if row.place is not None and row.out
        ]
        key = self._session.kit.key
        self._tuner.tune_sounds(wanted, f"tuned to {key.root} {key.scale}")
