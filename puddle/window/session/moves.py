"""Gauges that are moved while the groove plays: heard, and written into the pattern if it records.

What strokes have for themselves is written stroke by stroke, what runs live as a curve. While a
hand is on a gauge that a curve moves, the hand is heard.
"""

from __future__ import annotations

import time

from PyQt6.QtCore import QObject

from puddle.errors import PuddleError
from puddle.kit.edits.address import told
from puddle.kit.edits.gauges import set_value
from puddle.kit.edits.moves import Moved, as_curves, moved_anywhere, with_moves
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit
from puddle.kit.playing.schedule import Part
from puddle.window.session.recording import Recording
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after

_REST_MS = 350  # after so long without a move, it has ended


class Moves(QObject):
    """Follows one gauge at a time, or all that one kit gauge moves."""

    def __init__(self, session: Session, recording: Recording) -> None:
        super().__init__(session)
        self._session, self._recording = session, recording
        self._kit = session.kit  # as it was last seen
        self._gauge = ""  # the kit gauge that is moved, if it is one
        self._gauge_rest = 0.0
        self._part: Part | None = None
        self._rests: dict[Address, float] = {}  # where gauges stood before
        self._moves: dict[Address, list[Moved]] = {}
        self._writing = False
        self._ended = once_after(self, _REST_MS, self.write)
        session.kit_changed.connect(self.follow)
        session.started.connect(self._forget)
        recording.changed.connect(self._see)

    def _forget(self) -> None:
        self._moves, self._rests, self._part = {}, {}, None
        self._see()

    def _see(self) -> None:
        if not self._moves:
            self._kit = self._session.kit

    def follow(self) -> None:
        """The kit has changed: whether a gauge was moved."""
        before, now = self._kit, self._session.kit
        self._kit = now
        if self._writing or not self._session.player.playing:
            return
        found = moved_anywhere(before, now)
        gauge = _moved_gauge(before, now)
        if not found or (len(found) > 1 and not gauge):
            return  # undo, another voice, another sound
        self._hold(found)
        if self._recording.on:
            self._note(found, gauge, before)
        self._ended.start()

    def _hold(self, found: dict[Address, tuple[float, float]]) -> None:
        playing, groove = self._session.playing, self._session.grooving.groove
        curved = {curve.address for part in groove.parts for curve in part.pattern.curves}
        playing.take_in_hand(playing.in_hand | (curved & found.keys()))

    def _note(self, found: dict[Address, tuple[float, float]], gauge: str, before: Kit) -> None:
        beat = self._recording.heard_beat(self._session.input_clock.moment_s)
        part = self._session.grooving.groove.part_at(max(0.0, beat))
        if part is None or beat < 0.0:
            return
        if gauge != self._gauge or (not gauge and not found.keys() <= self._moves.keys()):
            self.write()
            self._part, self._gauge = part, gauge
            self._hold(found)
            if gauge:
                self._gauge_rest = next(g.value for g in before.gauges if g.id == gauge)
        for address, (was, value) in found.items():
            self._rests.setdefault(address, was)
            self._moves.setdefault(address, []).append(Moved(beat, value))

    def write(self) -> None:
        """The hand has come to rest: what it did becomes own values of strokes, and curves."""
        moves, part, rests = self._moves, self._part, self._rests
        gauge, gauge_rest = self._gauge, self._gauge_rest
        self._moves, self._rests, self._part, self._gauge = {}, {}, None, ""
        if part is not None and moves:
            self._write(part, self._held_on(moves), rests, (gauge, gauge_rest))
        self._session.playing.take_in_hand(frozenset())

    def _held_on(self, moves: dict[Address, list[Moved]]) -> dict[Address, list[Moved]]:
        """The moves, each where it came to rest until the hand left it."""
        waited = _REST_MS * self._session.kit.tempo_bpm / 60000.0
        until = self._recording.heard_beat(time.perf_counter()) - waited
        return {
            address: [*made, Moved(max(until, made[-1].beat), made[-1].value)]
            for address, made in moves.items()
        }

    def _write(
        self,
        part: Part,
        moves: dict[Address, list[Moved]],
        rests: dict[Address, float],
        gauge: tuple[str, float],
    ) -> None:
        session = self._session
        live = {address: made for address, made in moves.items() if address.runs_live}

        def change(kit: Kit) -> Kit:
            for address, made in moves.items():
                if not address.runs_live:
                    kit = with_moves(kit, part, address, made, rests[address])
            kit = as_curves(kit, part, live, rests)
            return set_value(kit, *gauge) if gauge[0] else kit

        try:
            said = told(session.kit, next(iter(moves)))
            if gauge[0]:
                said = next(g.name for g in session.kit.gauges if g.id == gauge[0])
        except (PuddleError, StopIteration):
            return
        self._writing = True
        session.settle()
        session.edit(f"{said} recorded", change)
        session.settle()
        self._writing = False
        self._kit = session.kit


def _moved_gauge(before: Kit, now: Kit) -> str:
    """The kit gauge that was moved, if one was."""
    if before.gauges is now.gauges:
        return ""
    values = {gauge.id: gauge.value for gauge in before.gauges}
    moved = [g.id for g in now.gauges if values.get(g.id, g.value) != g.value]
    return moved[0] if len(moved) == 1 else ""
