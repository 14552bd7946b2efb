"""What the kit lacks or has twice, as a menu of searches."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtWidgets import QMenu

from puddle.kit.model.roles import Role
from puddle.library.gaps import Gap, Heard, gaps
from puddle.library.question import of_sound
from puddle.window.pages.gather.sieve_panel import SievePanel
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button
from puddle.window.widgets.passing import popup_once


class GapMenu:
    """A button and its menu."""

    def __init__(self, session: Session, sieve: SievePanel) -> None:
        self._session, self._sieve = session, sieve
        self.button = button(
            "Gaps …", "What this kit lacks or has twice, each a search.", self.show
        )

    def show(self) -> None:
        """What the kit lacks or has twice."""
        session = self._session
        rate, sounds = session.renders.takes.rate_hz, dict(session.renders.audio)
        pads = [(p.name, p.role, sounds[p.id]) for p in session.kit.pads if p.id in sounds]

        def work() -> list[Gap]:
            return gaps([_heard(name, role, audio, rate) for name, role, audio in pads])

        session.background.start(work, self._offer_gaps, key="gaps")

    def _offer_gaps(self, found: list[Gap]) -> None:
        if not found:
            self._session.told.emit("Nothing is missing, and nothing is there twice.")
            return
        menu = QMenu(self.button)
        for gap in found:
            action = menu.addAction(gap.said)
            if action is not None:
                action.triggered.connect(partial(self._mend, gap))
        popup_once(menu, self.button.mapToGlobal(self.button.rect().bottomLeft()))

    def _mend(self, gap: Gap) -> None:
        self._sieve.show_query(gap.query)


def _heard(name: str, role: Role, audio: np.ndarray, rate_hz: float) -> Heard:
    asked = of_sound(name, audio, rate_hz)
    length, brightness = (float(asked.figures[n]) for n in (0, 1))
    return Heard(name, role, length, brightness, asked.row)
