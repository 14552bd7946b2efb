"""Commands of the menu Kit: files in and out, preferences, the end."""

from __future__ import annotations

import os
import sys

from PyQt6.QtCore import QProcess
from PyQt6.QtWidgets import QMainWindow

from puddle.home.settings import save_settings
from puddle.window.commands import Command, Context
from puddle.window.files.exports import Exports
from puddle.window.files.kit_files import Kits
from puddle.window.session import when
from puddle.window.session.session import Session
from puddle.window.widgets.passing import open_once


def _open_beside(context: Context) -> None:
    """A second Puddle."""
    if not QProcess.startDetached(sys.executable, ["-m", "puddle"], os.getcwd())[0]:
        context.of(Session).told.emit("Another window cannot be opened here.")


def _prefer(context: Context) -> None:
    """Sound card, rate, block size."""
    from puddle.window.shell.preferences import Preferences

    session = context.of(Session)
    dialog = context.add(Preferences(session, context.of(QMainWindow)))

    def apply() -> None:
        dialog.apply()
        save_settings(session.settings)
        session.show_again()

    dialog.accepted.connect(apply)
    open_once(dialog)


COMMANDS = (
    Command(
        "new",
        "Kit",
        "New kit",
        "Ctrl+N",
        "From the template that new kits start from.",
        lambda c: c.of(Kits).new(),
    ),
    Command(
        "open",
        "Kit",
        "Open …",
        "Ctrl+O",
        "Opens a kit file.",
        lambda c: c.of(Kits).ask_open(),
    ),
    Command(
        "demo",
        "Kit",
        "Open the demo",
        "",
        "Opens Rain Gauge, the kit that ships along.",
        lambda c: c.of(Kits).demo(),
    ),
    Command(
        "open_beside",
        "Kit",
        "Another window",
        "Ctrl+Shift+N",
        "A second Puddle, to drag pads from one kit to another.",
        _open_beside,
    ),
    Command(
        "save",
        "Kit",
        "Save",
        "Ctrl+S",
        "Saves the kit.",
        lambda c: c.of(Kits).save(),
        after_line=True,
    ),
    Command(
        "save_as",
        "Kit",
        "Save as …",
        "Ctrl+Shift+S",
        "Saves the kit under another name.",
        lambda c: c.of(Kits).save_as(),
    ),
    Command(
        "template",
        "Kit",
        "Save as a template …",
        "",
        "Keeps the kit to start others from, with or without its sounds.",
        lambda c: c.of(Kits).ask_template(),
    ),
    Command(
        "export_sound",
        "Kit",
        "Export this sound …",
        "Ctrl+E",
        "Writes the selected pad's sound as WAV, with the samples that are heard.",
        lambda c: c.of(Exports).ask_sound(),
        when=when.has_pad,
        after_line=True,
    ),
    Command(
        "export_groove",
        "Kit",
        "Export the groove …",
        "Ctrl+Shift+E",
        "Writes the groove through the whole mix as WAV.",
        lambda c: c.of(Exports).ask_groove(),
        when=when.has_pattern,
    ),
    Command(
        "preferences",
        "Kit",
        "Preferences …",
        "Ctrl+,",
        "Sound card, rate and block size.",
        _prefer,
        after_line=True,
    ),
    Command(
        "quit",
        "Kit",
        "Quit",
        "Ctrl+Q",
        "Closes Puddle.",
        lambda c: c.of(QMainWindow).close(),
    ),
)
