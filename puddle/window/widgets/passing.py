"""Dialogs and menus that are made anew whenever they are asked for, and freed when they close."""

from __future__ import annotations

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QMenu

from puddle.window import theme


def open_once(dialog: QDialog) -> None:
    """Opens a dialog; it is freed once it is closed, whatever was answered."""
    dialog.finished.connect(dialog.deleteLater)
    theme.dress(dialog)  # now, and not once it is shown: it is laid out only once
    dialog.open()


def answer_buttons(dialog: QDialog, kinds: QDialogButtonBox.StandardButton) -> QDialogButtonBox:
    """The buttons that accept or reject a dialog.

    Made with their parent, whose style decides then and there whether they have icons.
    """
    box = QDialogButtonBox(kinds, dialog)
    box.accepted.connect(dialog.accept)
    box.rejected.connect(dialog.reject)
    return box


def popup_once(menu: QMenu, at: QPoint) -> None:
    """Opens a menu; it is freed once it is closed."""
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(at)


def empty(menu: QMenu) -> None:
    """Takes every entry out of a menu that is filled anew; menus inside of it are freed too."""
    for action in menu.actions():
        inner = action.menu()
        if inner is not None:
            inner.deleteLater()
    menu.clear()


def submenu(menu: QMenu, title: str) -> QMenu:
    """A menu inside of another."""
    made = QMenu(title, menu)
    menu.addMenu(made)
    return made
