"""Controllers as a page: how it is made."""

from __future__ import annotations

from typing import TYPE_CHECKING

from puddle.window.commands import Context, Page
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.window.pages.controllers.page import ControllersPage


def _make(context: Context) -> ControllersPage:
    from puddle.window.pages.controllers.page import ControllersPage
    from puddle.window.session.controlling import Controlling

    session = context.of(Session)
    return ControllersPage(session, context.of(Controlling, lambda: Controlling(session)))


PAGE = Page(
    "controllers",
    "Controllers",
    "Shift+F7",
    "What is struck by hand: which note strikes which pad, how hard, and what came in.",
    _make,
    tab=False,
    menu="View",
    ahead=("puddle.window.pages.controllers.page",),
    toggles=True,
)
