"""Cut as a page: how it is made, and its commands."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from puddle.window.commands import Command, Context, Page
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.window.pages.cut.page import CutPage


def _make(context: Context) -> CutPage:
    from puddle.window.pages.cut.page import CutPage

    return context.add(CutPage(context.of(Session), context.do))


def _on_page(does: Callable[[CutPage], object]) -> Callable[[Context], None]:
    def run(context: Context) -> None:
        from puddle.window.pages.cut.page import CutPage

        context.do("cut")
        does(context.of(CutPage))

    return run


def _has_recording(context: Context) -> bool:
    return bool(context.of(Session).kit.recordings)


COMMANDS = (
    Command(
        "cut_open", "Cut", "Open a recording …", "",
        "A long recording or a loop, to cut hits out of it.",
        _on_page(lambda page: page.bringing.ask()),
    ),
    Command(
        "cut_record", "Cut", "Record an input …", "",
        "A sound card's input, written to disk as it comes.",
        _on_page(lambda page: page.bringing.record()),
    ),
    Command(
        "cut_demo", "Cut", "Open the boathouse session", "",
        "A recording of our own making, to try it with.",
        _on_page(lambda page: page.bringing.open_session()),
    ),
    Command(
        "cut_again", "Cut", "Look at the recording again", "",
        "After it has grown, or came back.", _on_page(lambda page: page.cutter.look_again()),
        _has_recording,
    ),
    Command(
        "cut_cues", "Cut", "Take the file's cue points", "",
        "Hits at the cue points of a WAV file, where none was found.",
        _on_page(lambda page: page.bringing.take_cues()), _has_recording,
    ),
    Command(
        "cut_relocate", "Cut", "The recording lies elsewhere …", "",
        "Where a file that was moved lies now.", _on_page(lambda page: page.bringing.relocate()),
        _has_recording,
    ),
    Command(
        "cut_away", "Cut", "Put the recording away", "",
        "The kit no longer names it; the file stays, and what was sent of it too.",
        _on_page(lambda page: page.cutter.remove()), _has_recording,
    ),
    Command(
        "cut_send", "Cut", "Send the groups to pads", "",
        "Strengths on velocities, takes of one strength as turns.",
        _on_page(lambda page: page.sends.send()), _has_recording, after_line=True,
    ),
    Command(
        "cut_in_order", "Cut", "Send the hits in order", "",
        "Each on a pad of its own, and a pattern that plays the recording again.",
        _on_page(lambda page: page.sends.send_in_order()), _has_recording,
    ),
    Command(
        "cut_pattern", "Cut", "Keep the timing as a pattern", "",
        "The hits at exact times, each group on its pad.",
        _on_page(lambda page: page.sends.do("pattern")), _has_recording,
    ),
    Command(
        "cut_feel", "Cut", "Keep the timing as a feel", "", "For any lane, on Groove.",
        _on_page(lambda page: page.sending.keep_feel()), _has_recording,
    ),
    Command(
        "cut_midi", "Cut", "Write the timing as MIDI …", "", "A track for each group.",
        _on_page(lambda page: page.sends.ask_midi()), _has_recording, after_line=True,
    ),
    Command(
        "cut_write", "Cut", "Write the hits …", "", "Each as a file of its own.",
        _on_page(lambda page: page.sends.ask_write()), _has_recording,
    ),
)  # fmt: skip


PAGE = Page(
    "cut",
    "Cut",
    "Ctrl+2",
    "Hits and loops out of recordings.",
    _make,
    COMMANDS,
    ahead=("puddle.window.pages.cut.page",),
)
