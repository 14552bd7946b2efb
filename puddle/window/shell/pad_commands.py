"""What commands do with pads: copies, places, aspects, alternates, and the scale on the places."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QProcess
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from puddle.kit import edits
from puddle.kit.edits import alternates, copying
from puddle.kit.model.document import MOST_PADS, Kit, Pad
from puddle.window.editors.pad_copier import PadCopier
from puddle.window.session.session import Session
from puddle.window.shore.key_menu import KeyMenu
from puddle.window.widgets.passing import popup_once

if TYPE_CHECKING:
    from puddle.window.shell.shell import Shell

_DEFAULT_STRENGTHS = 4


class PadCommands:
    """Of the selected pad."""

    def __init__(self, session: Session, shell: Shell) -> None:
        self.session = session
        self._shell = shell
        self.copier = PadCopier(session, shell)
        self.key_menu = KeyMenu(session, shell, shell.do)
        self.menu: QMenu | None = None

    def _edit(self, name: str, make: Callable[[Kit, Pad], Kit], mark: object = None) -> None:
        pad = self.session.pad
        if pad is not None:
            self.session.edit(f"{pad.name} {name}", lambda kit: make(kit, pad), mark)

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
        """Copies the pad as it is now; other windows can take it from the clipboard."""
        pad = self.session.pad
        if pad is not None:
            self._shell.parcels.copy(pad.id)
            self.session.told.emit(
                f"{pad.name} is copied: put it on an empty place, or choose another pad and take "
                "an aspect over."
            )

    def copied_name(self) -> str:
        """Which pad is on the clipboard; "" where none is."""
        return self._shell.parcels.copied_name()

    def do_copy_to_pads(self) -> None:
        """Asks at which intervals the pad is copied to the next free places."""
        self.copier.ask()

    def do_take_over(self) -> None:
        """A menu of what the selected pad can take over from the copied one."""
        self.menu = self.made_take_over_menu(self._shell)
        popup_once(self.menu, QCursor.pos())

    def made_take_over_menu(self, owner: QWidget) -> QMenu:
        """Every aspect; why there is none where nothing was copied. It is freed with its owner."""
        parcels, pad = self._shell.parcels, self.session.pad
        name = parcels.copied_name()
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

    def paste(self, place: int) -> None:
        """The copied pad at an empty place: of this kit or of another."""
        self._shell.parcels.paste(place)

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
            "Sample at several velocities",
            "Recordings of this sound, one for each of so many velocities:",
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

    def do_key(self) -> None:
        """The menu of the kit's root and scale, where the scale is told or where the mouse is."""
        shore = self._shell.shore
        at = shore.scale_corner() if shore.scale.on else QCursor.pos()
        self.key_menu.open_at(at, on_the_pads=shore.scale.on)

    def do_octave_down(self) -> None:
        """The notes an octave lower."""
        self._shell.shore.scale.shift(-1)

    def do_octave_up(self) -> None:
        """The notes an octave higher."""
        self._shell.shore.scale.shift(1)
