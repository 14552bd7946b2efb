"""Compare as a page: how it is made, and what can be asked for wherever a sound is compared."""

from __future__ import annotations

from typing import TYPE_CHECKING

from puddle.window.commands import Command, Context, Page
from puddle.window.session import when
from puddle.window.session.comparer import Comparer
from puddle.window.session.listening import Listening
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.window.pages.compare.page import ComparePage


def _make(context: Context) -> ComparePage:
    from puddle.window.pages.compare.page import ComparePage

    return ComparePage(context.of(Session), context.of(Comparer))


def _matches(context: Context) -> bool:
    return context.of(Comparer).matched


_COMMANDS = (
    Command(
        "switch",
        "Compare",
        "Switch what is heard",
        "F5",
        "From this sound to what it is compared with, and back, without a gap.",
        lambda c: c.of(Comparer).switch(),
        when=when.has_pad,
    ),
    Command(
        "snapshot",
        "Compare",
        "Keep a snapshot",
        "F7",
        "Keeps this sound as it is now, to compare with and to go back to.",
        lambda c: c.of(Comparer).shelf.keep_snapshot(),
        when=when.has_pad,
    ),
    Command(
        "matched",
        "Compare",
        "Matched loudness",
        "Shift+F5",
        "Plays both equally loud, so that louder is not mistaken for better.",
        lambda c: c.of(Comparer).set_matched(not _matches(c)),
        checked=_matches,
        after_line=True,
    ),
    Command(
        "mono",
        "Compare",
        "Listen in mono",
        "F9",
        "Both sides as one, for the ear only: it is never exported.",
        lambda c: c.of(Listening).switch_mono(),
        checked=lambda c: c.of(Listening).mono,
        after_line=True,
    ),
    Command(
        "small_speaker",
        "Compare",
        "Listen through a small speaker",
        "Shift+F9",
        "As a kitchen radio would play it, for the ear only: it is never exported.",
        lambda c: c.of(Listening).switch_small_speaker(),
        checked=lambda c: c.of(Listening).small_speaker,
    ),
)

PAGE = Page(
    "compare",
    "Compare",
    "F8",
    "This sound beside a snapshot, a file, another pad, or itself without stages.",
    _make,
    _COMMANDS,
    tab=False,
    menu="Compare",
    toggles=True,
)
