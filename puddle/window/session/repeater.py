"""Repeat: a pad struck again and again while one works on it, on exact frames."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QAction, QActionGroup
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from puddle.units import THIN

if TYPE_CHECKING:
    from puddle.engine.engine import Engine

_AHEAD_S = 0.12
_POLL_MS = 40
_CYCLE = (20.0, 40.0, 60.0, 80.0, 100.0, 127.0)
_LEAST_MS, _MOST_MS = 20.0, 60000.0
_BEATS = {0.5: "Every half beat", 1.0: "Every beat", 2.0: "Every two beats", 4.0: "Every bar"}
_INTERVALS_MS = (250.0, 500.0, 1000.0, 2000.0)


class Plan(msgspec.Struct, frozen=True):
    """Rate and velocities of note repeat."""

    beats: float = 1.0  # at the kit's tempo; 0 for an interval
    ms: float = 1000.0
    cycling: bool = False  # from soft to hard, else at the keys' velocity

    def period_s(self, bpm: float) -> float:
        """The time from one strike to the next."""
        return self.beats * 60.0 / bpm if self.beats > 0.0 else self.ms / 1000.0

    def told(self) -> str:
        """The plan as text."""
        every = _BEATS.get(self.beats, f"Every {self.ms:g}{THIN}ms")
        return every + (", from soft to hard" if self.cycling else ", at the keys' velocity")


class Repeater(QObject):
    """Puts the coming strikes on their frames, a little ahead."""

    def __init__(self, engine: Callable[[], Engine | None], pad: Callable[[], int | None]) -> None:
        """`pad` tells the index of what is struck; None for nothing."""
        super().__init__()
        self._engine = engine
        self._pad = pad
        self.plan = Plan()
        self.strength = 100.0
        self.bpm = 120.0
        self.struck: Callable[[float], None] = lambda velocity: None
        self._next = 0
        self._turn = 0
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._strike_ahead)

    @property
    def on(self) -> bool:
        """Whether it repeats."""
        return self._timer.isActive()

    def set_on(self, on: bool) -> None:
        """Begins with the softest where it cycles; or ends."""
        self._next = self._turn = 0
        if on:
            self._timer.start()
        else:
            self._timer.stop()

    def _velocity(self) -> float:
        return _CYCLE[self._turn % len(_CYCLE)] if self.plan.cycling else self.strength

    def _strike_ahead(self) -> None:
        engine, index = self._engine(), self._pad()
        if engine is None:
            return
        clock = engine.clock
        period = round(self.plan.period_s(self.bpm) * engine.rate_hz)
        end = clock + round(_AHEAD_S * engine.rate_hz)
        # A shorter interval is heard at once, not after the last of the longer ones.
        self._next = max(clock, min(self._next, end + period))
        while self._next < end:
            if index is not None:
                self.struck(self._velocity())
                engine.strike(index, self._velocity(), self._next)
                self._turn += 1
            self._next += period


class RepeatMenu(QMenu):
    """How often and how hard a pad is repeated."""

    def __init__(self, repeater: Repeater, changed: Callable[[], None], parent: QWidget) -> None:
        super().__init__(parent)
        self._repeater = repeater
        self._changed = changed
        self._every, self._hard = QActionGroup(self), QActionGroup(self)
        self._offers: list[tuple[QAction, Callable[[Plan], bool]]] = []
        for beats, name in _BEATS.items():
            self._offer(self._every, name, partial(_is_beats, beats), beats=beats)
        self.addSeparator()
        for ms in _INTERVALS_MS:
            name = f"Every {ms:g}{THIN}ms"
            self._offer(self._every, name, partial(_is_ms, ms), beats=0.0, ms=ms)
        other = self.addAction("Another interval …")
        if other is not None:
            other.triggered.connect(self._ask)
        self.addSeparator()
        self._offer(self._hard, "At the keys' velocity", lambda p: not p.cycling, cycling=False)
        self._offer(self._hard, "From soft to hard", lambda p: p.cycling, cycling=True)
        self.aboutToShow.connect(self._show_plan)

    def _offer(
        self, group: QActionGroup, name: str, now: Callable[[Plan], bool], **values: float
    ) -> None:
        action = self.addAction(name)
        if action is not None:
            action.setCheckable(True)
            group.addAction(action)
            action.triggered.connect(lambda: self.choose(**values))
            self._offers.append((action, now))

    def _show_plan(self) -> None:
        for group in (self._every, self._hard):
            group.setExclusive(False)  # an interval that was typed is none of those offered
        for action, now in self._offers:
            action.setChecked(now(self._repeater.plan))
        for group in (self._every, self._hard):
            group.setExclusive(True)

    def choose(self, **values: float) -> None:
        """Sets another repeat plan."""
        self._repeater.plan = msgspec.structs.replace(self._repeater.plan, **values)
        self._changed()

    def _ask(self) -> None:
        ms, done = QInputDialog.getDouble(
            self,
            "Repeat",
            "Strike again after so many ms:",
            self._repeater.plan.ms,
            _LEAST_MS,
            _MOST_MS,
            0,
        )
        if done:
            self.choose(beats=0.0, ms=ms)


def _is_beats(beats: float, plan: Plan) -> bool:
    return plan.beats == beats


def _is_ms(ms: float, plan: Plan) -> bool:
    return plan.beats == 0.0 and plan.ms == ms
