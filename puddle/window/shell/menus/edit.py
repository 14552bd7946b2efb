"""Commands of the menu Edit: steps, names, and what is done with pads."""

from __future__ import annotations

from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QMainWindow

from puddle.kit import edits
from puddle.kit.edits import copying
from puddle.kit.model.document import MOST_PADS
from puddle.window.commands import Command, Context
from puddle.window.editors.naming import ask_rename
from puddle.window.editors.pad_copier import PadCopier
from puddle.window.files.parcels import Parcels
from puddle.window.session import when
from puddle.window.session.session import Session
from puddle.window.shell.take_over import take_over_menu
from puddle.window.shore.shore import Shore
from puddle.window.widgets.passing import popup_once


def _undo(context: Context) -> None:
    """Takes the last step back, says what it was and shows where."""
    session = context.of(Session)
    name = session.history.undo_name
    if name is not None:
        session.undo()
        session.told.emit(f"Undone: {name}.")


def _redo(context: Context) -> None:
    """Brings it back."""
    session = context.of(Session)
    name = session.history.redo_name
    if name is not None:
        session.redo()
        session.told.emit(f"Done again: {name}.")


def _copy_pad(context: Context) -> None:
    """Copies the pad as it is now; other windows can take it from the clipboard."""
    session = context.of(Session)
    pad = session.pad
    if pad is not None:
        context.of(Parcels).copy(pad.id)
        session.told.emit(
            f"{pad.name} is copied: put it on an empty place, or choose another pad and take "
            "an aspect over."
        )


def _take_over(context: Context) -> None:
    """A menu of what the selected pad can take over from the copied one."""
    menu = take_over_menu(context.of(Session), context.of(Parcels), context.of(QMainWindow))
    popup_once(menu, QCursor.pos())


def _duplicate(context: Context) -> None:
    """A copy on the next free place, which is then selected."""
    session = context.of(Session)
    pad = session.pad
    if pad is None:
        return
    made = session.make(f"{pad.name} duplicated", lambda kit: copying.duplicate_pad(kit, pad.id))
    if made is not None:
        session.selection.select_pad(made.id)
        context.of(Shore).show_pad(made.id)


def _move(context: Context, by: int) -> None:
    """Changes places with what is beside it."""
    session = context.of(Session)
    pad = session.pad
    if pad is not None and 0 <= pad.place + by < MOST_PADS:
        place = pad.place + by
        session.edit(
            f"{pad.name} to place {place + 1}",
            lambda kit: edits.move_pad(kit, pad.id, place),
            ("place", pad.id),
        )
        context.of(Shore).show_pad(pad.id)


def _clear(context: Context) -> None:
    session = context.of(Session)
    pad = session.pad
    if pad is not None:
        session.edit(f"{pad.name} cleared", lambda kit: copying.clear_pad(kit, pad.id))


def _remove(context: Context) -> None:
    session = context.of(Session)
    pad = session.pad
    if pad is not None:
        session.edit(f"{pad.name} removed", lambda kit: edits.remove_pad(kit, pad.id))


COMMANDS = (
    Command(
        "undo",
        "Edit",
        "Undo",
        "Ctrl+Z",
        "Takes the last step back.",
        _undo,
        when=when.can_undo,
    ),
    Command(
        "redo",
        "Edit",
        "Redo",
        "Ctrl+Shift+Z",
        "Brings it back.",
        _redo,
        when=when.can_redo,
    ),
    Command(
        "rename",
        "Edit",
        "Rename …",
        "F2",
        "Gives the layer, or the pad, another name.",
        lambda c: ask_rename(c.of(Session), c.of(QMainWindow)),
        when=when.has_pad,
        after_line=True,
    ),
    Command(
        "copy_pad",
        "Edit",
        "Copy the pad",
        "Ctrl+Shift+C",
        "Remembers the pad, to be put elsewhere or for another to take an aspect over.",
        _copy_pad,
        when=when.has_pad,
        after_line=True,
    ),
    Command(
        "take_over",
        "Edit",
        "Take over from the copied pad …",
        "Ctrl+Shift+V",
        "One aspect of the copied pad: its stages, envelopes, velocities, response and others.",
        _take_over,
        when=when.has_pad,
    ),
    Command(
        "duplicate_pad",
        "Edit",
        "Duplicate the pad",
        "Ctrl+Shift+D",
        "A copy on the next free place, with a free note.",
        _duplicate,
        when=when.has_pad,
    ),
    Command(
        "copy_to_pads",
        "Edit",
        "Copy to more pads …",
        "Ctrl+Alt+D",
        "Copies of this sound at intervals, or along a scale, on the next free places.",
        lambda c: c.of(PadCopier).ask(),
        when=when.has_pad,
    ),
    Command(
        "move_left",
        "Edit",
        "Move the pad left",
        "Ctrl+Shift+Left",
        "Swaps it with a place.",
        lambda c: _move(c, -1),
        when=when.has_pad,
    ),
    Command(
        "move_right",
        "Edit",
        "Move the pad right",
        "Ctrl+Shift+Right",
        "Swaps it with a place.",
        lambda c: _move(c, 1),
        when=when.has_pad,
    ),
    Command(
        "clear_pad",
        "Edit",
        "Clear the pad",
        "Ctrl+Shift+Backspace",
        "Takes its sound out; name, role, notes and choke group stay.",
        _clear,
        when=when.has_pad,
    ),
    Command(
        "remove_pad",
        "Edit",
        "Remove the pad",
        "Ctrl+Shift+Del",
        "Takes the whole pad out.",
        _remove,
        when=when.has_pad,
    ),
)
