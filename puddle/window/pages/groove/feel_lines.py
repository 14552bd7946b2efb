"""Feels: taken from a lane, a pattern or a MIDI file, and laid over the selected lane."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QWidget

from puddle.kit.edits import feels
from puddle.kit.edits.from_midi import PlayedNote
from puddle.kit.model.document import Feel, Kit
from puddle.parameter import percent
from puddle.window.files.midi_files import MidiFiles
from puddle.window.pages.groove.editing import HitEditing
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.controls import button, column, label
from puddle.window.widgets.gauge import Gauge

_AMOUNT = percent(
    "amount", "Amount", "How far the lane takes the timing and strengths of the feel.", 70.0
)


class FeelLines(QWidget):
    """A feel is chosen, and laid over the lane by an amount."""

    def __init__(self, session: Session, work: HitEditing, midi: MidiFiles) -> None:
        super().__init__()
        self._session, self._work, self._midi = session, work, midi
        lines = column((0, 8, 0, 0), 4)
        lines.addWidget(label("Feel", "title"))
        self.choice = QComboBox()
        self.choice.setAccessibleName("Feel")
        self.choice.setToolTip("Timing and strengths that the kit keeps.")
        lines.addWidget(self.choice)
        self.amount = Gauge(_AMOUNT, _AMOUNT.default)
        self.amount.moved.connect(self.amount.set_value)
        lines.addWidget(self.amount)
        rows = (
            (
                ("Lay over", "The lane takes the feel, by this amount.", self.lay_over),
                ("Forget", "The kit keeps the feel no longer.", self.forget),
            ),
            (
                ("Keep lane's …", "Keeps the feel of this lane under a name.", self.keep_lane),
                ("From MIDI …", "Keeps the feel of a MIDI file.", self.ask_midi),
            ),
        )
        for row in rows:
            line = QHBoxLayout()
            line.setSpacing(4)
            for text, says, done in row:
                line.addWidget(button(text, says, done))
            lines.addLayout(line)
        self.setLayout(lines)
        self._shown: tuple[Feel, ...] = ()

    def show_kit(self) -> None:
        """The feels that the kit keeps."""
        kept = self._session.kit.feels
        if kept != self._shown or self.choice.count() == 0:
            self._shown = kept
            now = self.choice.currentText()
            self.choice.clear()
            self.choice.addItems([f.name for f in kept] or ["no feels yet"])
            self.choice.setCurrentText(now)
            self.choice.setEnabled(bool(kept))

    def _chosen(self) -> Feel | None:
        kept = self._session.kit.feels
        n = self.choice.currentIndex()
        return kept[n] if 0 <= n < len(kept) else None

    def lay_over(self) -> None:
        """The selected lane takes the feel."""
        feel, pad = self._chosen(), self._session.pad
        if feel is None or pad is None:
            self._session.told.emit("Keep a feel first: of a lane, or of a MIDI file.")
            return
        pad_id, amount, bpm = pad.id, self.amount.value, self._session.kit.tempo_bpm
        self._work.edit(
            f"{pad.name}: feel of {feel.name}",
            lambda _, p: feels.laid_over(p, [pad_id], feel, amount, bpm),
        )

    def forget(self) -> None:
        """A feel less."""
        feel = self._chosen()
        if feel is not None:
            self._session.edit(
                f"Feel {feel.name} forgotten", lambda kit: feels.remove_feel(kit, feel.id)
            )

    def keep_lane(self) -> None:
        """Keeps the lane's feel under a name that is asked for."""
        pattern, pad = self._session.pattern, self._session.pad
        if pattern is None or pad is None:
            return
        name = ask_name(self, "Feel", "A name for this lane's timing and strengths:", pad.name)
        if name:
            bpm, pad_id = self._session.kit.tempo_bpm, pad.id

            def keep(kit: Kit) -> tuple[Kit, Feel]:
                shown = kit.pattern(pattern.id) or pattern
                return feels.keep_feel(kit, name, feels.feel_of(shown, bpm, [pad_id]))

            self._kept(self._session.make(f"Feel {name} kept", keep))

    def _kept(self, made: Feel | None) -> None:
        if made is not None:
            self.show_kit()
            self.choice.setCurrentIndex(len(self._session.kit.feels) - 1)

    def ask_midi(self) -> None:
        """Asks for a MIDI file, and keeps its feel."""
        settings = self._session.settings
        chosen, _ = QFileDialog.getOpenFileName(
            self, "A MIDI file to take the feel of", settings.last_folder, "MIDI (*.mid *.midi)"
        )
        if chosen:
            settings.last_folder = str(Path(chosen).parent)
            self.take_midi(Path(chosen))

    def take_midi(self, path: Path) -> None:
        """Keeps the feel of a file, under its name."""
        self._midi.read(path, lambda found: self._keep_notes(path.stem, found.notes))

    def _keep_notes(self, name: str, notes: Sequence[PlayedNote]) -> None:
        steps = feels.feel_of_notes(notes)
        self._kept(
            self._session.make(f"Feel {name} kept", lambda kit: feels.keep_feel(kit, name, steps))
        )
