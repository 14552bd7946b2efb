"""What commands do with pads: copies, places, aspects, alternates, and the scale on the places."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QProcess
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu

from puddle.kit import alternates, copying, edits
from puddle.kit.document import MOST_PADS, Kit, Pad
from puddle.window.parcels import PARCEL_MIME
from puddle.window.session import Session

if TYPE_CHECKING:
    from puddle.window.shell import Shell

_DEFAULT_STRENGTHS = 4


class PadCommands:
    """Of the selected pad."""

    def __init__(self, session: Session, shell: Shell) -> None:
        self.session = session
        self._shell = shell
        self.copied = ""  # the id of the pad that was copied
        self.menu: QMenu | None = None

    def _edit(self, name: str, make: Callable[[Kit, Pad], Kit], mark: object = None) -> None:
        kit, pad = self.session.kit, self.session.pad
        if pad is not None:
            self.session.try_edit(f"{pad.name} {name}", lambda: make(kit, pad), mark)

    def do_duplicate_pad(self) -> None:
        """A copy on the next free place, which is then selected."""
        before = {pad.id for pad in self.session.kit.pads}
        self._edit("duplicated", lambda kit, pad: copying.duplicate_pad(kit, pad.id)[0])
        for pad in self.session.kit.pads:
            if pad.id not in before:
                self.session.select_pad(pad.id)
                self._shell.shore.show_pad(pad.id)

    def rename(self) -> None:
        """Asks for another name."""
        self._shell.do("rename")

    def do_clear_pad(self) -> None:
        """Takes the sound out."""
        self._edit("cleared", lambda kit, pad: copying.clear_pad(kit, pad.id))

    def do_remove_pad(self) -> None:
        """Takes the pad out."""
        self._edit("removed", lambda kit, pad: edits.remove_pad(kit, pad.id))

    def _move(self, by: int) -> None:
        pad = self.session.pad
        if pad is not None and 0 <= pad.place + by < MOST_PADS:
            self._edit(
                f"to place {pad.place + by + 1}",
                lambda kit, pad: edits.move_pad(kit, pad.id, pad.place + by),
                ("place", pad.id),
            )
            self._shell.shore.show_pad(pad.id)

    def do_move_left(self) -> None:
        """Changes places with what is on the left."""
        self._move(-1)

    def do_move_right(self) -> None:
        """Changes places with what is on the right."""
        self._move(1)

    # Copied.

    def do_copy_pad(self) -> None:
        """Remembers the pad; other windows can take it from the clipboard."""
        pad = self.session.pad
        clipboard = QApplication.clipboard()
        if pad is not None and clipboard is not None:
            self.copied = pad.id
            clipboard.setMimeData(self._shell.parcels.mime(pad.id))
            self.session.told.emit(
                f"{pad.name} is copied: put it on an empty place, or choose another pad and take "
                "an aspect over."
            )

    def copied_pad(self) -> Pad | None:
        """The pad that was copied, while the kit has it."""
        return self.session.kit.pad(self.copied)

    def do_take_over(self) -> None:
        """A menu of what the selected pad can take over from the copied one."""
        self.menu = self.made_take_over_menu()
        self.menu.popup(QCursor.pos())

    def made_take_over_menu(self) -> QMenu:
        """Every aspect; why there is none where nothing was copied."""
        source, pad = self.copied_pad(), self.session.pad
        menu = QMenu(self._shell)
        if source is None or pad is None or source.id == pad.id:
            menu.setTitle("Take over")
            action = menu.addAction("Copy another pad first (Ctrl+Shift+C)")
            if action is not None:
                action.setEnabled(False)
            return menu
        menu.setTitle(f"Take over from {source.name}")
        for aspect in copying.ASPECTS:
            action = menu.addAction(aspect.capitalize())
            if action is not None:
                action.triggered.connect(partial(self.take_over, aspect))
        return menu

    def take_over(self, aspect: str, *_: object) -> None:
        """One aspect of the copied pad for the selected one."""
        source = self.copied_pad()
        if source is not None:
            self._edit(
                f"takes {aspect} over from {source.name}",
                lambda kit, pad: copying.copy_aspect(kit, source.id, pad.id, aspect),
            )

    def can_paste(self) -> bool:
        """Whether there is a pad on the clipboard."""
        clipboard = QApplication.clipboard()
        data = clipboard.mimeData() if clipboard is not None else None
        return data is not None and data.hasFormat(PARCEL_MIME)

    def paste(self, place: int) -> None:
        """The pad on the clipboard at an empty place: of this kit or of another."""
        clipboard = QApplication.clipboard()
        data = clipboard.mimeData() if clipboard is not None else None
        if data is None:
            return
        own = self._shell.parcels.own(data)
        if own is None:
            self._shell.parcels.take_in(data.data(PARCEL_MIME).data(), place)
            return
        kit = self.session.kit
        name = edits.pad_of(kit, own).name
        self.session.try_edit(
            f"{name} duplicated", lambda: copying.duplicate_pad(kit, own, place)[0]
        )

    def do_open_beside(self) -> None:
        """A second Puddle."""
        arguments = ["-m", "puddle"]
        if not QProcess.startDetached(sys.executable, arguments, os.getcwd())[0]:
            self.session.told.emit("Another window cannot be opened here.")

    # Alternates and samples.

    def _step(self, by: int) -> None:
        self._edit(
            "plays another alternate",
            lambda kit, pad: alternates.step_alternate(kit, pad.id, by),
            ("alternate", self.session.pad_id),
        )

    def do_next_alternate(self) -> None:
        """The next sound of the pad."""
        self._step(1)

    def do_previous_alternate(self) -> None:
        """The sound before."""
        self._step(-1)

    def do_sample_voice(self) -> None:
        """Asks at how many strengths."""
        count, done = QInputDialog.getInt(
            self._shell,
            "Sample at several strengths",
            "Recordings of this sound, one for each of so many strengths:",
            _DEFAULT_STRENGTHS,
            1,
            16,
        )
        if done:
            self._shell.sounds.printer.sample(count)

    # The scale.

    def do_scale_layout(self) -> None:
        """The sixteen places as notes, or as pads again."""
        scale = self._shell.shore.scale
        scale.set_on(not scale.on)
        self._shell.actions_by_id["scale_layout"].setChecked(scale.on)

    def do_octave_down(self) -> None:
        """The notes an octave lower."""
        self._shell.shore.scale.shift(-1)

    def do_octave_up(self) -> None:
        """The notes an octave higher."""
        self._shell.shore.scale.shift(1)
