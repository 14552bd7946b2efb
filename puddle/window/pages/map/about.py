"""Map as a page: how it is made."""

from __future__ import annotations

from typing import TYPE_CHECKING

from puddle.window.commands import Context, Page
from puddle.window.editors.alternate_lines import Sources
from puddle.window.editors.pad_copier import PadCopier
from puddle.window.files.incoming import Incoming
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.window.pages.map.page import MapPage


def _make(context: Context) -> MapPage:
    from puddle.window.pages.map.page import MapPage

    incoming = context.of(Incoming)
    sources = Sources(
        incoming.ask_alternates, incoming.ask_voice_alternate, incoming.add_alternates
    )
    return MapPage(
        context.of(Session),
        sources,
        context.of(PadCopier).ask,
        lambda: context.do("controllers"),
    )


PAGE = Page(
    "map",
    "Map",
    "Ctrl+4",
    "Which keys strike which pads, and what soft and hard strikes play.",
    _make,
)
