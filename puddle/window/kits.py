"""Opening and saving kits: the questions that are asked, and what is told."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from puddle.errors import PuddleError
from puddle.formats.journal import Lost
from puddle.formats.kitfile import SUFFIX
from puddle.kit import edits
from puddle.window.dialogs import with_suffix
from puddle.window.session import Session


class Kits:
    """What the Kit menu does."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self._session = session
        self._window = window

    def may_leave(self) -> bool:
        """Asks what to do with edits; False when the person wants to stay."""
        session = self._session
        nothing_made = session.path is None and session.history.undo_name is None
        if not session.history.edited or nothing_made:
            return True
        box = QMessageBox(self._window)
        box.setWindowTitle("Puddle")
        box.setText(f"Save the changes to {session.kit.name}?")
        kinds = QMessageBox.StandardButton
        box.setStandardButtons(kinds.Save | kinds.Discard | kinds.Cancel)
        answer = box.exec()
        if answer == kinds.Save:
            path = session.path or self._ask_path()
            return self.save_to(path) if path is not None else False
        return bool(answer == kinds.Discard)

    def new(self) -> None:
        """An empty kit."""
        if self.may_leave():
            self._session.new()
            self._session.shape_wanted.emit()

    def ask_open(self) -> None:
        """Asks for a kit file."""
        name, _ = QFileDialog.getOpenFileName(
            self._window,
            "Open a kit",
            self._session.settings.last_folder,
            f"Puddle kits (*{SUFFIX})",
        )
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        """Opens a kit file, or says why not; then the kit that was open stays."""
        if not self.may_leave():
            return
        self._session.settings.last_folder = str(path.parent)
        self._session.open_soon(path)

    def demo(self) -> None:
        """Opens the demo."""
        if self.may_leave():
            self._session.open_soon(None)

    def recover(self, lost: Lost) -> None:
        """Opens what a process that died had not saved."""
        try:
            self._session.recover(lost)
        except PuddleError as error:
            self._session.told.emit(str(error))
            return
        self._session.shape_wanted.emit()
        self._session.told.emit(f"{lost.name} is back as it was. Save it to keep it.")

    def save(self) -> None:
        """Saves where the kit lies, on a worker; asks where if it lies nowhere."""
        path = self._session.path or self._ask_path()
        if path is not None:
            self._name_after(path)
            self._session.save_soon(path)

    def save_as(self) -> None:
        """Asks where to save."""
        path = self._ask_path()
        if path is not None:
            self._name_after(path)
            self._session.save_soon(path)

    def _ask_path(self) -> Path | None:
        folder = Path(self._session.settings.last_folder or Path.home())
        name, _ = QFileDialog.getSaveFileName(
            self._window,
            "Save the kit",
            str(folder / f"{self._session.kit.name}{SUFFIX}"),
            f"Puddle kits (*{SUFFIX})",
        )
        return with_suffix(name, SUFFIX) if name else None

    def _name_after(self, path: Path) -> None:
        """A kit without a name takes its file's."""
        self._session.settings.last_folder = str(path.parent)
        if self._session.path != path and self._session.kit.name in ("Untitled", ""):
            named = edits.set_kit(self._session.kit, name=path.stem[:120])
            self._session.edit(f"Kit called {path.stem}", named)

    def save_to(self, path: Path) -> bool:
        """Saves at once, or says why not: before the window closes."""
        self._name_after(path)
        try:
            self._session.save(path)
        except PuddleError as error:
            self._session.told.emit(str(error))
            return False
        self._session.told.emit(f"Saved to {path}.")
        return True
