"""What a pad can take over from the one that was copied."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu, QWidget

from puddle.kit.edits import copying
from puddle.window.files.parcels import Parcels
from puddle.window.session.session import Session


def take_over_menu(session: Session, parcels: Parcels, owner: QWidget) -> QMenu:
    """Every aspect; why there is none where nothing was copied. It is freed with its owner."""
    pad, name = session.pad, parcels.copied_name()
    menu = QMenu(owner)
    if not name or pad is None or parcels.copied_pad_id() == pad.id:
        menu.setTitle("Take over")
        action = menu.addAction("Copy another pad first (Ctrl+Shift+C)")
        if action is not None:
            action.setEnabled(False)
        return menu
    menu.setTitle(f"Take over from {name}")
    for aspect in copying.ASPECTS:
        action = menu.addAction(aspect.capitalize())
        if action is not None:
            action.triggered.connect(lambda _, a=aspect: parcels.take_over(pad.id, a))
    return menu
