"""Opening and saving kits: the questions that are asked, and what is told."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from puddle.errors import PuddleError
from puddle.formats.journal import Lost
from puddle.formats.kitfile import SUFFIX
from puddle.home import templates
from puddle.home.settings import save_settings
from puddle.home.templates import TEMPLATE_SUFFIX, Template
from puddle.kit.model.document import Kit
from puddle.window.files.template_dialog import KeepTemplate
from puddle.window.session.saving import Saved
from puddle.window.session.session import Session
from puddle.window.widgets.asking import short
from puddle.window.widgets.passing import open_once
from puddle.window.widgets.questions import confirmed, with_suffix


class Kits:
    """What the Kit menu does."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self._session = session
        self._window = window
        self.keeping: KeepTemplate | None = None

    def leave(self, then: Callable[[], None]) -> None:
        """Calls back once the kit may go: saved, or its edits given up; never where one stays.

        At once where there is nothing to save. What is being written is waited for first.
        """
        session = self._session
        if session.file.saving.busy:
            session.told.emit("Puddle waits until everything is saved.")
            session.file.saving.when_idle(lambda: self.leave(then))
            return
        nothing_made = session.file.path is None and session.history.undo_name is None
        if not session.history.edited or nothing_made:
            then()
            return
        box = QMessageBox(self._window)
        box.setWindowTitle("Puddle")
        box.setText(f"Save the changes to {short(session.kit.name)}?")
        kinds = QMessageBox.StandardButton
        box.setStandardButtons(kinds.Save | kinds.Discard | kinds.Cancel)
        answer = box.exec()
        box.deleteLater()
        if answer == kinds.Discard:
            then()
        elif answer == kinds.Save:
            path = session.file.path or self._ask_path()
            if path is not None:
                self.save_to(path, lambda: self.leave(then))

    def new(self) -> None:
        """A kit from the template that new kits start from; empty where that is gone."""
        name = self._session.settings.template
        if templates.exists(name):
            self._new_of(templates.place_of(name))
            return
        found = {template.name: template for template in templates.ours()}
        if name not in found:
            self._session.told.emit(f"The template {name} is gone: the kit is empty.")
        self.new_from(found.get(name, templates.ours()[0]))

    def new_from(self, template: Template) -> None:
        """A kit from a template."""
        if template.path is not None:
            self._new_of(template.path)
        else:
            self.leave(lambda: self._start_new(template.kit))

    def _start_new(self, kit: Kit) -> None:
        self._session.file.new(kit)
        self._session.shape_wanted.emit()

    def _new_of(self, path: Path) -> None:
        """A kit from a template's file, which a worker reads."""
        self.leave(lambda: self._session.file.open_soon(path, as_template=True))

    def ask_template(self) -> None:
        """Asks under which name the kit is kept as a template, and whether with its sounds."""
        self.keeping = KeepTemplate(self._session.kit.name, self._window)
        self.keeping.accepted.connect(self._keep_asked)
        open_once(self.keeping)

    def _keep_asked(self) -> None:
        if self.keeping is not None:
            self.keep_template(
                self.keeping.chosen_name,
                with_sounds=self.keeping.sounds.isChecked(),
                default=self.keeping.default.isChecked(),
            )

    def keep_template(self, name: str, *, with_sounds: bool, default: bool = False) -> None:
        """Keeps the kit as a template, on a worker; one of that name is asked for first."""
        session, journal = self._session, self._session.file.journal
        if not name or journal is None or not self._may_overwrite(name):
            return
        kit = session.kit

        def told(result: Path | Exception) -> None:
            if isinstance(result, Exception):
                session.told.emit(f"{name} was not kept as a template: {result}")
            else:
                said = f"{name} is a template now: the start page has it."
                if default:
                    session.settings.template = name
                    save_settings(session.settings)
                    said += " New kits start from it."
                session.told.emit(said)

        session.file.saving.ask(
            lambda: templates.keep(kit, name, journal.store, with_sounds=with_sounds), told
        )

    def _may_overwrite(self, name: str) -> bool:
        return not templates.exists(name) or self._confirmed(
            f"There is a template {short(name)} already. Replace it?", "Replace"
        )

    def remove_template(self, template: Template) -> None:
        """Takes a template of one's own away, once that was confirmed."""
        asked = f"Remove the template {short(template.name)}? Kits made from it stay."
        if self._confirmed(asked, "Remove"):
            try:
                templates.remove(template)
            except PuddleError as error:
                self._session.told.emit(str(error))

    def ask_open(self) -> None:
        """Asks for a kit file."""
        name, _ = QFileDialog.getOpenFileName(
            self._window,
            "Open a kit",
            self._session.settings.last_folder,
            f"Puddle kits and templates (*{SUFFIX} *{TEMPLATE_SUFFIX})",
        )
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        """Opens a kit file, or says why not; then the kit that was open stays."""
        as_template = path.suffix.lower() == TEMPLATE_SUFFIX
        self._session.settings.last_folder = str(path.absolute().parent)
        self.leave(lambda: self._session.file.open_soon(path, as_template=as_template))

    def demo(self) -> None:
        """Opens the demo."""
        self.leave(lambda: self._session.file.open_soon(None))

    def recover(self, lost: Lost) -> None:
        """Opens what a process that died had not saved."""
        self.leave(lambda: self._recover(lost))

    def _recover(self, lost: Lost) -> None:
        try:
            self._session.file.recover(lost)
        except PuddleError as error:
            self._session.told.emit(str(error))
            return
        self._session.shape_wanted.emit()
        self._session.told.emit(f"{lost.name} is back as it was. Save it to keep it.")

    def save(self) -> None:
        """Saves where the kit lies; asks where if it lies nowhere."""
        path = self._session.file.path or self._ask_path()
        if path is not None:
            self.save_to(path)

    def save_as(self) -> None:
        """Asks where to save."""
        path = self._ask_path()
        if path is not None:
            self.save_to(path)

    def save_to(self, path: Path, then: Callable[[], None] | None = None) -> None:
        """Saves in its turn, asks where a file is not simply to be replaced, tells what came of it.

        `then` is called once the kit is on disk.
        """
        self._name_after(path)
        self._save(path, then, sure=False)

    def _save(self, path: Path, then: Callable[[], None] | None, *, sure: bool) -> None:
        def come(saved: Saved) -> None:
            if saved.doubt:
                if self._confirmed(f"{saved.doubt}. Save over it all the same?", "Save over it"):
                    self._save(path, then, sure=True)
                return
            self._session.told.emit(saved.error or f"Saved to {saved.path}.")
            if saved.done and then is not None:
                then()

        self._session.file.save(path, come, sure=sure)

    def _confirmed(self, question: str, deed: str) -> bool:
        return confirmed(self._window, question, deed)

    def _ask_path(self) -> Path | None:
        folder = Path(self._session.settings.last_folder or Path.home())
        name, _ = QFileDialog.getSaveFileName(
            self._window,
            "Save the kit",
            str(folder / f"{self._session.kit.name}{SUFFIX}"),
            f"Puddle kits (*{SUFFIX})",
        )
        if not name:
            return None
        path = with_suffix(name, SUFFIX)
        if path != Path(name) and path.exists():  # the dialog asked about another name
            asked = f"{short(path.name)} is there already. Replace it?"
            return path if self._confirmed(asked, "Replace") else None
        return path

    def _name_after(self, path: Path) -> None:
        """A kit that goes to another file takes its name."""
        self._session.settings.last_folder = str(path.parent)
        if self._session.file.path != path and self._session.kit.name != path.stem[:120]:
            self._session.rename(path.stem[:120])
