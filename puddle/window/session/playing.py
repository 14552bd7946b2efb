"""What the engine plays of a session: its kit or what is tried, and strikes by hand."""

from __future__ import annotations

from typing import Protocol

from puddle.kit.model.document import Kit, Pad, Pattern
from puddle.kit.playing.key_tracking import NO_NOTE
from puddle.window.session.player import Player
from puddle.window.session.renders import Renders


class Host(Protocol):
    """The session whose kit is played."""

    renders: Renders
    player: Player

    @property
    def kit(self) -> Kit:
        """The kit as it is now."""

    @property
    def heard(self) -> Kit:
        """What plays."""

    @property
    def pad(self) -> Pad | None:
        """The selected pad."""

    @property
    def pattern(self) -> Pattern | None:
        """The pattern that plays."""

    def index(self, pad_id: str) -> int | None:
        """Where a pad stands among the kit's pads."""

    def show_all(self) -> None:
        """Everything anew."""


class Playing:
    """Between the session and the player."""

    def __init__(self, session: Host) -> None:
        self._session = session
        self._goes_over: tuple[Pad, float] | None = None  # once its take is there
        session.renders.takes_came.connect(self.send)
        session.player.device_changed.connect(self._follow_rate)
        session.player.repeater.struck = self._note_repeat

    def go_over(self, pad: Pad | None, ahead_frames: float = 0.0) -> None:
        """What a pad rings goes over to its take of now, so many frames further into it."""
        self._goes_over = (pad, ahead_frames) if pad is not None else None

    def send(self) -> None:
        """Hands the kit that is heard, and the takes that there are, to the engine."""
        self._session.player.show(
            self._session.heard, self._session.renders.sets, self._session.pattern
        )
        if self._goes_over is not None:
            pad, ahead = self._goes_over
            index = self._session.index(pad.id)
            if self._session.renders.can_play(pad) and index is not None:
                self._goes_over = None
                self._session.player.cross(index, ahead)

    def _follow_rate(self) -> None:
        """A card at another rate plays takes of that rate."""
        engine = self._session.player.engine
        if engine is not None and engine.rate_hz != self._session.renders.takes.rate_hz:
            self._session.renders.restart(engine.rate_hz)
            self._session.show_all()

    def _note_repeat(self, velocity: float) -> None:
        if self._session.pad is not None:
            self._session.renders.note_strike(self._session.pad, velocity)

    def strike(self, pad_id: str, velocity: float, note: int = NO_NOTE) -> None:
        """Strikes a pad now; with a note, by that key."""
        index = self._session.index(pad_id)
        if index is not None:
            self._session.renders.note_strike(self._session.kit.pads[index], velocity, note)
            self._session.player.strike(index, velocity, note)

    def release(self, pad_id: str, note: int = NO_NOTE) -> None:
        """Lets a gated pad go; with a note, what that key struck."""
        index = self._session.index(pad_id)
        if index is not None:
            self._session.player.release(index, note)
