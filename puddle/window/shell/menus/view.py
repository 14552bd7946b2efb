"""Commands of the menus View and Help: the finder, day and night, the pads, the keys."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QMainWindow

from puddle.window.commands import Command, Context
from puddle.window.session.session import Session
from puddle.window.shell.actions import Actions
from puddle.window.shell.dress import dress
from puddle.window.shore.shore import Shore
from puddle.window.widgets.passing import open_once


def _find(context: Context) -> None:
    """Opens the finder, empty."""
    from puddle.window.shell.finder import Finder
    from puddle.window.shell.finder_entries import entries

    window = context.of(QMainWindow)
    context.of(Finder, lambda: Finder(window, partial(entries, context))).ask_over(window)


def _dressed(choice: str, context: Context) -> bool:
    return context.of(Session).settings.theme == choice


def _list_keys(context: Context) -> None:
    from puddle.window.shell.shortcuts import Shortcuts

    commands = context.of(Actions).commands
    open_once(context.add(Shortcuts(commands, context.of(QMainWindow))))


FIND = (
    Command(
        "find",
        "View",
        "Find …",
        "Ctrl+K",
        "Any command, page, pad, layer or gauge, by typing part of its name.",
        _find,
    ),
)

HELP = (
    Command(
        "shortcuts",
        "Help",
        "Shortcuts",
        "?",
        "Every key and what it does.",
        _list_keys,
    ),
)

VIEW = (
    Command(
        "day",
        "View",
        "Day",
        "",
        "Paper and ink.",
        lambda c: dress(c, "day"),
        checked=partial(_dressed, "day"),
        after_line=True,
        choices="theme",
    ),
    Command(
        "night",
        "View",
        "Night",
        "",
        "Deep ink.",
        lambda c: dress(c, "night"),
        checked=partial(_dressed, "night"),
        choices="theme",
    ),
    Command(
        "desktop",
        "View",
        "Follow the desktop",
        "",
        "Day or night as the desktop has it.",
        lambda c: dress(c, "desktop"),
        checked=partial(_dressed, "desktop"),
        choices="theme",
    ),
    Command(
        "pad_layout",
        "View",
        "Pads in one row, two, or a square",
        "F6",
        "Changes how the shore shows the pads.",
        lambda c: c.of(Shore).show_next_layout(),
        after_line=True,
    ),
)
