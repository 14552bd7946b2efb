"""Sound for the window: the engine and its card, loaded, opened and closed on a thread.

Loading the compiled engine takes most of the start, and opening a card may take a second: the
window never waits for either. Until they have come everything here answers as a silent engine.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from puddle.engine.layout import MOST_PADS
from puddle.kit.document import Kit, Pad, Pattern, Sound
from puddle.render.takeset import TakeSet, single
from puddle.window.settings import Settings

if TYPE_CHECKING:
    from puddle.engine.devices import Device
    from puddle.engine.engine import Engine

_REPEAT_AHEAD_S = 0.12
_REPEAT_VELOCITY = 110.0
# Behind the kit's own pads, and in a choke group that no gauge reaches.
_AUDITION = Pad(id="\0audition", name="", place=0, sound=Sound(), choke_group=9999)


class Player(QObject):
    """What is played, and on what."""

    device_changed = pyqtSignal()
    _opened = pyqtSignal(object)

    def __init__(self, settings: Settings, repeated: Callable[[], int | None]) -> None:
        """`repeated` tells the index of the pad that is struck while *repeat* is on."""
        super().__init__()
        self._settings = settings
        self._repeated = repeated
        self.engine: Engine | None = None
        self.device: Device | None = None
        self.device_note = ""
        self.repeating = False
        self._shown: tuple[Kit, dict[str, TakeSet], Pattern | None] | None = None
        self._auditioned: np.ndarray | None = None
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="puddle-card")
        self._made: tuple[Engine, Device] | None = None  # the thread's own
        self._opened.connect(self._take_over)
        self._repeat_next = 0
        self._repeat = QTimer(self)
        self._repeat.setInterval(40)
        self._repeat.timeout.connect(self._strike_ahead)

    # The card.

    def open(self) -> None:
        """Opens the preferred card at the preferred rate, or what there is in its place."""
        settings = self._settings
        wanted = (float(settings.rate_hz), settings.device, settings.block)
        self._thread.submit(self._open, *wanted)

    def _open(self, rate_hz: float, name: str, block: int) -> None:
        from puddle.engine.devices import open_device
        from puddle.engine.engine import Engine

        engine = self._close_card()
        if engine is None or engine.rate_hz != rate_hz:
            engine = Engine(rate_hz)
        device, note = open_device(engine, name, block)
        self._made = (engine, device)
        self._opened.emit((engine, device, note))

    def _close_card(self) -> Engine | None:
        made, self._made = self._made, None
        if made is None:
            return None
        made[1].close()
        return made[0]

    def _take_over(self, opened: Any) -> None:
        """On the window's thread: what was opened is what plays from now on."""
        self.engine, self.device, self.device_note = opened
        self.device_changed.emit()
        if self._shown is not None:
            self.show(*self._shown)

    def close(self) -> None:
        """Silence; returns once the card has let go of the engine."""
        self._repeat.stop()
        self._thread.submit(self._close_card)
        self._thread.shutdown(wait=True)
        self.device = None

    # What is played.

    def show(self, kit: Kit, takes: dict[str, TakeSet], pattern: Pattern | None) -> None:
        """Hands the kit over, and with it the takes that are ready, by pad."""
        self._shown = (kit, takes, pattern)
        if self.engine is None:
            return
        if self._auditioned is not None and len(kit.pads) < MOST_PADS:
            kit = msgspec.structs.replace(kit, pads=(*kit.pads, _AUDITION))
            takes = {**takes, _AUDITION.id: single(self._auditioned)}
        self.engine.set_kit(kit, takes, pattern)

    def audition(self, audio: np.ndarray) -> None:
        """Plays something that is on no pad; what was auditioned before is choked."""
        self._auditioned = audio
        if self._shown is not None and len(self._shown[0].pads) < MOST_PADS:
            self.show(*self._shown)
            self.strike(len(self._shown[0].pads), _REPEAT_VELOCITY)

    def strike(self, index: int, velocity: float) -> None:
        """Strikes a pad by its index, now."""
        if self.engine is not None:
            self.engine.strike(index, velocity)

    def release(self, index: int) -> None:
        """Lets a gated pad go."""
        if self.engine is not None:
            self.engine.release(index)

    def toggle_play(self) -> None:
        """Starts or stops the groove."""
        if self.engine is None:
            return
        if self.engine.playing:
            self.engine.stop()
        else:
            self.engine.play()

    def silence(self) -> None:
        """Stops the groove and lets everything go."""
        if self.engine is not None:
            self.engine.silence()

    def set_repeat(self, on: bool) -> None:
        """A pad struck on every beat while one works on it."""
        self.repeating = on
        self._repeat_next = 0
        if on:
            self._repeat.start()
        else:
            self._repeat.stop()

    def _strike_ahead(self) -> None:
        """Puts the coming beats' strikes on their exact frames."""
        engine, index = self.engine, self._repeated()
        if engine is None or self._shown is None:
            return
        clock = engine.clock
        period = round(60.0 / self._shown[0].tempo_bpm * engine.rate_hz)
        self._repeat_next = max(self._repeat_next, clock)
        while self._repeat_next < clock + _REPEAT_AHEAD_S * engine.rate_hz:
            if index is not None:
                engine.strike(index, _REPEAT_VELOCITY, self._repeat_next)
            self._repeat_next += period

    # What is heard.

    @property
    def playing(self) -> bool:
        """Whether the groove runs."""
        return self.engine is not None and self.engine.playing

    @property
    def beat(self) -> float:
        """Where it is, in beats from its first step."""
        return self.engine.beat if self.engine is not None else 0.0

    def strikes(self) -> tuple[np.ndarray, np.ndarray]:
        """How often each pad was struck so far, and how hard last."""
        if self.engine is None:
            return np.zeros(MOST_PADS, np.int64), np.zeros(MOST_PADS)
        return self.engine.strikes()

    def master_peaks(self) -> tuple[float, float]:
        """The master's peaks since they were last read, linear."""
        return self.engine.master_peaks() if self.engine is not None else (0.0, 0.0)

    def reduction_db(self, bus_id: str, stage_id: str) -> float:
        """The deepest reduction of a running stage since it was last asked."""
        return self.engine.reduction_db(bus_id, stage_id) if self.engine is not None else 0.0
