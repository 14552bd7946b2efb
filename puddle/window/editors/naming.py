"""Another name for the selected layer, or for the pad."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from puddle.kit import edits
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_other_name


def ask_rename(session: Session, window: QWidget) -> None:
    """Asks for another name for what is selected."""
    pad, layer = session.pad, session.layer
    if pad is None:
        return
    now = layer.name if layer else pad.name
    name = ask_other_name(window, now)
    if name is None:
        return
    told = f"{now}: called {name}"
    if layer is None:
        session.edit(told, lambda kit: edits.set_pad(kit, pad.id, name=name))
    else:
        session.edit(told, lambda kit: edits.set_layer(kit, pad.id, layer.id, name=name))
