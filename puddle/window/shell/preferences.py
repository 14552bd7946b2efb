"""Preferences: sound card, rate, block size, and how things are done."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QWidget,
)

from puddle.engine.devices import BLOCKS, RATES, DeviceInfo, devices
from puddle.home.settings import MIDDLE_C, heed
from puddle.kit.model.bus import OUTPUTS
from puddle.units import THIN
from puddle.window.session.session import Session
from puddle.window.widgets.controls import label
from puddle.window.widgets.passing import answer_buttons


class Preferences(QDialog):
    """Sound card, sample rate, buffer, and what new samples and notes are like."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setWindowTitle("Preferences")
        form = QFormLayout(self)
        form.setSpacing(10)
        settings = session.settings
        self.device = QComboBox()
        self.device.addItem("the system's default", "")
        if settings.device:
            self.device.addItem(settings.device, settings.device)
            self.device.setCurrentIndex(1)
        self.device.setToolTip("The sound card that plays.")
        self.rate = QComboBox()
        for rate in RATES:
            self.rate.addItem(f"{rate / 1000:g}{THIN}kHz", rate)
        self.rate.setCurrentIndex(max(0, self.rate.findData(settings.rate_hz)))
        self.rate.setToolTip("The rate at which everything is rendered and played.")
        self.block = QComboBox()
        for block in BLOCKS:
            self.block.addItem(f"{block} frames", block)
        self.block.setCurrentIndex(max(0, self.block.findData(settings.block)))
        self.block.setToolTip(
            "A small buffer lets a hit sound sooner; a large one is safer against dropouts."
        )
        self.middle = QComboBox()
        for octave in MIDDLE_C:
            self.middle.addItem(f"C{octave}", octave)
        self.middle.setCurrentIndex(max(0, self.middle.findData(settings.middle_c)))
        self.middle.setToolTip("What the note 60 is called; files and commands say C4.")
        self.listening, self.click = QComboBox(), QComboBox()
        for box, now, first, says in (
            (
                self.listening, settings.listening_output, "with the master",
                "Where mono, the small speaker, references and what runs under the groove are "
                "heard; the master then leaves without them.",
            ),
            (
                self.click, settings.click_output, "where you listen",
                "Where the metronome is heard: a drummer's ears, say.",
            ),
        ):  # fmt: skip
            for output in OUTPUTS:
                box.addItem(first if output == OUTPUTS[0] else f"outputs {output}", output)
            box.setCurrentIndex(max(0, box.findData(now)))
            box.setToolTip(says)
        self.latency = label("", "soft")
        for name, box in (
            ("Sound card", self.device),
            ("Sample rate", self.rate),
            ("Buffer", self.block),
            ("Listening", self.listening),
            ("Metronome", self.click),
            ("Middle C", self.middle),
        ):
            box.setAccessibleName(name)
            form.addRow(name, box)
            box.currentIndexChanged.connect(self._show_latency)
        form.addRow("", self.latency)
        self.trims = QCheckBox("New samples start at their onset")
        self.trims.setChecked(settings.trim_starts)
        self.trims.setToolTip(
            "The silence before a recording's hit is left out; the file stays whole, and its start "
            "can be dragged."
        )
        form.addRow("", self.trims)
        self.at_once = QCheckBox("Controllers strike as soon as possible")
        self.at_once.setChecked(settings.midi_at_once)
        self.at_once.setToolTip(
            "Strokes are heard sooner, but up to a buffer apart from how you played them. Off, "
            "every stroke is heard one buffer later, exactly in your time."
        )
        form.addRow("", self.at_once)
        if session.player.device_note:
            note = QLabel(session.player.device_note)
            note.setObjectName("notice")
            note.setWordWrap(True)
            form.addRow(note)
        kinds = QDialogButtonBox.StandardButton
        form.addRow(answer_buttons(self, kinds.Ok | kinds.Cancel))
        self._show_latency()
        # Asking the system for its cards may take a second.
        session.background.start(devices, self._show_cards, key="cards")

    def _show_cards(self, cards: list[DeviceInfo]) -> None:
        chosen = self.device.currentData()
        known = {self.device.itemData(n) for n in range(self.device.count())}
        for info in cards:
            if info.name not in known:
                self.device.addItem(info.name, info.name)
        self.device.setCurrentIndex(max(0, self.device.findData(chosen)))

    def _show_latency(self) -> None:
        ms = 1000.0 * self.block.currentData() / self.rate.currentData()
        self.latency.setText(f"The buffer adds {ms:.1f}{THIN}ms.")

    def apply(self) -> None:
        """Takes the choices over and opens the card anew."""
        settings = self._session.settings
        settings.device = self.device.currentData()
        settings.rate_hz = self.rate.currentData()
        settings.block = self.block.currentData()
        settings.listening_output = self.listening.currentData()
        settings.click_output = self.click.currentData()
        settings.middle_c = self.middle.currentData()
        settings.trim_starts = self.trims.isChecked()
        settings.midi_at_once = self.at_once.isChecked()
        heed(settings)
        self._session.player.open()
