"""A delivery from the window: planned while somebody looks, written with its progress."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import get_args

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.deliver.making import Making
from puddle.deliver.options import Options, as_kept, options_from
from puddle.deliver.plan import Plan, Planned
from puddle.deliver.whole import plan_of
from puddle.deliver.writing import THERE, Delivered, There, standing, write_plan, write_zip
from puddle.errors import PuddleError
from puddle.files import homely, shown, writable
from puddle.kit.model.document import Kit
from puddle.render.take import Takes
from puddle.tasks import Task, post
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after

_SOON_MS = 300
_FAILED = "The delivery failed, and nothing of it is left"
_BYTES = 160 << 20  # of takes that are kept while it is written


class Deliverer(QObject):
    """What leaves, to where, and how far it has come."""

    planned = pyqtSignal()  # another plan, or none yet
    wrote = pyqtSignal(object, int, int)  # a Planned, how many are written, of how many
    ended = pyqtSignal(str)  # a sentence; empty where it was left

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.options: Options = options_from(session.settings.deliver)
        self.plan: Plan | None = None
        self.trouble = ""  # why there is no plan
        self.there: list[str] = []  # paths that stand in the folder already
        self.writing = False
        self._kit: Kit | None = None
        self._watched = False
        self._task: Task[str] | None = None  # that writes
        self._said = ""
        self._soon = once_after(self, _SOON_MS, self._make_plan)
        session.kit_changed.connect(self._follow)
        session.started.connect(self._forget)

    # Chosen.

    @property
    def folder(self) -> Path:
        """Where it goes: a folder of the kit's name in the one that was chosen."""
        settings = self._session.settings
        base = Path(settings.deliver_folder or settings.last_folder or Path.home())
        return base / writable(self._session.kit.name)

    @property
    def policy(self) -> There:
        """What becomes of files that are there."""
        kept = self._session.settings.deliver_there
        return next((one for one in THERE if one == kept), THERE[0])

    def set_folder(self, folder: str) -> None:
        """Another folder to put the kit's own in."""
        self._session.settings.deliver_folder = folder
        self._soon.start()
        self.planned.emit()

    def set_policy(self, there: str) -> None:
        """What becomes of files that are there."""
        if there in get_args(There):
            self._session.settings.deliver_there = there
            self.planned.emit()

    def set_options(self, **values: object) -> None:
        """Other choices; kept on this machine."""
        try:
            raw = as_kept(self.options) | msgspec.to_builtins(values)
            self.options = msgspec.convert(raw, Options)
        except msgspec.ValidationError as error:
            self._session.told.emit(f"That cannot be chosen: {error}.")
            return
        self._session.settings.deliver = as_kept(self.options)
        self._soon.start()
        self.planned.emit()

    # Planned.

    def watch(self, seen: bool) -> None:
        """Whether somebody looks: then the list follows the kit."""
        self._watched = seen
        if seen:
            self._follow()
        else:
            self._soon.stop()

    def _follow(self) -> None:
        if self._watched and (self._kit is not self._session.kit or self.plan is None):
            self._soon.start()

    def _forget(self) -> None:
        self._session.background.tasks.cancel("plan")
        self.plan, self._kit, self.there = None, None, []
        self.cancel()
        self._follow()

    def making(self, options: Options | None = None) -> tuple[Making, Callable[[], None]] | None:
        """The kit as it is delivered, and what gives its samples back; None without a kit."""
        session, journal = self._session, self._session.file.journal
        if journal is None:
            return None
        own = session.settings.role_lufs
        chosen = msgspec.structs.replace(options or self.options, role_lufs=own)
        known = session.renders.takes
        takes = (
            known
            if known.rate_hz == chosen.rate_hz
            else Takes(journal.store, float(chosen.rate_hz), _BYTES)
        )
        return Making(session.kit, takes, journal.store, chosen), journal.borrow()

    def _make_plan(self) -> None:
        made = self.making()
        if made is None:
            return
        making, give_back = made
        kit, folder = self._session.kit, self.folder

        def work() -> tuple[Plan | None, list[str], str]:
            plan = None
            try:
                plan = plan_of(making)
                return plan, standing(plan, folder), ""
            except PuddleError as error:
                return plan, [], str(error)

        self._session.background.start(
            work, partial(self._take_plan, kit), key="plan", priority="long", release=give_back
        )

    def _take_plan(self, kit: Kit, found: tuple[Plan | None, list[str], str]) -> None:
        self.plan, self.there, self.trouble = found
        self._kit = kit
        self.planned.emit()

    # Written.

    def deliver(self, zipped: Path | None = None) -> None:
        """Writes the kit as it is now, below the folder or into a zip."""
        made = self.making()
        if made is None or self.writing:
            return
        making, give_back = made
        folder, policy = self.folder, self.policy
        self.writing, self._said = True, ""

        def progress(done: int, of: int, one: Planned) -> None:
            post(lambda _: self.wrote.emit(one, done, of), None)

        def work() -> str:
            plan = plan_of(making)
            if zipped is not None:
                write_zip(plan, zipped, progress)
                return f"The kit is in {shown(zipped)}."
            return _said(write_plan(plan, folder, policy, progress), folder)

        self._task = self._session.background.start(
            work,
            self._say,
            priority="long",
            failed=self._fail,
            ended=self._end,
            release=give_back,
        )
        self.planned.emit()

    def cancel(self) -> None:
        """Cancels it; nothing half-written stays."""
        if self._task is not None:
            self._task.cancel()

    def _say(self, said: str) -> None:
        self._said = said

    def _fail(self, error: Exception) -> None:
        known = isinstance(error, PuddleError)
        self._said = str(error) if known else f"{_FAILED}: {error}."

    def _end(self) -> None:
        self.writing, self._task = False, None
        self.ended.emit(self._said)
        if self._watched:
            self._soon.start()

    def one_file(self, path: str) -> Callable[[Path], list[Path]]:
        """What writes one file of the plan into a folder, for a drag."""
        plan = self.plan
        found = [one for one in plan.files if one.path == path] if plan is not None else []

        def write(folder: Path) -> list[Path]:
            written = []
            for one in found:
                place = folder / Path(one.path).name
                place.write_bytes(one.make())
                written.append(place)
            return written

        return write


def _said(made: Delivered, place: Path) -> str:
    count = len(made.paths)
    left = f", {made.skipped} that stood there were left as they were" if made.skipped else ""
    files = "1 file is" if count == 1 else f"{count} files are"
    return f"{files} in {homely(place)}{left}."
