"""The pages of the window: made when they are first wanted, one of them shown."""

from __future__ import annotations

import gc
import importlib
from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QStackedWidget

from puddle.window import theme
from puddle.window.commands import Command, Context, Page
from puddle.window.session.session import Session
from puddle.window.widgets.page_view import PageView


class Pages(QStackedWidget):
    """Knows the records of all pages, and the widgets of those that were wanted."""

    shown = pyqtSignal(str)  # a page's id

    def __init__(self, records: Sequence[Page], context: Context) -> None:
        super().__init__()
        self._records = {page.id: page for page in records}
        self._context = context
        self._session = context.of(Session)
        self._made: dict[str, PageView] = {}
        theme.house(self)
        self.tabs = tuple(page.id for page in records if page.tab)
        self.current = ""
        self._before = ""

    def import_ahead(self) -> None:
        """Has what pages ask for imported on a worker, so that their first showing is short."""
        names = [name for page in self._records.values() for name in page.ahead]
        # What they have loaded stays, as what the start has: no collection looks through it.
        self._session.background.start(
            lambda: _imported(names), lambda _: gc.freeze(), key="ahead", priority="low"
        )

    def page(self, page_id: str) -> PageView:
        """A page's widget."""
        if page_id not in self._made:
            made = self._records[page_id].make(self._context)
            self._made[page_id] = made
            self.addWidget(made)
            theme.room(made)
            self._restore(made)
        return self._made[page_id]

    def show_page(self, page_id: str) -> None:
        """Shows a page; one that toggles gives way to the one before if it is shown already."""
        if page_id == self.current and self._records[page_id].toggles:
            page_id = self._before or self.tabs[0]
        view = self.page(page_id)
        if page_id != self.current:
            self._before, self.current = self.current, page_id
        self.setCurrentWidget(view)
        self._session.looks.want_view(view.wants_view)
        for key, made in self._made.items():
            made.watch(key == page_id)
        view.entered()
        self.shown.emit(page_id)

    def dress(self) -> None:
        """Everything that a page has made in colors of its own is made anew."""
        for made in self._made.values():
            made.dress()

    def stop(self) -> None:
        """The window closes: nothing is watched any more."""
        for made in self._made.values():
            made.watch(False)
            made.end()

    # Splitters.

    def _restore(self, view: PageView) -> None:
        kept = self._session.settings.splitters
        for name, splitter in view.splitters().items():
            if name in kept:
                splitter.setSizes(kept[name])

    def keep_places(self) -> None:
        """Puts the splitters' places into the settings."""
        for view in self._made.values():
            places = {name: splitter.sizes() for name, splitter in view.splitters().items()}
            self._session.settings.splitters |= places


def _imported(names: Sequence[str]) -> None:
    for name in names:
        importlib.import_module(name)


def page_command(page: Page) -> Command:
    """The command that shows a page."""
    return Command(
        page.id,
        page.menu,
        page.title,
        page.keys,
        page.says,
        lambda context: context.of(Pages).show_page(page.id),
    )
