"""A name is asked for in one way."""

from __future__ import annotations

from PyQt6.QtWidgets import QInputDialog, QWidget

LONGEST_NAME = 120
_SHOWN = 40  # signs of a name inside a sentence


def short(name: str) -> str:
    """A name inside a dialog's sentence: a long one without its middle, as copies end apart."""
    half = _SHOWN // 2
    return name if len(name) <= _SHOWN else f"{name[:half].rstrip()}…{name[1 - half :].lstrip()}"


def ask_name(parent: QWidget, title: str, question: str, now: str) -> str | None:
    """What is typed, without the space around it; None where nothing is, or it is given up."""
    name, done = QInputDialog.getText(parent, title, question, text=now)
    return name.strip()[:LONGEST_NAME] or None if done else None


def ask_other_name(parent: QWidget, now: str) -> str | None:
    """Another name for what has one; None where it keeps it."""
    name = ask_name(parent, "Rename", f"Another name for {short(now)}:", now)
    return None if name == now else name
