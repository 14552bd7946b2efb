"""Commands of the menu Play: strikes, the groove, and the scale on the pads."""

from __future__ import annotations

from PyQt6.QtGui import QCursor

from puddle.window.commands import Command, Context
from puddle.window.session import when
from puddle.window.session.session import Session
from puddle.window.shore.key_menu import KeyMenu
from puddle.window.shore.shore import Shore


def _strike(context: Context) -> None:
    session = context.of(Session)
    session.playing.strike(session.pad_id, context.of(Shore).velocity)


def _repeats(context: Context) -> bool:
    return context.of(Session).player.repeater.on


def _step_pad(context: Context, step: int) -> None:
    session = context.of(Session)
    ids = [pad.id for pad in sorted(session.kit.pads, key=lambda p: p.place)]
    if session.pad_id in ids:
        session.selection.select_pad(ids[(ids.index(session.pad_id) + step) % len(ids)])


def _shows_scale(context: Context) -> bool:
    return context.of(Shore).scale.on


def _ask_key(context: Context) -> None:
    """The menu of the kit's root and scale, where the scale is told or where the mouse is."""
    shore = context.of(Shore)
    at = shore.banks.scale_corner() if shore.scale.on else QCursor.pos()
    context.of(KeyMenu).open_at(at, on_the_pads=shore.scale.on)


COMMANDS = (
    Command(
        "strike",
        "Play",
        "Strike the selected pad",
        "Ctrl+Return",
        "At the set velocity.",
        _strike,
    ),
    Command(
        "play",
        "Play",
        "Play or stop the groove",
        "Space",
        "From the first step.",
        lambda c: c.of(Session).grooving.toggle(),
    ),
    Command(
        "repeat",
        "Play",
        "Repeat the selected pad",
        "F4",
        "While you work on it; how often is told beside its button.",
        lambda c: c.of(Shore).transport.set_repeat(not _repeats(c)),
        checked=_repeats,
    ),
    Command(
        "silence",
        "Play",
        "Silence",
        "Shift+Esc",
        "Stops all that rings.",
        lambda c: c.of(Session).player.silence(),
    ),
    Command(
        "next_pad",
        "Play",
        "Next pad",
        "Ctrl+Right",
        "Selects the next pad.",
        lambda c: _step_pad(c, 1),
        after_line=True,
    ),
    Command(
        "previous_pad",
        "Play",
        "Previous pad",
        "Ctrl+Left",
        "Selects the pad before.",
        lambda c: _step_pad(c, -1),
    ),
    Command(
        "scale_layout",
        "Play",
        "Play a scale on the pads",
        "F3",
        "The sixteen places play the selected pad along the kit's scale.",
        lambda c: c.of(Shore).scale.set_on(not _shows_scale(c)),
        when=when.has_pad,
        checked=_shows_scale,
        after_line=True,
    ),
    Command(
        "key",
        "Play",
        "Key of the kit …",
        "",
        "The root and the scale that pads are tuned to and played along.",
        _ask_key,
    ),
    Command(
        "octave_down",
        "Play",
        "An octave lower",
        "Ctrl+[",
        "The scale on the pads lower.",
        lambda c: c.of(Shore).scale.shift(-1),
    ),
    Command(
        "octave_up",
        "Play",
        "An octave higher",
        "Ctrl+]",
        "The scale on the pads higher.",
        lambda c: c.of(Shore).scale.shift(1),
    ),
)
