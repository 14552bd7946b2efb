"""Who is in the low end, and what would make room: each offer with its numbers, one step each."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu, QWidget

from puddle.kit.edits.giving_way import dipped, ducked
from puddle.kit.model.document import Kit
from puddle.units import with_unit
from puddle.views.low_end import HIGHEST_HZ, Meeting, meetings
from puddle.window.session.session import Session
from puddle.window.widgets.passing import popup_once


class LowEndMenu:
    """Asks a worker who meets in the pattern that is shown, then offers what helps."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self._session, self._window = session, window

    def ask(self, at: QPoint) -> None:
        """Measures, then opens a menu there."""
        session, pattern = self._session, self._session.pattern
        if pattern is None:
            session.told.emit("There is no pattern whose low end could be looked at.")
            return
        kit, takes = session.paced, session.renders.takes
        played = kit.pattern(pattern.id) or pattern
        session.background.ask(
            "low end", lambda: meetings(kit, played, takes), partial(self._offer, at)
        )

    def _offer(self, at: QPoint, found: Sequence[Meeting]) -> None:
        menu = QMenu(self._window)
        self.fill(menu, found)
        if menu.isEmpty():
            self._session.told.emit(f"No two pads crowd each other below {HIGHEST_HZ:.0f} Hz.")
        else:
            popup_once(menu, at)

    def fill(self, menu: QMenu, found: Sequence[Meeting]) -> None:
        """An entry for each two that meet, and what each could do."""
        kit = self._session.kit
        for one in found:
            stays, gives = kit.pad(one.stays), kit.pad(one.gives)
            if stays is None or gives is None:
                continue
            band = f"{one.low_hz:.0f} to {one.high_hz:.0f} Hz"
            inner = menu.addMenu(f"{stays.name} and {gives.name} meet at {band}")
            if inner is None:
                continue
            cut = with_unit(one.cut_db, "dB", 1)
            dip = f"Dip {gives.name} by {cut} at {with_unit(one.center_hz, 'Hz', 0)}"
            duck = f"Duck {gives.name} by 5 dB under {stays.name}, back in {one.lasts_ms:.0f} ms"
            inner.addAction(dip, partial(self._make, dip, _dip(one)))
            inner.addAction(duck, partial(self._make, duck, _duck(one)))
            both = f"{gives.name} makes room for {stays.name}"
            inner.addAction("Both", partial(self._make, both, _both(one)))

    def _make(self, name: str, change: Callable[[Kit], Kit]) -> None:
        self._session.edit(name, change)
        self._session.settle()


def _dip(one: Meeting) -> Callable[[Kit], Kit]:
    return lambda kit: dipped(kit, one.gives, one.center_hz, one.cut_db, one.q)


def _duck(one: Meeting) -> Callable[[Kit], Kit]:
    return lambda kit: ducked(kit, one.gives, one.stays, one.peak_db, one.lasts_ms)


def _both(one: Meeting) -> Callable[[Kit], Kit]:
    return lambda kit: _duck(one)(_dip(one)(kit))
