"""Proposals for the mix, tried by ear as loud as the mix is without them."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import PuddleError
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.playing.tempo import paced
from puddle.render.take import Takes
from puddle.units import gain_from_db
from puddle.window.session.session import Session
from puddle.window.session.trial import Change, Trial

_MOST_DB = 12.0


class TriedMix(QObject):
    """One proposal at a time, heard at matched loudness once that is measured."""

    changed = pyqtSignal()

    def __init__(self, session: Session, trial: Trial) -> None:
        super().__init__(session)
        self._session, self._trial = session, trial
        self.gain_db = 0.0  # of what is tried
        self._ours = False
        trial.changed.connect(self._follow)

    @property
    def trying(self) -> bool:
        """Whether one of these proposals is heard."""
        return self._ours and self._trial.trying

    @property
    def said(self) -> str:
        """What is tried, in words."""
        return self._trial.said

    def offer(self, change: Change, name: str) -> None:
        """Lets a change be heard; its step's name says what it does."""
        session, pattern = self._session, self._session.pattern
        self._ours = True
        try:
            self._trial.offer(change, name, f"Tried: {name}", f"{name}.")
        except PuddleError as error:
            self._ours = False
            session.told.emit(str(error))
            return
        if pattern is not None:
            work = partial(_difference, session.paced, change, pattern, session.renders.takes)
            session.background.start(work, self._match, key="tried mix", priority="low")

    def keep(self) -> None:
        """Makes it a step."""
        self._trial.keep()

    def leave(self) -> None:
        """Back to the mix as it was."""
        self._trial.leave()

    def _match(self, difference_db: float | None) -> None:
        if self.trying and difference_db is not None:
            self._set_gain(max(-_MOST_DB, min(_MOST_DB, difference_db)))
            self.changed.emit()

    def _follow(self) -> None:
        if not self._trial.trying:
            self._ours = False
            self._set_gain(0.0)
        self.changed.emit()

    def _set_gain(self, db: float) -> None:
        if db != self.gain_db:
            self.gain_db = db
            self._session.player.monitoring.set_own_gain(gain_from_db(db))


def _difference(kit: Kit, change: Change, pattern: Pattern, takes: Takes) -> float | None:
    """By how much the mix without a change is louder than with it."""
    from puddle.views.mix_loudness import mix_loudness

    other = paced(change(kit))
    played = other.pattern(pattern.id) or pattern
    now, then = mix_loudness(kit, pattern, takes), mix_loudness(other, played, takes)
    return None if now is None or then is None else now - then
