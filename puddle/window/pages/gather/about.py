"""Gather as a page: how it is made."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from puddle.window.commands import Command, Context, Page
from puddle.window.session import when
from puddle.window.session.comparer import Comparer
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.window.pages.gather.page import GatherPage


def _make(context: Context) -> GatherPage:
    """Its modules bring SQLite and the kernels in: only once it is wanted."""
    from puddle.window.pages.gather.page import GatherPage
    from puddle.window.session.hearing import Hearing
    from puddle.window.session.librarian import Librarian

    session = context.of(Session)
    shelf = context.of(Comparer).shelf
    return context.add(GatherPage(session, Librarian(session), Hearing(session), shelf))


def _like(context: Context) -> None:
    from puddle.window.pages.gather.page import GatherPage

    context.do("gather")
    context.of(GatherPage).alike.like_pad()


def _step(by: int) -> Callable[[Context], None]:
    def step(context: Context) -> None:
        from puddle.window.pages.gather.page import GatherPage

        context.do("gather")
        context.of(GatherPage).details.step(by)

    return step


COMMANDS = (
    Command(
        "like_pad",
        "Sound",
        "Replace by something like it",
        "Ctrl+B",
        "Finds sounds like the selected pad's, and plays them in its place.",
        _like,
        when.has_pad,
        after_line=True,
    ),
    Command(
        "like_next", "Sound", "Next like it", "F11", "The next nearest sound, heard.", _step(1)
    ),
    Command(
        "like_before", "Sound", "The one before", "Shift+F11", "One nearer again, heard.", _step(-1)
    ),
)


PAGE = Page(
    "gather",
    "Gather",
    "Ctrl+1",
    "Sounds of your folders, found by what they are and heard in place.",
    _make,
    COMMANDS,
    ahead=("puddle.window.pages.gather.page",),
)
