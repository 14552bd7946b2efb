"""Groove as a page: how it is made, and its commands."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from puddle.kit import edits
from puddle.window.commands import Command, Context, Page
from puddle.window.files.midi_files import MidiFiles
from puddle.window.session import when
from puddle.window.session.recording import Recording
from puddle.window.session.session import Session
from puddle.window.session.under import UnderTheGroove

if TYPE_CHECKING:
    from puddle.window.pages.groove.page import GroovePage


def _make(context: Context) -> GroovePage:
    from puddle.window.pages.groove.page import GroovePage

    made = context.add(
        GroovePage(context.of(Session), context.of(MidiFiles), context.of(UnderTheGroove))
    )
    recording = context.of(Recording)
    recording.changed.connect(lambda: made.bar.record.setChecked(recording.on))
    made.bar.wanted.connect(context.do)
    return made


def _on_page(does: Callable[[GroovePage], object]) -> Callable[[Context], None]:
    def run(context: Context) -> None:
        from puddle.window.pages.groove.page import GroovePage

        context.do("groove")
        does(context.of(GroovePage))

    return run


def _switch_metronome(context: Context) -> None:
    session = context.of(Session)
    on = not session.kit.metronome
    session.edit(f"Metronome {'on' if on else 'off'}", lambda kit: edits.set_kit(kit, metronome=on))


def _clicks(context: Context) -> bool:
    return context.of(Session).kit.metronome


COMMANDS = (
    Command(
        "pattern_new", "Groove", "New pattern", "", "An empty one, as long as this one.",
        _on_page(lambda page: page.patterns.add()),
    ),
    Command(
        "pattern_duplicate", "Groove", "Duplicate the pattern", "", "A copy, to be changed.",
        _on_page(lambda page: page.patterns.duplicate()), when.has_pattern,
    ),
    Command(
        "pattern_remove", "Groove", "Remove the pattern", "", "Undo brings it back.",
        _on_page(lambda page: page.patterns.remove()), when.has_pattern,
    ),
    Command(
        "pattern_swap", "Groove", "A against B", "F12",
        "The pattern that was shown before, and back.",
        _on_page(lambda page: page.patterns.swap()), when.has_pattern,
    ),
    Command(
        "pattern_next", "Groove", "Next pattern", "Ctrl+Shift+Down", "It plays from the next bar.",
        lambda c: c.of(Session).grooving.choose_by(1), when.has_pattern,
    ),
    Command(
        "pattern_before", "Groove", "Pattern before", "Ctrl+Shift+Up",
        "It plays from the next bar.",
        lambda c: c.of(Session).grooving.choose_by(-1), when.has_pattern,
    ),
    Command(
        "pattern_start", "Groove", "Start from a pattern of ours …", "",
        "On this kit's pads, by their roles.", _on_page(lambda page: page.patterns.ask_start()),
        after_line=True,
    ),
    Command(
        "pattern_vary", "Groove", "Vary …", "", "Seeded variations, heard at once.",
        _on_page(lambda page: page.patterns.vary(page.grid.selected)), when.has_pattern,
    ),
    Command(
        "pattern_fill", "Groove", "Fill …", "", "A fill in the last beat or bar.",
        _on_page(lambda page: page.patterns.ask_fill()), when.has_pattern,
    ),
    Command(
        "pattern_order", "Groove", "Play order …", "", "Patterns one after the other.",
        _on_page(lambda page: page.patterns.order()), when.has_pattern,
    ),
    Command(
        "export_midi", "Groove", "Export the pattern as MIDI …", "",
        "A Standard MIDI File with a track for each lane.",
        lambda c: c.of(MidiFiles).ask_export(), when.has_pattern,
    ),
    Command(
        "record", "Groove", "Record the pads", "Ctrl+Shift+R",
        "Over the groove; after a count-in where it rests.",
        lambda c: c.of(Recording).toggle(), checked=lambda c: c.of(Recording).on, after_line=True,
    ),
    Command(
        "keep_played", "Groove", "Keep what I just played", "Ctrl+Shift+M",
        "The last two minutes on the pads, as a pattern at the tempo that fits.",
        lambda c: c.of(Recording).keep(),
    ),
    Command(
        "metronome", "Groove", "Metronome", "Ctrl+M", "Clicks on the beats; never exported.",
        _switch_metronome, checked=_clicks,
    ),
)  # fmt: skip


PAGE = Page(
    "groove",
    "Groove",
    "Ctrl+5",
    "Patterns, in which a sound is judged.",
    _make,
    COMMANDS,
    ahead=("puddle.window.pages.groove.page",),
)
