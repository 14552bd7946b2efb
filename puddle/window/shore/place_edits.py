"""What is done with the pad at a place by the mouse: muted, moved, copied, put down."""

from __future__ import annotations

from PyQt6.QtCore import QMimeData, Qt
from PyQt6.QtWidgets import QApplication

from puddle.kit import edits
from puddle.kit.edits.copying import duplicate_pad
from puddle.window.files.parcels import Parcels
from puddle.window.session.session import Session
from puddle.window.widgets.mime import PARCEL_MIME


class PlaceEdits:
    """By place, counted through all banks."""

    def __init__(self, session: Session, parcels: Parcels) -> None:
        self._session = session
        self._parcels = parcels

    def switch(self, place: int, field: str) -> None:
        """Mutes or plays alone, or no longer."""
        pad = self._session.kit.pad_at(place)
        if pad is not None:
            on = not getattr(pad, field)
            name = f"{pad.name}: {field if on else 'un' + field}"
            self._session.edit(name, lambda kit: edits.set_pad(kit, pad.id, **{field: on}))

    def take(self, data: QMimeData, place: int) -> None:
        """A pad dropped on a place: of this kit it moves there, of another it is copied.

        With Ctrl a copy is put on an empty place.
        """
        own = self._parcels.own(data)
        held = QApplication.keyboardModifiers()
        if own is not None and held & Qt.KeyboardModifier.ControlModifier:
            self._copy(own, place)
        elif own is not None:
            self._move(own, place)
        elif data.hasFormat(PARCEL_MIME):
            self._parcels.take_in(data.data(PARCEL_MIME).data(), place)

    def _copy(self, pad_id: str, place: int) -> None:
        name = edits.pad_of(self._session.kit, pad_id).name
        self._session.edit(f"{name} duplicated", lambda kit: duplicate_pad(kit, pad_id, place)[0])

    def _move(self, pad_id: str, place: int) -> None:
        pad = self._session.kit.pad(pad_id)
        if pad is not None and pad.place != place:
            self._session.edit(
                f"{pad.name}: to place {place + 1}", lambda kit: edits.move_pad(kit, pad_id, place)
            )
