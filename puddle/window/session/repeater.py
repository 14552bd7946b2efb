"""Repeat: a pad struck again and again by the engine, on exact frames."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QAction, QActionGroup
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from puddle.units import THIN

if TYPE_CHECKING:
    from puddle.engine.engine import Engine, Repeated

_CYCLE = (20.0, 40.0, 60.0, 80.0, 100.0, 127.0)
_LEAST_MS, _MOST_MS = 20.0, 60000.0
_BEATS = {
    4.0: "Every bar",
    2.0: "Every two beats",
    1.0: "1/4",
    0.5: "1/8",
    1.0 / 3.0: "1/8 triplets",
    0.25: "1/16",
    1.0 / 6.0: "1/16 triplets",
    0.125: "1/32",
    1.0 / 12.0: "1/32 triplets",
}
_INTERVALS_MS = (250.0, 500.0, 1000.0, 2000.0)


class Plan(msgspec.Struct, frozen=True):
    """Rate and velocities of note repeat."""

    beats: float = 1.0  # at the kit's tempo; 0 for an interval
    ms: float = 1000.0
    cycling: bool = False  # from soft to hard, else at the strike's velocity
    held: bool = False  # the pad that is held, else the one that is selected

    def text(self) -> str:
        """The plan as text."""
        every = _BEATS.get(self.beats, f"Every {self.ms:g}{THIN}ms")
        how = ", from soft to hard" if self.cycling else ""
        return f"{every}{how}{', while a pad is held' if self.held else ''}"


class Repeater(QObject):
    """Has the engine repeat a pad: the selected one, or the one that is held."""

    struck = pyqtSignal(str, float, object, int)  # pad, velocity, beat or None, frame

    def __init__(self, engine: Callable[[], Engine | None], pad: Callable[[], str]) -> None:
        """`pad` gives the id of the selected pad; empty for none."""
        super().__init__()
        self._engine = engine
        self._pad = pad
        self._plan = Plan()
        self._strength = 100.0
        self._on = False
        self._held: list[tuple[str, float]] = []  # pads and velocities, the last one repeats
        self._sent: tuple[Engine, Repeated | None] | None = None
        self._seen = 0  # strokes

    @property
    def on(self) -> bool:
        """True while it repeats, or will once a pad is held."""
        return self._on

    def set_on(self, on: bool) -> None:
        """Begins with the softest where it cycles; or ends."""
        self._on = on
        self._held = []
        self.follow(anew=True)

    @property
    def plan(self) -> Plan:
        """Rate and velocities."""
        return self._plan

    @plan.setter
    def plan(self, plan: Plan) -> None:
        self._plan = plan
        self.follow()

    @property
    def strength(self) -> float:
        """The velocity at which the selected pad is repeated, 1 to 127."""
        return self._strength

    @strength.setter
    def strength(self, velocity: float) -> None:
        self._strength = velocity
        self.follow()

    def hold(self, pad_id: str, velocity: float) -> None:
        """A hand has struck a pad: it is repeated from now on, where held pads are."""
        if self._on and self._plan.held:
            self._held = [one for one in self._held if one[0] != pad_id] + [(pad_id, velocity)]
            self.follow(anew=True)

    def let_go(self, pad_id: str) -> None:
        """A hand has let a pad go: the one that was held before is repeated again."""
        if any(held == pad_id for held, _ in self._held):
            self._held = [one for one in self._held if one[0] != pad_id]
            self.follow(anew=True)

    def follow(self, *, anew: bool = False) -> None:
        """Tells the engine what to repeat, where that differs from what it was told."""
        engine = self._engine()
        if engine is None:
            return
        lane = self._lane(engine)
        known = self._sent if self._sent is not None and self._sent[0] is engine else None
        if known is None:
            self._seen = engine.repeated(0)[1]
        if lane == (known[1] if known is not None else None) and not (anew and lane):
            return
        begins = anew or known is None or known[1] is None or known[1].slot != lane_slot(lane)
        self._sent = (engine, lane)
        engine.set_repeat(lane, anew=begins)

    def _lane(self, engine: Engine) -> Repeated | None:
        if not self._on:
            return None
        from puddle.engine.engine import Repeated

        held = self._plan.held
        if held and not self._held:
            return None
        pad_id, strength = self._held[-1] if held else (self._pad(), self._strength)
        slot = engine.slots.slot(pad_id)
        velocities = _CYCLE if self._plan.cycling else (strength,)
        return Repeated(slot, velocities, self._plan.beats, self._plan.ms / 1000.0, held)

    def look(self) -> None:
        """Gives the strokes that the engine has made since, once a frame of the window."""
        self.follow()  # another pad may have been selected
        engine = self._engine()
        if engine is None or self._sent is None or self._sent[0] is not engine:
            return
        strokes, self._seen = engine.repeated(self._seen)
        for one in strokes:
            if one.pad:
                self.struck.emit(one.pad, one.velocity, one.beat, one.frame)


def lane_slot(lane: Repeated | None) -> int | None:
    """The slot that a lane strikes; None where nothing is repeated."""
    return lane.slot if lane is not None else None


class RepeatMenu(QMenu):
    """How often and how hard a pad is repeated."""

    def __init__(self, repeater: Repeater, changed: Callable[[], None], parent: QWidget) -> None:
        super().__init__(parent)
        self._repeater = repeater
        self._changed = changed
        self._every, self._hard = QActionGroup(self), QActionGroup(self)
        self._which = QActionGroup(self)
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
        self.addSeparator()
        self._offer(self._which, "The selected pad", lambda p: not p.held, held=False)
        self._offer(self._which, "The pad that is held", lambda p: p.held, held=True)
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
        for group in (self._every, self._hard, self._which):
            group.setExclusive(False)  # an interval that was typed is none of those offered
        for action, now in self._offers:
            action.setChecked(now(self._repeater.plan))
        for group in (self._every, self._hard, self._which):
            group.setExclusive(True)

    def choose(self, **values: float | bool) -> None:
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
