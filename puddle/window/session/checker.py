"""The kit checked while somebody looks, and findings mended as steps of their own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.check.checking import Known, check
from puddle.check.finding import Finding
from puddle.check.limits import Limits
from puddle.check.mends import mended
from puddle.errors import EditError
from puddle.kit.model.document import Kit
from puddle.kit.playing.velocity import hardest
from puddle.tasks import report
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after

_SOON_MS = 350  # after an edit


class Checker(QObject):
    """What the rules find in the kit as it is now; only while it is watched."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.findings: list[Finding] = []
        self.share: float | None = None  # of a check that goes on
        self._kit: Kit | None = None  # that was checked last
        self._known = Known()
        self._watched = False
        self._soon = once_after(self, _SOON_MS, self.check)
        session.kit_changed.connect(self._follow)
        session.started.connect(self._forget)

    # Asked for.

    @property
    def limits(self) -> Limits:
        """The thresholds as this person has set them."""
        settings = self._session.settings
        off = frozenset(settings.check_off)
        return Limits(settings.check_limits, off, settings.role_lufs)

    @property
    def current(self) -> bool:
        """Whether what is known is of the kit as it is now."""
        return self._kit is self._session.kit

    def watch(self, seen: bool) -> None:
        """Whether somebody looks: then the kit is checked whenever it changes."""
        self._watched = seen
        if seen and not self.current:
            self.check()
        elif not seen:
            self._soon.stop()

    def set_limit(self, rule: str, value: float | None) -> None:
        """Another threshold; the table's with None."""
        own = self._session.settings.check_limits
        if value is None:
            own.pop(rule, None)
        else:
            own[rule] = value
        self._soon.start()

    def set_role(self, role: str, lufs: float | None) -> None:
        """How loud a role's sounds are to be; as it ships with None."""
        own = self._session.settings.role_lufs
        if lufs is None:
            own.pop(role, None)
        else:
            own[role] = round(lufs, 1)
        self._soon.start()

    def set_on(self, rule: str, on: bool) -> None:
        """Whether a rule is looked at."""
        off = self._session.settings.check_off
        if on and rule in off:
            off.remove(rule)
        elif not on and rule not in off:
            off.append(rule)
        self._soon.start()

    def check(self) -> None:
        """Checks the kit now, away from the window's thread."""
        session, journal = self._session, self._session.file.journal
        if journal is None:
            return
        self.stop()
        kit, takes, limits, known = session.kit, session.renders.takes, self.limits, self._known
        self.share = 0.0
        session.background.start(
            lambda: check(kit, takes, journal.store, limits, report, jobs=1, known=known),
            partial(self._take, kit),
            key="findings",
            priority="long",
            failed=self._fail,
            progress=self._go_on,
            release=journal.borrow(),
        )
        self.changed.emit()

    def stop(self) -> None:
        """Leaves a check; what was found before stays."""
        self._session.background.tasks.cancel("findings")
        if self.share is not None:
            self.share = None
            self.changed.emit()

    def _follow(self) -> None:
        if self._watched and not self.current:
            self._soon.start()

    def _forget(self) -> None:
        self.stop()
        self.findings, self._kit, self._known = [], None, Known()
        self._follow()

    def _go_on(self, share: float) -> None:
        self.share = share
        self.changed.emit()

    def _take(self, kit: Kit, found: list[Finding]) -> None:
        self.findings, self._kit, self.share = found, kit, None
        self.changed.emit()

    def _fail(self, error: Exception) -> None:
        self.share = None
        self.changed.emit()
        self._session.told.emit(f"The kit could not be checked: {error}")

    # Mended.

    def fresh(self, finding: Finding) -> bool:
        """Whether the pad that it is about is as it was when it was found."""
        if self._kit is None:
            return False
        return self._kit.pad(finding.pad) is self._session.kit.pad(finding.pad)

    def mend(self, finding: Finding) -> None:
        """Mends one finding, in one step."""
        if not self.fresh(finding):
            self._session.told.emit(f"{finding.where} has changed and is checked again first.")
            self.check()
            return
        self._mend(f"{finding.where}: {finding.mend.lower()}", [finding])

    @staticmethod
    def mends_itself(finding: Finding) -> bool:
        """Whether a mend needs nobody to say anything."""
        return bool(finding.mend) and finding.rule not in ("license", "author")

    def mend_all(self, findings: Sequence[Finding]) -> None:
        """Mends what can be, in one step; what a mend before it has changed is left."""
        chosen = [one for one in findings if self.mends_itself(one) and self.fresh(one)]
        lowered = {one.pad for one in chosen if one.rule == "clips"}
        chosen = [one for one in chosen if one.rule != "loudness" or one.pad not in lowered]
        if not chosen:
            self._session.told.emit("There is nothing that can be mended by itself.")
            return
        self._mend(f"{len(chosen)} findings mended", chosen)

    def _mend(self, name: str, findings: Sequence[Finding]) -> None:
        """Measures the sounds that a fix needs on another thread, then edits in one step."""
        limits, takes = self.limits, self._session.renders.takes
        pads = [self._session.kit.pad(one.pad) for one in findings if one.rule == "cut-off"]
        sounds = {pad.id: pad.sound for pad in pads if pad is not None}

        def work() -> dict[str, float]:
            return {
                pad_id: 1000.0 * takes.sound(hardest(sound)).audio.shape[0] / takes.rate_hz
                for pad_id, sound in sounds.items()
            }

        def then(lengths_ms: dict[str, float]) -> None:
            fresh = [one for one in findings if self.fresh(one)]
            if not fresh:
                self._session.told.emit("The sound has changed meanwhile: nothing was edited.")
                return
            self._session.edit(name, partial(_with_mends, fresh, limits, lengths_ms))
            self._session.settle()

        if sounds:
            self._session.background.start(work, then, key="mend")
        else:
            then({})


def _with_mends(
    findings: Sequence[Finding], limits: Limits, lengths_ms: Mapping[str, float], kit: Kit
) -> Kit:
    """The kit with findings fixed; of several those that can be."""
    for one in findings:
        try:
            kit = mended(kit, one, limits, lengths_ms.get(one.pad, 0.0))
        except EditError:
            if len(findings) == 1:
                raise
    return kit
