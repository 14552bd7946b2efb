"""Preferences, the shortcut list, and work that shows its progress."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QGridLayout,
    QLabel,
    QLineEdit,
    QMessageBox,
    QProgressBar,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from puddle.engine.devices import BLOCKS, RATES, DeviceInfo, devices
from puddle.errors import CancelledError, PuddleError
from puddle.units import THIN
from puddle.wanted import UnwantedError
from puddle.window import theme
from puddle.window.background import Background
from puddle.window.commands import COMMANDS, HAND
from puddle.window.parts.asking import short
from puddle.window.parts.controls import label, toggle
from puddle.window.session import Session
from puddle.window.settings import MIDDLE_C, heed

log = logging.getLogger(__name__)


def confirmed(parent: QWidget, question: str, deed: str) -> bool:
    """Whether a person agrees to a deed, which its button names; what is first is to leave it."""
    kinds = QMessageBox.StandardButton
    box = QMessageBox(QMessageBox.Icon.NoIcon, "Puddle", question, kinds.Yes | kinds.Cancel, parent)
    agree = box.button(kinds.Yes)
    if agree is not None:
        agree.setText(deed)
    box.setDefaultButton(kinds.Cancel)
    answer = box.exec()
    box.deleteLater()
    return bool(answer == kinds.Yes)


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
        self.latency = label("", "soft")
        for name, box in (
            ("Sound card", self.device),
            ("Sample rate", self.rate),
            ("Buffer", self.block),
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
        if session.player.device_note:
            note = QLabel(session.player.device_note)
            note.setObjectName("notice")
            note.setWordWrap(True)
            form.addRow(note)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)
        self._show_latency()
        # Asking the system for its cards may take a second.
        session.background.ask("cards", devices, self._show_cards)

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
        settings.middle_c = self.middle.currentData()
        settings.trim_starts = self.trims.isChecked()
        heed(settings)
        self._session.player.open()


class KeepTemplate(QDialog):
    """A name for a template, and whether its sounds are kept."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Save as a template")
        form = QFormLayout(self)
        form.setSpacing(10)
        self.name = QLineEdit(name)
        self.name.setMaxLength(120)
        self.name.setAccessibleName("Name of the template")
        self.name.selectAll()
        form.addRow("Name", self.name)
        self.sounds = toggle(
            "on",
            "Off keeps pads, notes, choke groups, buses, stages and kit gauges, but no layers.",
            "Keep its sounds",
        )
        form.addRow("With its sounds", self.sounds)
        self.default = QCheckBox("New kits start from it")
        form.addRow("", self.default)
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Save | kinds.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)

    @property
    def chosen_name(self) -> str:
        """What was typed, without the space around it."""
        return self.name.text().strip()


class CopyPads(QDialog):
    """At which intervals a sound is copied to more pads, and whether the copies follow it."""

    def __init__(self, name: str, scale: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Copy to more pads")
        form = QFormLayout(self)
        form.setSpacing(10)
        form.addRow(label(f"{short(name)} again, on the next free places."))
        self.intervals = QLineEdit(scale)
        self.intervals.setAccessibleName("Intervals or a scale")
        self.intervals.setToolTip(
            "Semitones such as 3 5 7 (0 for the same again), a scale from this sound upwards, such "
            "as minor pentatonic, or one with its root, such as D minor."
        )
        form.addRow("Semitones or a scale", self.intervals)
        self.linked = toggle(
            "on",
            "Linked copies follow this sound whenever it is edited; one that is edited itself "
            "goes its own way.",
            "Linked to this sound",
        )
        form.addRow("Linked to this sound", self.linked)
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)


class Shortcuts(QDialog):
    """Every key and what it does."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shortcuts")
        self.resize(620, 560)
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(4)
        rows = [(c.keys, f"{c.title.rstrip(' …')}: {c.says}") for c in COMMANDS if c.keys]
        for row, (keys, says) in enumerate([*HAND, *rows]):
            left = label(keys)
            left.setFont(theme.text_font(13, bold=True))  # a style sheet each takes far longer
            grid.addWidget(left, row, 0, Qt.AlignmentFlag.AlignTop)
            right = label(says)
            right.setWordWrap(True)
            grid.addWidget(right, row, 1)
        grid.setColumnStretch(1, 1)
        inner = QWidget()
        inner.setLayout(grid)
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        outer = QVBoxLayout(self)
        outer.addWidget(scroll)
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.reject)
        outer.addWidget(close)


class Working(QDialog):
    """Work on a thread of its own, with its progress and a way to stop it."""

    def __init__(
        self,
        background: Background,
        title: str,
        work: Callable[[Callable[[float], bool]], Any],
        done: Callable[[str | None], None],
        parent: QWidget | None = None,
    ) -> None:
        """`work` is given what takes its progress and tells whether to go on; `done` is told None,
        why it failed, or "" where it was stopped."""
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(360)
        self._title = title.rstrip(" …")
        self._share = 0.0
        self._ended = threading.Event()
        self._error: str | None = None
        self._done = done
        column = QVBoxLayout(self)
        column.addWidget(label(title))
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        column.addWidget(self._bar)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)
        self._timer.start(40)
        self._cancel = background.run_beside(lambda wanted: self._run(work, wanted))

    def _run(
        self, work: Callable[[Callable[[float], bool]], Any], wanted: Callable[[], bool]
    ) -> None:
        def progress(share: float) -> bool:
            self._share = share
            return wanted()

        try:
            work(progress)
        except (CancelledError, UnwantedError):
            self._error = ""
        except PuddleError as error:
            self._error = str(error)
        except Exception as error:
            log.exception("work with its progress shown failed")
            self._error = f"{self._title} failed: {error or type(error).__name__}."
        finally:
            self._ended.set()

    def _look(self) -> None:
        self._bar.setValue(int(1000 * self._share))
        if self._ended.is_set():
            self._timer.stop()
            self.accept()
            self.deleteLater()
            self._done(self._error)

    def reject(self) -> None:
        """Closing the box stops the work."""
        self._cancel()


def with_suffix(name: str, suffix: str) -> Path:
    """A typed file name with its ending."""
    path = Path(name)
    return path if path.suffix.lower() == suffix else path.with_name(path.name + suffix)
