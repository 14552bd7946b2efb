"""Which bank of sixteen pads is shown, or which scale the places play."""

from __future__ import annotations

import textwrap
from functools import partial

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QMenu, QVBoxLayout, QWidget

from puddle.kit.model.document import PADS_PER_BANK
from puddle.window.session.session import Session
from puddle.window.shore.scale_layout import ScaleLayout
from puddle.window.shore.transport import MOST_BANKS, BankDots
from puddle.window.widgets.controls import button
from puddle.window.widgets.passing import popup_once

_SIGNS = 13  # that fit in a line
_BANKS_PX = 52


class Banks(QWidget):
    """Tells the bank, with a dot for each; or the scale, in the same room: nothing else moves."""

    chosen = pyqtSignal()
    scale_wanted = pyqtSignal()

    def __init__(self, session: Session, scale: ScaleLayout) -> None:
        super().__init__()
        self._session = session
        self._scale = scale
        self.bank = 0
        self._extra = 0
        self._followed = ""  # the selected pad whose bank was shown last
        self._bank_told = button(
            "",
            "All banks, to choose among.",
            self._ask_bank,
            flat=True,
            name="Bank",
        )
        self.setFixedHeight(_BANKS_PX)
        banks = QVBoxLayout(self)
        banks.setContentsMargins(0, 0, 0, 0)
        banks.setSpacing(4)
        banks.addWidget(self._bank_told)
        self.scale_told = button(
            "",
            "The places play the selected pad along the kit's scale (F3); Ctrl+[ and Ctrl+] move "
            "it by octaves. A click offers other roots and scales.",
            self.scale_wanted.emit,
            flat=True,
            name="Scale on the pads",
        )
        self.scale_told.hide()
        banks.addWidget(self.scale_told)
        self.dots = BankDots()
        self.dots.chosen.connect(self.show_bank)
        banks.addWidget(self.dots)
        session.started.connect(self._forget)

    def show_kit(self) -> None:
        """As the kit and the scale have it."""
        if self._session.pad_id != self._followed:
            self._followed = self._session.pad_id
            self.follow(self._followed)
        banks = max(self._session.kit.banks, self._extra, self.bank + 1)
        self.dots.show_banks(banks, self.bank)
        self._bank_told.setText(f"Bank {self.bank + 1} of {banks}")
        self.scale_told.setText(textwrap.fill(self._scale.told(), _SIGNS))
        for made in (self._bank_told, self.dots):
            made.setVisible(not self._scale.on)
        self.scale_told.setVisible(self._scale.on)

    def follow(self, pad_id: str) -> None:
        """The bank that a pad is in."""
        pad = self._session.kit.pad(pad_id)
        if pad is not None:
            self.bank = pad.place // PADS_PER_BANK

    def show_bank(self, bank: int) -> None:
        """Shows a bank; one past the last opens another."""
        self.bank = min(max(0, bank), MOST_BANKS - 1)
        self._extra = max(self._extra, self.bank + 1)
        self.chosen.emit()

    def _forget(self) -> None:
        """Another kit begins in its first bank."""
        self.bank = self._extra = 0
        self._followed = ""

    def menu(self) -> QMenu:
        """Every bank, and what lies in it; at the end a new one."""
        menu, kit = QMenu(self), self._session.kit
        for bank in range(self.dots.banks):
            names = [p.name for p in kit.pads if p.place // PADS_PER_BANK == bank]
            told = ", ".join(names[:4]) + (" …" if len(names) > 4 else "") if names else "empty"
            action = menu.addAction(f"Bank {bank + 1}:  {told}")
            if action is not None:
                action.setCheckable(True)
                action.setChecked(bank == self.bank)
                action.triggered.connect(partial(self._choose_bank, bank))
        new = menu.addAction("A new bank")
        if new is not None:
            new.setEnabled(self.dots.can_grow)
            new.triggered.connect(partial(self._choose_bank, self.dots.banks))
        return menu

    def _choose_bank(self, bank: int, *_: object) -> None:
        self.show_bank(bank)

    def _ask_bank(self) -> None:
        self._banks = self.menu()
        popup_once(self._banks, self._bank_told.mapToGlobal(self._bank_told.rect().topLeft()))

    def scale_corner(self) -> QPoint:
        """Where on the screen the scale is told: what is chosen for it opens there."""
        return self.scale_told.mapToGlobal(self.scale_told.rect().topLeft())
