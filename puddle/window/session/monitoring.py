"""What is listened to beside the kit, kept for the engine that plays now and the ones to come."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from puddle.engine.engine import Engine


class Monitoring:
    """Monitor switches, metronome and reference; none of it is in what is exported."""

    def __init__(self, engine: Callable[[], Engine | None]) -> None:
        """`engine` tells the one that plays; None while it loads."""
        self._engine = engine
        self._switches = (False, False)
        self._metronome: tuple[Any, ...] = ("off", 1.0, "4/4", 0.0)
        self._reference: tuple[np.ndarray | None, float] = (None, 0.0)
        self._reference_heard = (False, 1.0, 1.0)
        self._own_gain = 1.0
        self.apart = (0, 0)

    def apply(self) -> None:
        """Tells an engine that has come all that was set."""
        mono, small = self._switches
        self.set_switches(mono=mono, small_speaker=small)
        self.set_apart(*self.apart)
        self.set_metronome(*self._metronome)
        self.set_reference(*self._reference)
        self.listen_to_reference(*self._reference_heard)

    def set_switches(self, *, mono: bool, small_speaker: bool) -> None:
        """Sets the monitor switches: mono, small speaker."""
        self._switches = (mono, small_speaker)
        engine = self._engine()
        if engine is not None:
            engine.set_listening(mono=mono, small_speaker=small_speaker)

    def set_apart(self, monitor_pair: int, click_pair: int) -> None:
        """The pairs on which is listened, and on which the metronome clicks; 0 for the master's."""
        self.apart = (monitor_pair, click_pair)
        engine = self._engine()
        if engine is not None:
            engine.set_apart(monitor_pair, click_pair)

    def set_metronome(self, when: Any, gain: float, meter: Any, origin: float) -> None:
        """Sets the metronome: off, on, or for a count-in only."""
        self._metronome = (when, gain, meter, origin)
        engine = self._engine()
        if engine is not None:
            engine.set_metronome(when, gain, meter, origin)

    def set_reference(self, audio: np.ndarray | None, beats: float = 0.0) -> None:
        """A loop that runs with the groove; None for none."""
        self._reference = (audio, beats)
        engine = self._engine()
        if engine is not None:
            engine.set_reference(audio, beats)

    def listen_to_reference(self, on: bool, own_gain: float, reference_gain: float) -> None:
        """Whether the loop is heard instead of the groove, both at their linear gains."""
        self._reference_heard = (on, own_gain, reference_gain)
        engine = self._engine()
        if engine is not None:
            engine.listen_to_reference(on, own_gain * self._own_gain, reference_gain)

    def set_own_gain(self, gain: float) -> None:
        """The linear gain of the groove where it is held against something as loud."""
        if gain != self._own_gain:
            self._own_gain = gain
            self.listen_to_reference(*self._reference_heard)
