"""Gather as a page: how it is made."""

from __future__ import annotations

from typing import TYPE_CHECKING

from puddle.window.commands import Context, Page
from puddle.window.session.hearing import Hearing
from puddle.window.session.librarian import Librarian
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.window.pages.gather.page import GatherPage


def _make(context: Context) -> GatherPage:
    from puddle.window.pages.gather.page import GatherPage

    return GatherPage(context.of(Session), context.of(Librarian), context.of(Hearing))


PAGE = Page(
    "gather",
    "Gather",
    "Ctrl+1",
    "Sounds of your folders, found by what they are and heard in place.",
    _make,
)
