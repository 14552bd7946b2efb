"""What the engine plays of a session: its kit or what is tried, and strikes by hand."""

from __future__ import annotations

from typing import Any, Protocol

from puddle.kit.edits.own_values import opened_values, varied_id, varied_velocities
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, Pad
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.groove import without_curves
from puddle.kit.playing.tempo import Pacer
from puddle.window.session.background import Background
from puddle.window.session.curves import CurvesAhead
from puddle.window.session.grooving import Grooving
from puddle.window.session.player import Player
from puddle.window.session.renders import Renders


class Host(Protocol):
    """The session whose kit is played."""

    heard_changed: Any
    struck: Any
    let_go: Any
    background: Background
    renders: Renders
    player: Player

    @property
    def kit(self) -> Kit:
        """The kit as it is now."""

    @property
    def pad(self) -> Pad | None:
        """The selected pad."""

    @property
    def grooving(self) -> Grooving:
        """What the groove plays."""

    @property
    def pad_id(self) -> str:
        """The selected pad's id."""

    def show_pad(self, pad_id: str) -> None:
        """Has a pad drawn, as it is heard."""

    def show_all(self) -> None:
        """Refreshes everything that shows the kit."""


class Playing:
    """Connects the session to the player: chooses the kit that plays and forwards strikes."""

    def __init__(self, session: Host) -> None:
        self._session = session
        self._pacer = Pacer()
        self._trial: Kit | None = None  # instead of the kit, while something is tried
        self.trial_by: object = None
        self._goes_over: tuple[Pad, float] | None = None  # once its take is there
        self._in_hand: frozenset[Address] = frozenset()
        self._curves = CurvesAhead(session.background, self.send)
        session.renders.takes_came.connect(self.send)
        session.player.device_changed.connect(self._follow_rate)
        session.player.repeater.struck.connect(self._note_repeat)

    @property
    def paced(self) -> Kit:
        """The kit at its tempo."""
        return self._pacer.paced(self._session.kit)

    @property
    def heard(self) -> Kit:
        """What plays: a trial while there is one, else the kit; at the tempo."""
        return self._pacer.paced(self._trial) if self._trial is not None else self.paced

    @property
    def trying(self) -> bool:
        """Whether something is heard in the kit's place."""
        return self._trial is not None

    def tries(self, kit: Kit) -> bool:
        """Whether this kit object is the trial that plays."""
        return self._trial is kit

    def end_trial(self) -> None:
        """Ends a trial because the kit was edited."""
        self._trial = self.trial_by = None
        self._goes_over = None

    def follow(self) -> None:
        """Asks for the takes of what is heard."""
        heard = self.heard
        varied = self._session.grooving.varied(heard)
        struck = varied_velocities(heard.patterns) if varied else {}
        for pad in heard.pads:  # a foot may strike these however hard
            for values in opened_values(pad):
                struck.pop(varied_id(pad.id, values), None)
        self._session.renders.follow(heard, self._session.pad_id, varied, struck)
        self.send()

    def hear(
        self,
        kit: Kit | None,
        *,
        seen: bool = False,
        ahead_frames: float | None = None,
        by: object = None,
    ) -> None:
        """Plays another kit than the one that is edited, for a trial; None ends it.

        Where it is to be seen as well, Shape draws what is heard. With `ahead_frames`, what the
        selected pad rings goes over to it too, so many frames further into the sound. `by` is kept
        as `trial_by`, for whoever wants to know whether it is still heard.
        """
        if kit is None and self._trial is None:
            return
        self._trial = kit
        self.trial_by = by if kit is not None else None
        if ahead_frames is not None:
            self.go_over(self.heard.pad(self._session.pad_id), ahead_frames)
        self.follow()
        if seen:
            self._session.show_pad(self._session.pad_id)
        self._session.heard_changed.emit()

    def go_over(self, pad: Pad | None, ahead_frames: float = 0.0) -> None:
        """Crossfades ringing voices of a pad to its current take, so many frames ahead."""
        self._goes_over = (pad, ahead_frames) if pad is not None else None

    def send(self) -> None:
        """Hands the kit that is heard, and the takes that there are, to the engine."""
        heard, grooving = self.heard, self._session.grooving
        varied = grooving.varied(heard)
        groove = without_curves(grooving.follow(heard), self._in_hand)
        player, rate_hz = self._session.player, self._session.renders.takes.rate_hz
        curves = self._curves.of(heard, groove, rate_hz, player.pairs)
        player.show(heard, self._session.renders.sets, groove, varied, curves)
        if self._session.player.playing:
            grooving.show_metronome()
        if self._goes_over is not None:
            pad, ahead = self._goes_over
            if self._session.renders.can_play(pad):
                self._goes_over = None
                self._session.player.cross(pad.id, ahead)

    @property
    def in_hand(self) -> frozenset[Address]:
        """The controls that a hand is on: no curve moves them meanwhile."""
        return self._in_hand

    def take_in_hand(self, addresses: frozenset[Address]) -> None:
        """Plays some controls as the kit has them, whatever the pattern's curves say."""
        if addresses != self._in_hand:
            self._in_hand = addresses
            self.send()

    def _follow_rate(self) -> None:
        """Restarts rendering at the device's sample rate when that has changed."""
        engine = self._session.player.engine
        if engine is not None and engine.rate_hz != self._session.renders.takes.rate_hz:
            self._session.renders.restart(engine.rate_hz)
            self._session.show_all()

    def _note_repeat(self, pad_id: str, velocity: float, beat: object, frame: int) -> None:
        pad = self._session.kit.pad(pad_id)
        if pad is not None:
            self._session.renders.note_strike(pad, velocity)

    def strike(
        self, pad_id: str, velocity: float, note: int = NO_NOTE, *, by_hand: bool = True
    ) -> None:
        """Strikes a pad now; with a note, by that key. What only tries a sound is not by hand."""
        pad = self._session.kit.pad(pad_id)
        if pad is not None:
            self._session.renders.note_strike(pad, velocity, note)
            self._session.player.strike(pad_id, velocity, note)
            if by_hand:
                self._session.struck.emit(pad_id, velocity, note, ())

    def release(self, pad_id: str, note: int = NO_NOTE) -> None:
        """Lets a gated pad go; with a note, what that key struck."""
        self._session.player.release(pad_id, note)
        self._session.let_go.emit(pad_id, note)
