"""What commands do with sounds and layers, and what they do when sounds are compared.

A command of the table is carried out by the method `do_` + its id, here or in the shell.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from puddle.kit import edits
from puddle.window.session.printer import Printer
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.window.editors.conflicts import ConflictsDialog
    from puddle.window.editors.pitches import PitchesDialog
    from puddle.window.shell.shell import Shell


class SoundCommands:
    """Layers, prints, conflicts and pitches."""

    def __init__(self, session: Session, shell: Shell) -> None:
        self.session = session
        self._shell = shell
        self.printer = Printer(session)
        self.conflicts: ConflictsDialog | None = None
        self.pitches: PitchesDialog | None = None

    def do_align(self) -> None:
        """Tries a shift and polarity for the selected layer, or keeps the one that is tried."""
        self._shell.page.align_layer()

    def do_duplicate_layer(self) -> None:
        """A copy of the selected layer, which is then selected."""
        session, layer = self.session, self.session.layer
        if layer is not None:
            session.edit(
                f"{layer.name} duplicated",
                lambda kit: edits.copy_layers(kit, session.pad_id, (layer,)),
            )
            if session.pad is not None:
                session.select_layer(session.pad.sound.layers[-1].id)

    def do_add_copy(self) -> None:
        """Another sound's layers."""
        self._shell.incoming.ask_copy()

    def do_remove_layer(self) -> None:
        """Takes the selected layer out."""
        layer, pad = self.session.layer, self.session.pad_id
        if layer is not None:
            self.session.edit(
                f"{layer.name} out", lambda kit: edits.remove_layer(kit, pad, layer.id), large=True
            )

    def do_select_whole(self) -> None:
        """Shows the whole sound."""
        self.session.select_layer(None)

    def _step_layer(self, step: int) -> None:
        pad = self.session.pad
        ids: list[str | None] = [None, *(k.id for k in pad.sound.layers)] if pad else [None]
        now = ids.index(self.session.layer_id) if self.session.layer_id in ids else 0
        self.session.select_layer(ids[(now + step) % len(ids)])

    def do_next_layer(self) -> None:
        """The layer below."""
        self._step_layer(1)

    def do_previous_layer(self) -> None:
        """The layer above."""
        self._step_layer(-1)

    def do_print_layer(self) -> None:
        """The selected layer becomes a sample of itself."""
        self.printer.print_layer()

    def do_print_sound(self) -> None:
        """The whole sound becomes a sample of itself."""
        self.printer.print_sound()

    def do_reopen(self) -> None:
        """The recipe of a print comes back."""
        self.printer.reopen()

    def do_conflicts(self) -> None:
        """Bands that are crowded, and cuts on offer."""
        from puddle.window.editors.conflicts import ConflictsDialog

        if self.conflicts is None:
            trial = self._shell.page.trial
            self.conflicts = ConflictsDialog(self.session, trial, self._shell)
        self.conflicts.show()

    def do_pitches(self) -> None:
        """Every pad's pitch against a key."""
        from puddle.window.editors.pitches import PitchesDialog

        if self.pitches is None:
            self.pitches = PitchesDialog(self.session, self._shell)
        self.pitches.show()


class CompareCommands:
    """What is heard of what, and how it is listened to."""

    def __init__(self, session: Session, shell: Shell) -> None:
        self._session = session
        self._shell = shell
        self._mono = self._small = False
        shell.actions_by_id["matched"].setChecked(True)

    def do_compare(self) -> None:
        """Shows Compare, or Shape again."""
        shell = self._shell
        if shell.pages.currentWidget() is shell.compare_page:
            shell.show_shape()
        else:
            shell.pages.setCurrentWidget(shell.compare_page)
            shell.compare_page.setFocus()

    def do_switch(self) -> None:
        """The other one is heard."""
        self._shell.comparer.switch()

    def do_snapshot(self) -> None:
        """The sound as it is now goes on the shelf."""
        self._shell.comparer.shelf.keep_snapshot()

    def do_matched(self) -> None:
        """Equally loud, or each as it is."""
        self._shell.comparer.set_matched(not self._shell.comparer.matched)

    def do_mono(self) -> None:
        """Both sides as one."""
        self._mono = not self._mono
        self._listen()

    def do_small_speaker(self) -> None:
        """As a small speaker plays it."""
        self._small = not self._small
        self._listen()

    def _listen(self) -> None:
        shell = self._shell
        self._session.player.set_listening(mono=self._mono, small_speaker=self._small)
        shell.actions_by_id["mono"].setChecked(self._mono)
        shell.actions_by_id["small_speaker"].setChecked(self._small)
        shell.shore.show_listening(self._mono, self._small)
