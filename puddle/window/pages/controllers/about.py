"""Controllers as a page: how it is made."""

from __future__ import annotations

from typing import TYPE_CHECKING

from puddle.window.commands import Command, Context, Page
from puddle.window.session.session import Session
from puddle.window.shore.shore import Shore

if TYPE_CHECKING:
    from puddle.window.pages.controllers.page import ControllersPage


def _make(context: Context) -> ControllersPage:
    from puddle.window.pages.controllers.page import ControllersPage
    from puddle.window.session.controlling import Controlling

    session = context.of(Session)
    return ControllersPage(session, context.of(Controlling, lambda: Controlling(session)))


def _next_map(context: Context) -> None:
    from puddle.window.session.controlling import Controlling

    session = context.of(Session)
    controlling = context.of(Controlling, lambda: Controlling(session))
    controlling.start()
    controlling.choose_next_map()


def _lay_shore(context: Context) -> None:
    """The pads along the bottom as those of the controller that was played last."""
    from puddle.window.pages.controllers.layouts import SHORE_ROWS
    from puddle.window.session.controlling import Controlling

    session = context.of(Session)
    controlling = context.of(Controlling, lambda: Controlling(session))
    port = controlling.last_port or "".join(controlling.there[:1])
    context.of(Shore).set_rows(SHORE_ROWS[controlling.maps.of(port).layout])


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
    commands=(
        Command(
            "next_map",
            "Play",
            "Next map of the controller",
            "Ctrl+Shift+F7",
            "The controller that was played last plays by the next map.",
            _next_map,
            after_line=True,
        ),
        Command(
            "lay_shore",
            "Play",
            "Lay the pads out as the controller's",
            "",
            "The pads along the bottom in the layout of the controller that was played last.",
            _lay_shore,
        ),
    ),
)
