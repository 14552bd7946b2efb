"""Mixes switched while they are heard, equally loud where that is wanted."""

from __future__ import annotations

import math
from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.kit.edits.mixes import choose_mix, mixes_of
from puddle.kit.model.document import Kit, Pattern
from puddle.render.take import Takes
from puddle.units import gain_from_db
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after

_SOON_MS = 400


class Mixes(QObject):
    """Which mix plays, and by how much it is turned down for the ear."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.matching = False
        self.gain_db = 0.0  # of what plays
        self._known: dict[int, float] = {}  # loudness of each mix, of the kit that was measured
        self._soon = once_after(self, _SOON_MS, self._measure)
        session.kit_changed.connect(self._follow)
        session.started.connect(self._forget)

    def choose(self, index: int) -> None:
        """Another mix plays, from the next frame on."""
        known = mixes_of(self._session.kit)
        if not 0 <= index < len(known):
            return
        self._session.edit(f"{known[index].name} plays", lambda kit: choose_mix(kit, index))
        self._session.settle()

    def step(self) -> None:
        """The next mix plays, after the last the first."""
        count = len(mixes_of(self._session.kit))
        if count < 2:
            self._session.told.emit("There is one mix only: keep it on Mix, and go on with a copy.")
            return
        self.choose((self._session.kit.mix + 1) % count)

    def match(self, on: bool) -> None:
        """Whether louder mixes are turned down while they are heard."""
        self.matching = on
        if on:
            self._measure()
        self._apply()

    def _follow(self) -> None:
        self._apply()
        if self.matching:
            self._soon.start()

    def _forget(self) -> None:
        self._known = {}
        self._apply()

    def _measure(self) -> None:
        session, pattern = self._session, self._session.pattern
        if pattern is None or not session.kit.mixes:
            return
        kit, takes = session.paced, session.renders.takes
        session.background.start(
            partial(_measured, kit, pattern, takes), self._take, key="mix loudness", priority="low"
        )

    def _take(self, found: dict[int, float]) -> None:
        self._known = found
        self._apply()

    def _apply(self) -> None:
        """The loudest are brought to the softest: nothing clips by it."""
        kit = self._session.kit
        gain = 0.0
        if self.matching and kit.mix in self._known and len(mixes_of(kit)) == len(self._known):
            gain = min(self._known.values()) - self._known[kit.mix]
        self.gain_db = round(gain, 1) if math.isfinite(gain) else 0.0
        self._session.player.monitoring.set_own_gain(gain_from_db(self.gain_db))
        self.changed.emit()


def _measured(kit: Kit, pattern: Pattern, takes: Takes) -> dict[int, float]:
    """The loudness of each mix over a pass of a pattern; nothing where one is silent."""
    from puddle.views.mix_loudness import mix_loudness

    found = {}
    for n in range(len(mixes_of(kit))):
        loud = mix_loudness(choose_mix(kit, n), pattern, takes)
        if loud is None:
            return {}
        found[n] = loud
    return found
