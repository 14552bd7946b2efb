"""A proposal that is heard and seen before it is kept: as one step, or not at all."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.kit.model.document import Kit
from puddle.window.session.session import Session

Change = Callable[[Kit], Kit]


class Trial(QObject):
    """One proposal at a time, heard in the kit's place."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        # What is heard, the change that makes it, its step's name, and what it won.
        self._proposal: tuple[Kit, Change, str, str] | None = None
        self.said = ""  # of what is tried
        session.kit_changed.connect(self._drop)
        session.selection_changed.connect(self.leave)
        session.heard_changed.connect(self._give_way)

    @property
    def trying(self) -> bool:
        """Whether a proposal is heard instead of the sound."""
        return self._proposal is not None

    def offer(self, change: Change, name: str, said: str, won: str) -> None:
        """Lets a change be heard and seen: its step's name, what is said of it, what it wins.

        Raises EditError where it cannot be made.
        """
        kit = change(self._session.kit)
        self._proposal = (kit, change, name, won)
        self.said = said
        self._session.playing.hear(kit, seen=True)
        self.changed.emit()

    def keep(self) -> None:
        """Makes what is tried a step."""
        if self._proposal is not None:
            (_, change, name, won), self._proposal = self._proposal, None
            if self._session.edit(name, change, large=True):
                self._session.settle()
                self._session.told.emit(won)
            self.changed.emit()

    def leave(self) -> None:
        """Back to the sound as it was."""
        if self._proposal is not None:
            self._proposal = None
            self._session.playing.hear(None, seen=True)
            self.changed.emit()

    def _give_way(self) -> None:
        """Something else is tried: by a search, or by what is compared."""
        if self._proposal is not None and not self._session.playing.tries(self._proposal[0]):
            self._drop()

    def _drop(self) -> None:
        """The kit is another: what was tried goes by what it was."""
        if self._proposal is not None:
            self._proposal = None
            self.changed.emit()
