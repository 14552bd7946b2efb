"""What comes next of an engine, as samples: for a card, and for files."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from puddle.engine.graph import Graph, address
from puddle.engine.mixer import advance, advance_tapped, deliver, deliver_outputs


class Output:
    """Runs the compiled engine from Python; a card's callback runs it by its address."""

    _record: np.ndarray
    _graph: Graph | None

    @property
    def address(self) -> int:
        """The address that `advance` and the callback take."""
        return address(self._record)

    def deliver(self, out: np.ndarray) -> None:
        """Fills float32 (frames, 2) with what comes next, as a sound card is given it."""
        deliver(self.address, address(out), out.shape[0])

    def deliver_outputs(self, out: np.ndarray) -> None:
        """Fills float32 (frames, channels) with what a card of several outputs is given."""
        deliver_outputs(self.address, address(out), out.shape[0], out.shape[1])

    def advance(self, out: np.ndarray) -> None:
        """Fills float32 (frames, 2) with what comes next."""
        advance(self.address, address(out), out.shape[0])

    def advance_tapped(
        self, frames: int, names: Sequence[str] | None = None
    ) -> tuple[np.ndarray, dict[str, np.ndarray]]:
        """What comes next at the master and at some buses, or all, by name; "" for pads on none."""
        known = self._places
        tapped = [name for name in names or list(known)[:-1] if name in known]
        master = np.zeros((frames, 2), np.float32)
        taps = np.zeros((len(tapped), frames, 2), np.float32)
        self.advance_into(master, taps, tapped, 0, frames)
        return master, dict(zip(tapped, taps, strict=True))

    def advance_into(
        self, master: np.ndarray, taps: np.ndarray, names: Sequence[str], first: int, frames: int
    ) -> None:
        """Writes what comes next into float32 arrays, from the frame `first` on.

        The master into (any, 2), the buses in the order of their names into (names, any, 2).
        """
        places = np.array([self._places[name] for name in names], np.int64)
        advance_tapped(self.address, master, taps, places, first, frames)

    @property
    def _places(self) -> dict[str, int]:
        return self._graph.places if self._graph is not None else {}
