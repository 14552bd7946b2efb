"""When commands can do something: by what is selected in the open kit."""

from __future__ import annotations

from puddle.window.commands import Context
from puddle.window.session.printer import Printer
from puddle.window.session.session import Session


def has_pad(context: Context) -> bool:
    """A pad is selected."""
    return context.of(Session).pad is not None


def has_layer(context: Context) -> bool:
    """A layer is selected."""
    return context.of(Session).layer is not None


def has_alternates(context: Context) -> bool:
    """The selected pad has several sounds."""
    pad = context.of(Session).pad
    return pad is not None and len(pad.alternates) > 1


def has_pattern(context: Context) -> bool:
    """There is a groove."""
    return context.of(Session).pattern is not None


def has_recipe(context: Context) -> bool:
    """What is selected was printed."""
    return context.of(Printer).recipe is not None


def can_undo(context: Context) -> bool:
    """There is a step to take back."""
    return context.of(Session).history.undo_name is not None


def can_redo(context: Context) -> bool:
    """There is a step to bring back."""
    return context.of(Session).history.redo_name is not None
