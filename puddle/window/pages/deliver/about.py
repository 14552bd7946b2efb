"""Deliver as a page: how it is made, and its commands."""

from __future__ import annotations

from typing import TYPE_CHECKING

from puddle.window.commands import Command, Context, Page
from puddle.window.files.incoming import Incoming
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.window.pages.deliver.page import DeliverPage


def _make(context: Context) -> DeliverPage:
    from puddle.window.pages.deliver.page import DeliverPage
    from puddle.window.session.checker import Checker
    from puddle.window.session.deliverer import Deliverer

    session = context.of(Session)
    checker = context.of(Checker, lambda: Checker(session))
    deliverer = context.of(Deliverer, lambda: Deliverer(session))
    return context.add(DeliverPage(session, checker, deliverer, context.do))


def _import(context: Context) -> None:
    """Asks for an instrument."""
    context.of(Incoming).instruments.ask()


PAGE = Page(
    "deliver",
    "Deliver",
    "Ctrl+7",
    "What is wrong before it leaves, what leaves, and to where.",
    _make,
    ahead=("puddle.window.pages.deliver.page",),
    commands=(
        Command(
            "import_instrument",
            "Kit",
            "Import an instrument …",
            "",
            "Adds the sounds of an SFZ instrument as pads, with their keys and velocities.",
            _import,
            after_line=True,
        ),
    ),
)
