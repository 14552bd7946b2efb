"""Who is in the low end, and what would make room: each offer with its numbers, tried by ear."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QObject, QPoint, pyqtSignal
from PyQt6.QtWidgets import QMenu, QWidget

from puddle.kit.edits.giving_way import dipped, ducked, shifted, shortened
from puddle.kit.model.document import Kit
from puddle.tasks import Task
from puddle.units import with_unit
from puddle.views.low_end import HIGHEST_HZ, Meeting, meetings
from puddle.window.session.session import Session
from puddle.window.session.tried_mix import TriedMix
from puddle.window.widgets.passing import popup_once, submenu

_LEAST_WON_DB = 0.5
_LEAST_TAIL_MS = 80.0


class LowEndMenu(QObject):
    """Asks who meets in the pattern that is shown, beside the window, then offers what helps."""

    listens = pyqtSignal(float)  # how far it is, of 1; under 0 where it rests

    def __init__(self, session: Session, tried: TriedMix, window: QWidget) -> None:
        super().__init__(window)
        self._session, self._tried, self._window = session, tried, window
        self._task: Task[list[Meeting]] | None = None
        session.started.connect(self._leave)  # another kit

    def ask(self, at: QPoint) -> None:
        """Measures, then opens a menu there; asked again meanwhile, leaves it."""
        if self._task is not None:
            self._leave()
            return
        session, pattern = self._session, self._session.pattern
        if pattern is None:
            session.told.emit("There is no pattern whose low end could be looked at.")
            return
        kit, takes = session.paced, session.renders.takes
        played = kit.pattern(pattern.id) or pattern

        self.listens.emit(0.0)
        self._task = session.background.start(
            lambda: meetings(kit, played, takes),
            partial(self._offer, at),
            priority="long",
            failed=self._fail,
            progress=self.listens.emit,
        )

    def _rest(self) -> None:
        self._task = None
        self.listens.emit(-1.0)

    def _leave(self) -> None:
        if self._task is not None:
            self._task.cancel()
            self._rest()

    def _fail(self, error: Exception) -> None:
        self._rest()
        self._session.told.emit(f"The low end could not be measured: {error}")

    def _offer(self, at: QPoint, found: Sequence[Meeting]) -> None:
        self._rest()
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
            inner = submenu(menu, f"{stays.name} and {gives.name} meet at {band}")
            cut = with_unit(one.cut_db, "dB", 1)
            dip = f"Dip {gives.name} by {cut} at {with_unit(one.center_hz, 'Hz', 0)}"
            duck = f"Duck {gives.name} by 5 dB under {stays.name}, back in {one.lasts_ms:.0f} ms"
            inner.addAction(dip, partial(self._try, dip, _dip(one)))
            inner.addAction(duck, partial(self._try, duck, _duck(one)))
            both = f"{gives.name} makes room for {stays.name}"
            inner.addAction("Both", partial(self._try, both, _both(one)))
            pattern = self._session.pattern
            if pattern is not None and one.won_db >= _LEAST_WON_DB:
                side = "later" if one.shift_ms > 0.0 else "earlier"
                by = with_unit(abs(one.shift_ms), "ms", 1).removeprefix("+")
                won = with_unit(one.won_db, "dB", 1)
                name = f"{gives.name} {by} {side}: {won} below {HIGHEST_HZ:.0f} Hz"
                inner.addAction(name, partial(self._try, name, _shift(one, pattern.id)))
            if one.tail_ms > _LEAST_TAIL_MS:
                half = 0.5 * one.tail_ms
                name = f"Tail of {gives.name} shorter, from {one.tail_ms:.0f} to {half:.0f} ms"
                inner.addAction(name, partial(self._try, name, _shorten(one)))

    def _try(self, name: str, change: Callable[[Kit], Kit]) -> None:
        self._tried.offer(change, name)


def _dip(one: Meeting) -> Callable[[Kit], Kit]:
    return lambda kit: dipped(kit, one.gives, one.center_hz, one.cut_db, one.q)


def _duck(one: Meeting) -> Callable[[Kit], Kit]:
    return lambda kit: ducked(kit, one.gives, one.stays, one.peak_db, one.lasts_ms)


def _both(one: Meeting) -> Callable[[Kit], Kit]:
    return lambda kit: _duck(one)(_dip(one)(kit))


def _shift(one: Meeting, pattern_id: str) -> Callable[[Kit], Kit]:
    return lambda kit: shifted(kit, pattern_id, one.gives, one.shift_ms)


def _shorten(one: Meeting) -> Callable[[Kit], Kit]:
    return lambda kit: shortened(kit, one.gives, 0.5 * one.tail_ms)
