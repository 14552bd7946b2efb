"""What is asked of a hand at a controller: a stroke for each pad, and how hard it strikes."""

from __future__ import annotations

from collections.abc import Callable

from puddle.kit.model.pad import PADS_PER_BANK
from puddle.midi.controller_map import measured_curve, teach
from puddle.midi.messages import Played
from puddle.window.session.controller_maps import ControllerMaps
from puddle.window.session.session import Session

STRENGTHS = ("softly", "medium", "hard")
_STROKES = 4  # of each strength, to measure a hand


class Teaching:
    """Teaches pads their notes, and measures a hand."""

    def __init__(self, session: Session, maps: ControllerMaps, changed: Callable[[], None]) -> None:
        self._session, self._maps, self._changed = session, maps, changed
        self.on = False
        self.measuring: dict[str, list[list[int]]] = {}  # strokes so far, by controller

    def take(self, port: str, note: Played) -> str:
        """A stroke: what was done with it, in words; nothing where none is asked for."""
        if port in self.measuring:
            return self._measure(port, note.velocity)
        return self._teach(port, note) if self.on else ""

    def set_on(self, on: bool) -> None:
        """What is struck next strikes the selected pad from then on, and the next pad is asked."""
        self.on = on
        self._changed()

    def measure(self, port: str) -> None:
        """Asks for soft, medium and hard strokes, and bends the controller's curve by them."""
        self.measuring[port] = [[]]
        self._changed()

    def asked_for(self, port: str) -> str:
        """How the next stroke shall be while a hand is measured; or nothing."""
        strokes = self.measuring.get(port)
        return STRENGTHS[len(strokes) - 1] if strokes is not None else ""

    def _teach(self, port: str, note: Played) -> str:
        """Teaches the selected pad and goes on to the next of its bank; after the last it ends."""
        pad = self._session.pad
        if pad is None:
            self._session.told.emit("Select a pad first: it is taught what is struck next.")
            return "nothing is selected"
        self._maps.put(port, teach(self._maps.of(port), pad.place, note.note))
        self._maps.settle(port, f"{pad.name} taught")
        bank_ends = (pad.place // PADS_PER_BANK + 1) * PADS_PER_BANK
        rest = [p for p in self._session.kit.pads if pad.place < p.place < bank_ends]
        if rest:
            self._session.selection.select_pad(min(rest, key=lambda p: p.place).id)
        else:
            self.set_on(False)
        return f"taught: {pad.name}"

    def _measure(self, port: str, velocity: int) -> str:
        strokes = self.measuring[port]
        asked = self.asked_for(port)
        strokes[-1].append(velocity)
        if len(strokes[-1]) >= _STROKES:
            if len(strokes) < len(STRENGTHS):
                strokes.append([])
            else:
                del self.measuring[port]
                try:
                    self._maps.set(port, "curve", measured_curve(*strokes))
                    self._maps.settle(port, "a hand measured")
                except ValueError as error:
                    self._session.told.emit(str(error))
        self._changed()
        return f"measured, {asked}"
