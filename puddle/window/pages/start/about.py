"""The start page as a page: how it is made."""

from __future__ import annotations

from puddle.window.commands import Context, Page
from puddle.window.files.kit_files import Kits
from puddle.window.pages.start.choices import Starting
from puddle.window.pages.start.page import StartPage
from puddle.window.session.session import Session


def _make(context: Context) -> StartPage:
    page = StartPage()
    starting = context.add(Starting(context.of(Session), page, context.of(Kits)))
    page.offer = starting.show
    return page


PAGE = Page(
    "start",
    "Start page",
    "",
    "New kit, templates, recent kits, the demo.",
    _make,
    tab=False,
    menu="Help",
)
