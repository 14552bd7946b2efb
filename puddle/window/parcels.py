"""Pads on their way: within the window by id, to another window as a parcel of bytes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QByteArray, QMetaType, QMimeData, QVariant

from puddle.errors import PuddleError
from puddle.formats.parcel import Opened, opened_parcel, parcel
from puddle.kit.copying import pasted_pad
from puddle.window.parts.drops import PAD_MIME
from puddle.window.session import Session

PARCEL_MIME = "application/x-puddle-parcel"


class PadMime(QMimeData):
    """Its parcel is packed only when another window asks for it."""

    def __init__(self, whose: str, pack: Callable[[], bytes]) -> None:
        super().__init__()
        self._whose = whose
        self._pack = pack

    def formats(self) -> list[str]:
        """By id for this window, whole for others."""
        return [PAD_MIME, PARCEL_MIME]

    def hasFormat(self, mimetype: str | None) -> bool:
        return mimetype in (PAD_MIME, PARCEL_MIME)

    def retrieveData(self, mimetype: str | None, preferred: QMetaType) -> Any:
        if mimetype == PAD_MIME:
            return QVariant(QByteArray(self._whose.encode()))
        if mimetype == PARCEL_MIME:
            return QVariant(QByteArray(self._pack()))
        return QVariant()


class Parcels:
    """Packs pads of the open kit, and takes in those of others."""

    def __init__(self, session: Session) -> None:
        self._session = session

    @property
    def _token(self) -> str:
        journal = self._session.journal
        return journal.folder.name if journal is not None else ""

    def mime(self, pad_id: str) -> PadMime:
        """What a drag or the clipboard carries."""
        kit, journal = self._session.kit, self._session.journal

        def pack() -> bytes:
            try:
                return parcel(kit, pad_id, journal.store) if journal is not None else b""
            except PuddleError as error:
                self._session.told.emit(str(error))
                return b""

        return PadMime(f"{self._token} {pad_id}", pack)

    def own(self, data: QMimeData) -> str | None:
        """The id of a pad of the open kit; None where it comes from another window."""
        token, _, pad_id = data.data(PAD_MIME).data().decode("utf-8", "replace").partition(" ")
        mine = token == self._token and self._session.kit.pad(pad_id) is not None
        return pad_id if mine else None

    def take_in(self, data: bytes, place: int) -> None:
        """A pad of another window at a place, on a worker; what is no pad is told."""
        session, journal = self._session, self._session.journal
        if journal is None:
            return

        def work() -> Opened | str:
            try:
                return opened_parcel(data, journal.store)
            except PuddleError as error:
                return str(error)

        def then(opened: Opened | str) -> None:
            if isinstance(opened, str):
                session.told.emit(opened)
                return
            if session.journal is not journal:
                return
            pad = opened.pad
            try:
                kit, made = pasted_pad(session.kit, pad, opened.bus, opened.contents, place)
            except PuddleError as error:
                session.told.emit(str(error))
                return
            session.edit(f"{pad.name} from another kit", kit)
            session.select_pad(made.id)
            for problem in opened.problems:
                session.told.emit(problem)

        session.background.ask("parcel", work, then)
