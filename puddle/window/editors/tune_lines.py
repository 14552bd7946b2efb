"""The lines over the tuning: what is measured, the note that is wanted, and others to tune to."""

from __future__ import annotations

from typing import cast

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from puddle.kit.edits.tuning import OCTAVES, Octave
from puddle.kit.model.document import Layer, Pad
from puddle.measure.pitch import Pitch
from puddle.units import THIN, note_from_hz, note_name
from puddle.views.sound import Pitches
from puddle.window import theme
from puddle.window.session.measuring import is_heard
from puddle.window.session.session import Session
from puddle.window.session.tuner import Tuner, pitch_words
from puddle.window.widgets.controls import button, label
from puddle.window.widgets.field import Field
from puddle.window.widgets.passing import empty


class TuneLines(QWidget):
    """Of the selected layer, or of the whole sound."""

    def __init__(self, session: Session, pad: Pad, layer: Layer | None) -> None:
        super().__init__()
        self._session = session
        self._layer = layer
        self.tuner = Tuner(session)
        self.menu = QMenu(self)
        self._offered = ""  # the note that was put there, not typed
        name = layer.name if layer else pad.name
        lines = QVBoxLayout(self)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(6)
        self.pitch = label("measuring …", "title")
        self.pitch.setAccessibleName("Measured pitch")
        self.sure = label("", "soft")
        lines.addWidget(self.pitch)
        lines.addWidget(self.sure)
        to = QHBoxLayout()
        to.addWidget(label("Tune to", "soft"))
        self.note = Field()
        self.note.setPlaceholderText("a note, such as A1 or F#2 +6")
        self.note.setAccessibleName(f"Note for {name}")
        self.note.setToolTip(
            f"Type the note that {name} shall have and press Enter: it is moved, rendered and "
            "measured again until it has it."
        )
        self.note.returnPressed.connect(self.tune)
        to.addWidget(self.note, 1)
        self.octave = QComboBox()
        self.octave.addItems(OCTAVES)
        self.octave.setAccessibleName("Octave")
        self.octave.setToolTip(
            "In which octave: the nearest to where it sounds now, one under or over that, or the "
            "very note that is typed."
        )
        to.addWidget(self.octave)
        lines.addLayout(to)
        others = QHBoxLayout()
        self.pads = button("To another pad …", "Tunes it to what another pad measures.", self._ask)
        others.addWidget(self.pads)
        if layer is not None:
            self.all = button(
                "All layers to this one",
                "Every other layer with a settled pitch is tuned to this one's, in the octave "
                "chosen here.",
                lambda: self.tuner.all_to_layer(self.chosen_octave),
            )
            others.addWidget(self.all)
        others.addStretch(1)
        lines.addLayout(others)
        if layer is None:
            says = label(
                "Layers with a settled pitch move together; clicks and noise stay as they are.",
                "soft",
            )
            says.setWordWrap(True)
            lines.addWidget(says)
        if session.looks.pitches is not None:
            self.show_pitches(session.looks.pitches)

    @property
    def chosen_octave(self) -> Octave:
        """The octave that is preferred."""
        return cast(Octave, self.octave.currentText())

    def tune(self) -> None:
        """To the note that is typed."""
        self.tuner.to_note(self.note.text(), self.chosen_octave)

    def _ask(self) -> None:
        empty(self.menu)
        for pad in sorted(self._session.kit.pads, key=lambda p: p.place):
            if pad.id != self._session.pad_id and pad.sound.layers:
                action = self.menu.addAction(pad.name)
                if action is not None:
                    action.triggered.connect(
                        lambda _, key=pad.id: self.tuner.to_pad(key, self.chosen_octave)
                    )
        self.menu.popup(self.pads.mapToGlobal(self.pads.rect().bottomLeft()))

    def show_pitches(self, found: Pitches) -> None:
        """What is measured now; what was measured of another sound says nothing of this one."""
        if not is_heard(self._session, found.sound):
            return
        pitch: Pitch | None = found.layers.get(self._layer.id) if self._layer else found.whole
        self.pitch.setText(pitch_words(pitch))
        self.pitch.setFont(theme.text_font(14, bold=True))
        sure = 100.0 * pitch.confidence if pitch is not None else 0.0
        self.sure.setText(f"measured, {sure:.0f}{THIN}% sure")
        known = pitch is not None and pitch.hz is not None
        for control in (self.note, self.octave, self.pads):
            control.setEnabled(known)
        if pitch is not None and pitch.hz and self.note.text() == self._offered:
            self._offered = note_name(round(note_from_hz(pitch.hz)))
            self.note.setText(self._offered)
