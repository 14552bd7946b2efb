"""Shape as a page: how it is made, and what can be asked for there."""

from __future__ import annotations

from puddle.window.commands import Command, Context, Page
from puddle.window.files.incoming import Incoming
from puddle.window.pages.shape.page import ShapePage
from puddle.window.session.aligner import Aligner
from puddle.window.session.printer import Printer
from puddle.window.session.session import Session
from puddle.window.session.trial import Trial

_CLOSER = 1.5


def _make(context: Context) -> ShapePage:
    incoming = context.of(Incoming)
    page = ShapePage(
        context.of(Session), context.of(Trial), context.of(Aligner), context.of(Printer),
        incoming.drop, incoming.ask_voice,
    )  # fmt: skip
    page.conflicts_wanted.connect(lambda: context.do("conflicts"))
    return context.add(page)


def _zoom(context: Context, factor: float) -> None:
    axis = context.of(ShapePage).lanes.axis
    axis.zoom(factor, (axis.first_ms + axis.last_ms) / 2.0)


def _is_made(context: Context) -> bool:
    return context.has(ShapePage)


_COMMANDS = (
    Command(
        "zoom_in",
        "View",
        "Zoom in",
        "Ctrl++",
        "Shows less time, larger.",
        lambda c: _zoom(c, _CLOSER),
        when=_is_made,
        after_line=True,
    ),
    Command(
        "zoom_out",
        "View",
        "Zoom out",
        "Ctrl+-",
        "Shows more time, smaller.",
        lambda c: _zoom(c, 1.0 / _CLOSER),
        when=_is_made,
    ),
    Command(
        "zoom_all",
        "View",
        "Show all",
        "Ctrl+0",
        "Shows the whole sound.",
        lambda c: c.of(ShapePage).lanes.axis.show_all(),
        when=_is_made,
    ),
)

PAGE = Page(
    "shape", "Shape", "Ctrl+3", "The layers and stages of the selected sound.", _make, _COMMANDS
)
