"""Compare: what is heard of the selected sound and of what it is held against, and how they differ.

One's own sound is never changed by it. What is heard instead is a trial (`Session.hear`); a loop is
heard by the engine's monitor, beside the groove.
"""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.kit.edits import with_pad
from puddle.kit.model.document import Kit, Pad, Sound
from puddle.kit.playing.compared import at_level
from puddle.measure.comparing import Figures, Match
from puddle.render.cache import RenderCache
from puddle.units import gain_from_db
from puddle.views.comparison import Comparison, of_grooves, of_sounds
from puddle.views.sound import SoundView
from puddle.window.session.session import Session
from puddle.window.session.shelf import Entry, Shelf
from puddle.window.session.timing import once_after

_REST_MS = 180
_GROOVE_MS = 400


class Comparer(QObject):
    """The shelf of the selected pad, what is chosen from it, and what is heard."""

    chosen_changed = pyqtSignal()
    compared = pyqtSignal()  # a comparison has come, or there is none
    hearing_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.shelf = Shelf(session)
        self.chosen_key = ""
        self.result: Comparison | None = None
        self.matched = True
        self.engaged = False  # from the first switch until it is ended
        self._loop_heard = False
        self._journal = session.file.journal
        self.watched = False  # whether the page is seen
        self._switch_wanted = False
        self._levels: dict[tuple[int, float], tuple[Sound, Sound]] = {}
        self._known: RenderCache[Figures] = RenderCache(128, lambda _: 1)
        self._rest = once_after(self, _REST_MS, lambda: self._ask(whole=True))
        self._groove = once_after(self, _GROOVE_MS, lambda: self._ask(whole=True))
        session.kit_changed.connect(self._follow_kit)
        session.selection_changed.connect(self._follow_selection)
        session.looks.view_ready.connect(self._follow_view)
        self.shelf.changed.connect(self._follow_shelf)
        self.shelf.came.connect(self._take_up)

    def close(self) -> None:
        """Cancels pending comparisons."""
        self.watched = self.engaged = self._switch_wanted = False
        self._rest.stop()
        self._groove.stop()

    @property
    def chosen(self) -> Entry | None:
        """What is chosen from the shelf."""
        return self.shelf.entry(self.chosen_key)

    @property
    def hearing(self) -> bool:
        """Whether the chosen entry plays instead of the own sound."""
        if self._loop_heard:
            return True
        return self.engaged and self._session.playing.trial_by == (self, "other")

    # Choosing, and what comes of it.

    def choose(self, key: str) -> None:
        """Another entry; where the one before was heard, this one is heard now."""
        if key == self.chosen_key:
            return
        was_heard = self.hearing
        self.chosen_key = key
        self.result = None
        if self.engaged:
            self._loop_heard = False
            self._session.player.monitoring.listen_to_reference(False, 1.0, 1.0)
        self._switch_wanted = was_heard
        self.chosen_changed.emit()
        self.compared.emit()
        self._ask(whole=True)

    def watch(self, on: bool) -> None:
        """Whether somebody looks: then comparisons follow the sound."""
        self.watched = on
        if on:
            self.shelf.refresh()
            if self.chosen is None and self.shelf.entries:
                self.choose(self.shelf.likely())
            self.compared.emit()
            self._ask(whole=True)
        elif not self.hearing:
            self.end()
        self.hearing_changed.emit()

    @property
    def _needed(self) -> bool:
        return self.watched or self.engaged or self._switch_wanted

    def _follow_kit(self) -> None:
        self._loop_goes()
        if self._session.file.journal is not self._journal:  # another kit was opened
            self._journal = self._session.file.journal
            self.result, self.chosen_key = None, ""
            self.end()
            self._session.player.monitoring.set_reference(None)
            self.compared.emit()
        if self._needed:
            self.shelf.refresh()
        self.hearing_changed.emit()

    def _follow_shelf(self) -> None:
        """What was chosen may be gone, or another sound by now."""
        if self.chosen is None:
            self.choose(self.shelf.likely())
        elif self.chosen.problem:
            self.compared.emit()
        self._rest.start()

    def _take_up(self, key: str) -> None:
        """What was just put on the shelf is meant, unless something else is being heard."""
        if not self.hearing:
            self.choose(key)

    def _follow_selection(self) -> None:
        pad = self._session.pad
        owner = self._session.playing.trial_by
        if isinstance(owner, tuple) and owner[:1] == (self,):
            self._session.playing.hear(None)
        if self._needed or self.shelf.entries:
            before = self.chosen
            self.shelf.refresh()
            if before is not None and self.chosen is None:
                self.chosen_key = self.shelf.likely() if pad is not None else ""
                self.chosen_changed.emit()
            self._ask(whole=True)
        self.hearing_changed.emit()

    def _follow_view(self, view: SoundView | None) -> None:
        if self._needed and view is not None:
            entry = self.chosen
            if entry is not None and entry.beats:
                self._groove.start()
                return
            self._ask(whole=False)
            self._rest.start()

    def _ask(self, *, whole: bool) -> None:
        """Compares, on a worker; without pitch while the hand moves."""
        session, pad, entry = self._session, self._session.pad, self.chosen
        if not self._needed:
            return
        if pad is None or entry is None or entry.sound is None or not pad.sound.layers:
            self.result = None
            self.compared.emit()
            return
        takes, known, other = session.renders.takes, self._known, entry.sound
        if entry.beats:
            kit, pattern = session.kit, session.pattern
            if pattern is not None:
                session.background.start(
                    lambda: of_grooves(takes, kit, pattern, other, entry.beats),
                    self._show,
                    key="compare",
                )
            return
        own = pad.sound
        session.background.start(
            lambda: of_sounds(takes, own, other, known, whole), self._show, key="compare"
        )

    def _show(self, found: Comparison) -> None:
        entry, pad = self.chosen, self._session.pad
        if entry is None or entry.sound is not found.other or pad is None:
            return
        self.result = found
        if found.loop is not None:
            self._session.player.monitoring.set_reference(found.loop, float(entry.beats))
        wanted, self._switch_wanted = self._switch_wanted, False
        if wanted:
            self._hear(True)
        elif self.engaged and not self._session.playing.trying:
            self._hear(False)
        self.compared.emit()
        self.hearing_changed.emit()

    # Hearing.

    def switch(self) -> None:
        """Switches between the own sound and the entry; the first time once both are measured."""
        if not self.shelf.entries:
            self.shelf.refresh()
        if self.chosen is None:
            self.chosen_key = self.shelf.likely()
            self.chosen_changed.emit()
        entry = self.chosen
        if entry is None:
            self._session.told.emit(
                "There is nothing to compare with yet: F7 keeps a snapshot of this sound."
            )
            return
        if entry.problem:
            self._session.told.emit(entry.problem)
            return
        if self.hearing:
            self._hear(False)
        elif self._up_to_date:
            self._hear(True)
        else:
            self._switch_wanted = True
            self._ask(whole=True)

    def hear_entry(self, key: str) -> None:
        """Chooses an entry and hears it, whatever was heard."""
        if key != self.chosen_key:
            self.choose(key)
            self._switch_wanted = True
            self._ask(whole=True)
        elif not self.hearing:
            self.switch()

    @property
    def _up_to_date(self) -> bool:
        found, entry, pad = self.result, self.chosen, self._session.pad
        if found is None or entry is None or pad is None or found.other is not entry.sound:
            return False
        return found.own is pad.sound if not entry.beats else found.loop is not None

    def set_matched(self, on: bool) -> None:
        """Switches loudness matching on or off."""
        self.matched = on
        if self.engaged:
            self._hear(self.hearing)
        self.compared.emit()

    @property
    def gains(self) -> Match:
        """The gains at which both sounds are played."""
        found = self.result
        return found.match if found is not None and self.matched else Match()

    def _hear(self, other: bool) -> None:
        found, entry, pad = self.result, self.chosen, self._session.pad
        if found is None or entry is None or pad is None:
            if not other:  # what is not measured yet is not waited for
                self.end()
            return
        was = self.hearing
        self.engaged, self._switch_wanted = True, False
        if entry.beats:
            self._hear_loop(other)
            if other and not self._session.player.playing:
                self._session.told.emit("Press Space: the loop runs with the groove.")
        else:
            self._loop_goes()
            gains = self.gains
            sound = self._leveled(found.other, gains.other_db) if other else pad.sound
            if not other:
                sound = self._leveled(sound, gains.own_db)
            kit = _with_sound(self._session.kit, pad, sound)
            ahead = 0.0 if was == other else found.ahead_frames * (1.0 if other else -1.0)
            owner = (self, "other" if other else "own")
            plain = not other and sound is pad.sound
            self._session.playing.hear(None if plain else kit, ahead_frames=ahead, by=owner)
        self.hearing_changed.emit()

    def _leveled(self, sound: Sound, gain_db: float) -> Sound:
        """The sound with a gain; the same object for the same arguments: renders are reused."""
        key = (id(sound), round(gain_db, 3))
        known = self._levels.get(key)
        if known is None or known[0] is not sound:
            if len(self._levels) > 64:
                self._levels.clear()
            known = self._levels[key] = (sound, at_level(sound, gain_db))
        return known[1]

    def _hear_loop(self, on: bool) -> None:
        gains = self.gains
        self._loop_heard = on
        self._session.player.monitoring.listen_to_reference(
            on, gain_from_db(gains.own_db), gain_from_db(gains.other_db)
        )

    def _loop_goes(self) -> None:
        if self._loop_heard:
            self._loop_heard = False
            self._session.player.monitoring.listen_to_reference(False, 1.0, 1.0)

    def end(self) -> None:
        """Ends the comparison: the own sound plays, unmatched."""
        self.engaged = self._switch_wanted = False
        self._loop_heard = False
        self._session.player.monitoring.listen_to_reference(False, 1.0, 1.0)
        owner = self._session.playing.trial_by
        if isinstance(owner, tuple) and owner[0] is self:
            self._session.playing.hear(None, ahead_frames=0.0)
        self.hearing_changed.emit()


def _with_sound(kit: Kit, pad: Pad, sound: Sound) -> Kit:
    return with_pad(kit, pad, msgspec.structs.replace(pad, sound=sound))
