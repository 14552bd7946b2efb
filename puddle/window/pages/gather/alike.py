"""What is like a sound of the library, or like what a pad makes."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QMenu

from puddle.kit.model.document import Sound
from puddle.kit.playing.velocity import hardest
from puddle.library.library import Library
from puddle.library.question import Question, of_entry, of_sound
from puddle.library.rows import Entry
from puddle.library.search import Query
from puddle.window.pages.gather.details import Details
from puddle.window.pages.gather.sieve_panel import SievePanel
from puddle.window.session.hearing import Hearing
from puddle.window.session.librarian import Librarian
from puddle.window.session.session import Session
from puddle.window.session.shelf import Shelf
from puddle.window.widgets.passing import popup_once


class Alike:
    """One question at a time, asked again whenever a gauge is moved."""

    def __init__(
        self,
        session: Session,
        librarian: Librarian,
        hearing: Hearing,
        sieve: SievePanel,
        details: Details,
        shelf: Shelf,
    ) -> None:
        self._shelf = shelf
        self._session, self._librarian, self._hearing = session, librarian, hearing
        self._sieve, self._details = sieve, details
        self._asked: Callable[[Library], Question] | None = None
        self._of_pad = False  # whether it is a pad that others are like: of any role then
        self._unlike: list[int] = []

    def like(self, entry: Entry) -> None:
        """Asks for what is like an entry."""
        self._asked = lambda library: of_entry(library, entry)
        self._of_pad = False
        self._unlike = []
        self.ask()

    def ask(self) -> None:
        """Asks once more."""
        asked = self._asked
        if asked is not None:
            query = Query() if self._of_pad else self._sieve.query
            self._librarian.nearest(asked, query, self._details.pulls, self._unlike, self._show)

    def _show(self, found: tuple[Question, list[tuple[Entry, float]]]) -> None:
        question, near = found
        self._details.show_near(question.name, near)

    def like_pad(self) -> None:
        """Asks for what is like the selected pad's sound, to be heard in its place."""
        pad = self._session.pad
        audio = self._session.renders.audio.get(self._session.pad_id)
        if pad is None or audio is None:
            self._session.told.emit("Select a pad with a sound first.")
            return
        rate, name = self._session.renders.takes.rate_hz, pad.name
        self._asked = lambda _: of_sound(name, audio, rate)
        self._of_pad = True
        self._unlike = []
        self._hearing.entry = None
        self._hearing.set_way("in the groove")
        self.ask()

    def like_sound(self, name: str, sound: Sound) -> None:
        """Asks for what is like a sound as full strength plays it."""
        takes = self._session.renders.takes
        heard = hardest(sound)
        self._asked = lambda _: of_sound(name, takes.sound(heard).audio, takes.rate_hz)
        self._of_pad, self._unlike = True, []
        self.ask()

    def ask_other(self) -> None:
        """Asks for what it is that others are to be like."""
        menu = QMenu(self._details)
        pad = self._session.pad
        if pad is not None:
            self._offer(menu, f"The pad {pad.name}", self.like_pad)
        self._shelf.refresh()
        for entry in self._shelf.entries:
            if entry.sound is not None:
                self._offer(menu, entry.name, partial(self.like_sound, entry.name, entry.sound))
        at = self._details.other
        popup_once(menu, at.mapToGlobal(at.rect().bottomLeft()))

    def _offer(self, menu: QMenu, name: str, done: Callable[[], None]) -> None:
        action = menu.addAction(name)
        if action is not None:
            action.triggered.connect(lambda: done())

    def less_like(self) -> None:
        """Leads away from the sound at hand."""
        entry = self._details.entry
        if entry is not None:
            self._unlike.append(entry.id)
            self.ask()
