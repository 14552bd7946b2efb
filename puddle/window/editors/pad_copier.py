"""Copies of a pad on more pads: asks at which intervals, and whether the copies follow it."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from puddle.errors import PuddleError
from puddle.kit.edits.spreading import intervals_of, spread
from puddle.window.editors.copy_dialog import CopyPads
from puddle.window.session.measuring import measured_note
from puddle.window.session.session import Session
from puddle.window.widgets.passing import open_once


class PadCopier:
    """Remembers what was typed last."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self._session = session
        self._window = window
        self._intervals = ""
        self.dialog: CopyPads | None = None

    def ask(self) -> None:
        """Asks how far apart the copies of the selected pad are to be."""
        pad = self._session.pad
        if pad is None:
            return
        typed = self._intervals or self._session.kit.key.scale
        self.dialog = CopyPads(pad.name, typed, self._window)
        self.dialog.accepted.connect(self._copy)
        open_once(self.dialog)

    def _copy(self) -> None:
        session, pad, dialog = self._session, self._session.pad, self.dialog
        if pad is None or dialog is None:
            return
        self._intervals = dialog.intervals.text()
        try:
            intervals = intervals_of(self._intervals, measured_note(session))
        except PuddleError as error:
            session.told.emit(str(error))
            return
        linked, count = dialog.linked.isChecked(), len(intervals)
        session.make(
            f"{pad.name} on {count} more pad{'' if count == 1 else 's'}",
            lambda kit: spread(kit, pad.id, intervals, linked=linked),
        )
