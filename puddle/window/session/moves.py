"""Gauges that are moved while the pads are recorded: written into the pattern, stroke by stroke."""

from __future__ import annotations

import time

from PyQt6.QtCore import QObject

from puddle.errors import PuddleError
from puddle.kit.edits.address import told
from puddle.kit.edits.moves import Moved, moved_controls, with_moves
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, Pad
from puddle.kit.playing.schedule import Part
from puddle.window.session.recording import Recording
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after

_REST_MS = 350  # after so long without a move, it has ended


class Moves(QObject):
    """Follows one gauge at a time."""

    def __init__(self, session: Session, recording: Recording) -> None:
        super().__init__(session)
        self._session, self._recording = session, recording
        self._pad: Pad | None = None  # as it was last seen
        self._address: Address | None = None
        self._part: Part | None = None
        self._rest = 0.0  # where the gauge stood before
        self._moves: list[Moved] = []
        self._writing = False
        self._ended = once_after(self, _REST_MS, self.write)
        session.kit_changed.connect(self.follow)
        session.selection_changed.connect(self._see)
        recording.changed.connect(self._see)

    def _see(self) -> None:
        if not self._moves:
            self._pad = self._session.pad

    def follow(self) -> None:
        """The kit has changed: whether a gauge of the selected pad was moved."""
        before, now = self._pad, self._session.pad
        self._pad = now
        recorded = self._recording.on and self._session.player.playing
        if self._writing or not recorded or before is None or now is None or before.id != now.id:
            return
        found = moved_controls(before, now)
        if len(found) != 1:
            return  # undo, another voice, another sound
        ((address, (was, value)),) = found.items()
        beat = self._recording.heard_beat(time.perf_counter() - self._session.input_clock.delay_s)
        part = self._session.grooving.groove.part_at(max(0.0, beat))
        if part is None or beat < 0.0:
            return
        if address != self._address:
            self.write()
            self._address, self._rest, self._part = address, was, part
        self._moves.append(Moved(beat, value))
        self._ended.start()

    def write(self) -> None:
        """The hand has come to rest: what it did becomes own values of the strokes."""
        address, moves, part, rest = self._address, self._moves, self._part, self._rest
        self._address, self._moves = None, []
        if address is None or part is None or not moves:
            return
        session = self._session
        until = self._recording.heard_beat(time.perf_counter()) - _REST_MS * (
            session.kit.tempo_bpm / 60000.0
        )
        moves = [*moves, Moved(max(until, moves[-1].beat), moves[-1].value)]

        def change(kit: Kit) -> Kit:
            return with_moves(kit, part, address, moves, rest)

        try:
            said = f"{told(session.kit, address)} recorded"
        except PuddleError:
            return
        self._writing = True
        session.settle()
        session.edit(said, change)
        session.settle()
        self._writing = False
        self._pad = session.pad
