"""Day and night: the window in other colors."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication, QMainWindow, QWidget

from puddle.window import theme
from puddle.window.commands import Context
from puddle.window.session.session import Session
from puddle.window.shell.frame import Pages
from puddle.window.shell.keyboard import Keyboard


def dress(context: Context, choice: str) -> None:
    """Takes a theme: day, night, or as the desktop has it."""
    context.of(Session).settings.theme = choice
    app = QApplication.instance()
    if isinstance(app, QApplication):
        with context.of(Keyboard).set_aside():
            theme.apply(app, choice)
    context.of(Pages).dress()
    for widget in context.of(QMainWindow).findChildren(QWidget):
        widget.update()
