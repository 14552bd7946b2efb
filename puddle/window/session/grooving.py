"""Which pattern is shown, and what the groove plays: one pattern, or several one after the other.

While the groove runs, what is edited is heard from where it is; another pattern comes at the next
bar, the next beat or at once.
"""

from __future__ import annotations

from typing import Any, Protocol

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from puddle.kit.edits.own_values import Varied, VariedPads
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.playing.groove import (
    Groove,
    When,
    changed_groove,
    groove_of,
    in_order,
    turned_to,
)
from puddle.kit.playing.schedule import Part
from puddle.units import gain_from_db
from puddle.window.session.player import Player

_EXTEND_MS = 1000
_NO_PATTERN = "There is no pattern yet: click steps on Groove, or put a starting point there."


class Host(Protocol):
    """The session whose patterns play."""

    player: Player
    playing: Any
    kit_changed: Any
    told: Any

    @property
    def kit(self) -> Kit:
        """The kit as it is now."""

    @property
    def heard(self) -> Kit:
        """What plays."""


class Grooving(QObject):
    """Keeps the groove that is played in step with the kit and with what is chosen."""

    chosen = pyqtSignal()  # another pattern is shown

    def __init__(self, session: Host) -> None:
        super().__init__()
        self._session = session
        self.pattern_id = ""
        self.when: When = "next bar"
        self.follows_order = False
        self.groove = Groove()
        self._playing_id = ""
        self._varied = VariedPads()
        self._clicks: tuple[Any, ...] = ()
        self._extending = QTimer(self)
        self._extending.setInterval(_EXTEND_MS)
        self._extending.timeout.connect(self._extend)

    # What is shown.

    @property
    def pattern(self) -> Pattern | None:
        """The pattern that is shown, of the kit that is edited."""
        kit = self._session.kit
        found = kit.pattern(self.pattern_id)
        return found or (kit.patterns[0] if kit.patterns else None)

    def choose(self, pattern_id: str) -> None:
        """Shows another pattern, which plays from the next bar, beat or at once."""
        if pattern_id == self.pattern_id:
            return
        self.pattern_id = pattern_id
        self._session.playing.send()
        self.chosen.emit()

    def answer(self, note: int) -> bool:
        """A key that patterns are given to shows its pattern; whether it is one."""
        kit = self._session.kit
        n = note - kit.pattern_key
        if not kit.pattern_key or not 0 <= n < len(kit.patterns):
            return False
        self.choose(kit.patterns[n].id)
        return True

    def choose_by(self, steps: int) -> None:
        """The next pattern, or the one before."""
        patterns = self._session.kit.patterns
        if patterns:
            now = next((n for n, p in enumerate(patterns) if p is self.pattern), 0)
            self.choose(patterns[(now + steps) % len(patterns)].id)

    def begin(self, kit: Kit) -> None:
        """Another kit is open."""
        self.pattern_id = kit.patterns[0].id if kit.patterns else ""
        self._playing_id = ""
        self.follows_order = False
        self.groove = Groove()

    # What plays.

    def varied(self, kit: Kit) -> tuple[Varied, ...]:
        """The pads that a hat pedal plays, then those with own values of hits."""
        return self._varied.of(kit, kit.patterns, pedal=True)

    def follow(self, kit: Kit) -> Groove:
        """The groove, with the patterns as they are in the kit that is heard."""
        player = self._session.player
        shown = self.pattern
        pattern = kit.pattern(shown.id) if shown is not None else None
        if not player.playing:
            self._playing_id = pattern.id if pattern is not None else ""
            self.groove = self._fresh(kit, pattern)
            return self.groove
        beat = player.beat
        groove = self._edited(kit, beat)
        if pattern is None:
            self.groove = Groove()
        elif not groove.parts:
            self.groove = turned_to(groove, pattern, beat, "at once")
        elif pattern.id != self._playing_id:
            self.follows_order = False
            self.groove = turned_to(groove, pattern, beat, self.when)
        else:
            self.groove = groove
        self._playing_id = pattern.id if pattern is not None else ""
        return self.groove

    def _fresh(self, kit: Kit, pattern: Pattern | None) -> Groove:
        order = in_order(kit) if self.follows_order else Groove()
        return order if order.parts else groove_of(pattern)

    def _edited(self, kit: Kit, beat: float) -> Groove:
        """What plays, with every pattern as it is now; those that have gone are left out."""
        groove = self.groove
        now = groove.part_at(beat)
        if now is not None:
            edited = kit.pattern(now.pattern.id)
            if edited is not None and edited is not now.pattern:
                groove = changed_groove(groove, edited, beat)
        parts = []
        for part in groove.parts:
            found = kit.pattern(part.pattern.id)
            if found is not None:
                same = found is part.pattern
                parts.append(part if same else Part(found, part.start, part.origin))
        return Groove(tuple(parts))

    def place(self) -> tuple[Pattern | None, float]:
        """The pattern that is heard now, and the beat in its pass; under zero in a count-in."""
        return self.groove.place(self._session.player.beat)

    def waits(self) -> bool:
        """Whether another pattern than the one that is heard comes."""
        heard, _ = self.place()
        shown = self.pattern
        return (
            self._session.player.playing
            and heard is not None
            and shown is not None
            and heard.id != shown.id
        )

    # Starting.

    def toggle(self) -> None:
        """Starts or stops the groove."""
        if self._session.player.playing:
            self._session.player.stop()
            return
        self.start()
        if self.pattern is None:
            self._session.told.emit(_NO_PATTERN)

    def start(self, count_in: float = 0.0) -> None:
        """Starts the groove from its first step, or from so many beats before."""
        heard, shown = self._session.heard, self.pattern
        pattern = heard.pattern(shown.id) if shown is not None else None
        self.groove = self._fresh(heard, pattern)
        self._playing_id = pattern.id if pattern is not None else ""
        self._session.playing.send()
        self.show_metronome(counts=count_in > 0.0)
        self._session.player.play(-count_in)
        self._extending.start()

    def go_along(self) -> None:
        """The groove runs, whoever started it: more of it is sent in time, and the clicks fit."""
        if not self._extending.isActive():
            self._extending.start()
            self.show_metronome()

    def set_order(self, on: bool) -> None:
        """Plays the kit's patterns in their order, from its start; or the one that is shown."""
        self.follows_order = on
        if self._session.player.playing:
            self.start()
        else:
            self._session.playing.send()

    def _extend(self) -> None:
        if not self._session.player.playing:
            self._extending.stop()
            return
        self._session.player.extend()

    def show_metronome(self, *, counts: bool = False) -> None:
        """Sets the metronome as the kit has it, on the bars of the pattern that plays."""
        kit = self._session.kit
        part = self.groove.part_at(max(0.0, self._session.player.beat))
        meter = part.pattern.meter if part is not None else "4/4"
        when = "on" if kit.metronome else "count-in" if counts else "off"
        gain = gain_from_db(kit.metronome_db)
        self._session.player.monitoring.set_metronome(
            when, gain, meter, part.origin if part else 0.0
        )
