"""Copied pads: each is the pad as it was, with its samples, whatever is opened after that."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import QByteArray, QMetaType, QMimeData, QUrl, QVariant
from PyQt6.QtWidgets import QApplication

from puddle.errors import PuddleError
from puddle.formats.journal import Journal
from puddle.formats.parcel import Opened, opened_parcel, parcel
from puddle.kit.edits.copying import CopiedPad, copied_pad, pasted_pad, take_over
from puddle.window.files.carried_sounds import CarriedSounds
from puddle.window.session.session import Session
from puddle.window.widgets.mime import PAD_MIME, PARCEL_MIME, URLS_MIME
from puddle.window.widgets.promised_files import Writing

NAME_MIME = "application/x-puddle-parcel-name"


class Packing:
    """A copied pad being packed on a thread of its own, from the moment of copying."""

    def __init__(self, copied: CopiedPad, journal: Journal, failed: Callable[[str], None]) -> None:
        """`failed` is called on the thread with why it could not be packed."""
        self._copied = copied
        self._failed = failed
        self._journal = journal
        self._give_back = journal.borrow()
        self._data = b""
        self._thread = threading.Thread(target=self._run, name="puddle-parcel")
        self._thread.start()

    def _run(self) -> None:
        try:
            self._data = parcel(self._copied, self._journal.store)
        except PuddleError as error:
            self._failed(str(error))
        except (OSError, MemoryError) as error:
            self._failed(f"{self._copied.pad.name} cannot be copied: {error}.")
        finally:
            self._give_back()

    def data(self) -> bytes:
        """The parcel; empty where it could not be packed. Waits for it."""
        self._thread.join()
        return self._data


class PadMime(QMimeData):
    """What a drag or the clipboard carries of a pad: for this window by id, for others whole."""

    def __init__(
        self, whose: str, name: str, packing: Packing, writing: Writing | None = None
    ) -> None:
        """`writing` makes the file that other programs get."""
        super().__init__()
        self._whose = whose
        self._name = name
        self._packing = packing
        self._writing = writing

    def formats(self) -> list[str]:
        """By id for this window, whole for others; a file for other programs."""
        known = [PAD_MIME, PARCEL_MIME, NAME_MIME]
        return known if self._writing is None else [*known, URLS_MIME]

    def hasFormat(self, mimetype: str | None) -> bool:
        return mimetype in self.formats()

    def retrieveData(self, mimetype: str | None, preferred: QMetaType) -> Any:
        if mimetype == PAD_MIME:
            return QVariant(QByteArray(self._whose.encode()))
        if mimetype == NAME_MIME:
            return QVariant(QByteArray(self._name.encode()))
        if mimetype == PARCEL_MIME:
            return QVariant(QByteArray(self._packing.data()))
        if mimetype == URLS_MIME and self._writing is not None:
            return QVariant([QUrl.fromLocalFile(str(path)) for path in self._writing.files()])
        return QVariant()


class Parcels:
    """Copies pads of the open kit, and takes in those of this and of other kits."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._copied: tuple[str, CopiedPad] | None = None  # what `copy` put on the clipboard
        self._copying = self._is_ours = False
        self._taken = 0
        self._sounds = CarriedSounds(session)

    @property
    def _token(self) -> str:
        journal = self._session.file.journal
        return journal.folder.name if journal is not None else ""

    def mime(self, pad_id: str) -> QMimeData:
        """What a drag carries: the pad, and for other programs the sound of it."""
        copied = copied_pad(self._session.kit, pad_id)
        writing = self._sounds.pad(pad_id) if copied.pad.sound.layers else None
        return self._carried(copied, writing)

    def close(self) -> None:
        """Removes what the last drag wrote."""
        self._sounds.close()

    def _carried(self, copied: CopiedPad, writing: Writing | None = None) -> QMimeData:
        journal = self._session.file.journal
        if journal is None:
            return QMimeData()
        name = self._name_of(copied)
        background, told = self._session.background, self._session.told.emit
        packing = Packing(
            copied, journal, lambda error: background.tasks.deliver(partial(told, error))
        )
        return PadMime(f"{self._token} {copied.pad.id}", name, packing, writing)

    def own(self, data: QMimeData) -> str | None:
        """The id of a pad of the open kit; None where it comes from elsewhere."""
        token, _, pad_id = data.data(PAD_MIME).data().decode("utf-8", "replace").partition(" ")
        mine = token == self._token and self._session.kit.pad(pad_id) is not None
        return pad_id if mine else None

    # The clipboard.

    def copy(self, pad_id: str) -> None:
        """Puts a pad on the clipboard, as it is now. Raises EditError."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            copied = copied_pad(self._session.kit, pad_id)
            data = self._carried(copied)
            self._copied = (data.data(PAD_MIME).data().decode(), copied)
            self._copying = True
            clipboard.setMimeData(data)
            self._copying = False

    def note_clipboard(self) -> None:
        """Something else may be on the clipboard now."""
        self._is_ours = self._copying

    @property
    def own_copy(self) -> str:
        """Which pad this window copied last; "" where something else was copied since.

        Without asking the clipboard, which may wait for another program.
        """
        if self._copied is None or not self._is_ours:
            return ""
        whose, copied = self._copied
        return self._name_of(copied) if not self._is_open(whose) else copied.pad.name

    @staticmethod
    def _name_of(copied: CopiedPad) -> str:
        return f"{copied.pad.name} of {copied.kit_name}"

    def copied_name(self) -> str:
        """Which pad is on the clipboard, for menus; "" where none is."""
        data = self._on_clipboard()
        if data is None:
            return ""
        copied = self._copied_here(data)
        if copied is not None:
            return copied.pad.name
        return data.data(NAME_MIME).data().decode("utf-8", "replace")[:160] or "the copied pad"

    @staticmethod
    def _on_clipboard() -> QMimeData | None:
        clipboard = QApplication.clipboard()
        data = clipboard.mimeData() if clipboard is not None else None
        return data if data is not None and data.hasFormat(PARCEL_MIME) else None

    def _copied_here(self, data: QMimeData) -> CopiedPad | None:
        """What was copied from the kit that is open, as it was then."""
        whose = data.data(PAD_MIME).data().decode("utf-8", "replace")
        mine = self._copied is not None and whose == self._copied[0]
        return self._copied[1] if self._copied and mine and self._is_open(whose) else None

    def _is_open(self, whose: str) -> bool:
        return whose.partition(" ")[0] == self._token

    def copied_pad_id(self) -> str:
        """The id of the pad on the clipboard where it is one of the open kit; else ""."""
        data = self._on_clipboard()
        copied = self._copied_here(data) if data is not None else None
        return copied.pad.id if copied is not None else ""

    def paste(self, place: int) -> None:
        """The copied pad at a place, or the next free one after it."""
        self._with_copied(lambda copied: self._land(copied, place))

    def take_over(self, to_id: str, aspect: str) -> None:
        """One aspect of the copied pad for another pad."""

        def done(copied: CopiedPad) -> None:
            session, pad = self._session, self._session.kit.pad(to_id)
            if pad is not None:
                session.edit(
                    f"{pad.name} takes {aspect} over from {copied.pad.name}",
                    lambda kit: take_over(kit, copied, to_id, aspect),
                )

        self._with_copied(done)

    def _with_copied(self, then: Callable[[CopiedPad], None]) -> None:
        """What is on the clipboard: at once, or from another kit once its samples are here."""
        data = self._on_clipboard()
        if data is None:
            return
        copied = self._copied_here(data)
        if copied is not None:
            then(copied)
        else:
            self._open(data.data(PARCEL_MIME).data(), then)

    # From other kits.

    def take_in(self, data: bytes, place: int) -> None:
        """A pad of another window at a place, on a worker; what is no pad is told."""
        self._open(data, lambda copied: self._land(copied, place))

    def _land(self, copied: CopiedPad, place: int) -> None:
        session = self._session
        other = copied.kit_name != session.kit.name
        made = session.make(
            f"{copied.pad.name} from {copied.kit_name}" if other else f"{copied.pad.name} pasted",
            lambda kit: pasted_pad(kit, copied, place),
        )
        if made is not None:
            session.selection.select_pad(made.id)

    def _open(self, data: bytes, then: Callable[[CopiedPad], None]) -> None:
        session, journal = self._session, self._session.file.journal
        if journal is None:
            return

        def work() -> Opened | str:
            try:
                with journal.in_use() as store:
                    return opened_parcel(data, store)
            except PuddleError as error:
                return str(error)

        def come(opened: Opened | str) -> None:
            if isinstance(opened, str):
                session.told.emit(opened)
            elif session.file.journal is journal:
                then(opened.copied)
                for problem in opened.problems:
                    session.told.emit(problem)

        self._taken += 1  # each lands, however many come at once
        session.background.start(work, come, key=("parcel", self._taken))
