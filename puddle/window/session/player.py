"""Sound for the window: the engine and its card, loaded, opened and closed on a thread.

Loading the compiled engine takes most of the start, and opening a card may take a second: the
window never waits for either. Until they have come everything here answers as a silent engine.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor, wait
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.engine.layout import NO_SLOT
from puddle.home.settings import Settings
from puddle.kernels.warmth import is_warm
from puddle.kit.edits.own_values import Varied
from puddle.kit.model.bus import OUTPUTS
from puddle.kit.model.document import Kit
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.groove import Groove
from puddle.render.takeset import TakeSet
from puddle.tasks import CLOSING_S
from puddle.window.session.monitoring import Monitoring
from puddle.window.session.repeater import Repeater

if TYPE_CHECKING:
    from puddle.engine.devices import Device
    from puddle.engine.engine import Engine
    from puddle.engine.moving import CurveTables


log = logging.getLogger(__name__)

_CHOOSE = "Choose another sound card in Preferences, or try it again there."


class Player(QObject):
    """The engine and its audio device."""

    device_changed = pyqtSignal()
    slots_changed = pyqtSignal()  # pads have come or gone in the engine
    told = pyqtSignal(str)  # a sentence for the person
    _opened = pyqtSignal(object)
    _failed = pyqtSignal(str)

    def __init__(self, settings: Settings, repeated: Callable[[], str]) -> None:
        """`repeated` gives the id of the pad that is struck while *repeat* is on."""
        super().__init__()
        self._settings = settings
        self.engine: Engine | None = None
        self.device: Device | None = None
        self.device_note = ""
        self.repeater = Repeater(lambda: self.engine, repeated)
        self._shown: tuple[Any, ...] | None = None  # what `show` was given last
        self.auditioned: np.ndarray | None = None
        self.monitoring = Monitoring(lambda: self.engine)
        self._pairs = 0  # of outputs that the kit has wanted, beside the first
        self._asked = False  # for a card
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="puddle-card")
        self._made: tuple[Engine, Device] | None = None  # the thread's own
        self._closed: Future[Engine | None] | None = None
        self._opened.connect(self._take_over)
        self._failed.connect(self.told)

    # The card.

    def open(self) -> None:
        """Opens the preferred card at the preferred rate, or what there is in its place."""
        settings = self._settings
        self._asked = True
        apart = [OUTPUTS.index(one) for one in (settings.listening_output, settings.click_output)]
        self.monitoring.set_apart(*apart)
        self._pairs = max(self._pairs, *apart)
        wanted = (float(settings.rate_hz), settings.device, settings.block, self._pairs)
        self._thread.submit(self._try_to_open, *wanted)

    def _try_to_open(self, rate_hz: float, name: str, block: int, pairs: int) -> None:
        """On the card's thread, whose failures nobody else would read."""
        try:
            self._open(rate_hz, name, block, pairs)
        except Exception as error:
            log.exception("the sound card could not be opened")
            self._failed.emit(f"There is no sound: {error or type(error).__name__}. {_CHOOSE}")

    def _open(self, rate_hz: float, name: str, block: int, pairs: int) -> None:
        from puddle.engine.devices import open_device
        from puddle.engine.engine import Engine

        if not is_warm():  # else the window's thread would compile for a minute
            from puddle.engine.warm import warm_engine

            warm_engine()
        if self._closed is not None:
            return
        engine = self._close_card()
        if engine is None or engine.rate_hz != rate_hz:
            engine = Engine(rate_hz)
        device, note = open_device(engine, name, block, pairs)
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
        engine, self.device, self.device_note = opened
        self.engine = engine
        engine.play_stamped_at_once(self._settings.midi_at_once)
        self.device_changed.emit()
        if self._shown is not None:
            self.show(*self._shown)
        self.monitoring.apply()

    def close(self) -> None:
        """Stops playback and closes the device, and waits for it no longer than a blink.

        The thread may be opening a card, or compiling the engine for a minute.
        """
        self.repeater.set_on(False)
        self._closed = self._thread.submit(self._close_card)
        self._thread.shutdown(wait=False)
        wait([self._closed], CLOSING_S)
        self.device = None

    @property
    def busy(self) -> bool:
        """Whether a card that was left has still not been closed."""
        return self._closed is not None and not self._closed.done()

    # What is played.

    @property
    def pairs(self) -> int:
        """How many pairs of outputs the engine has beside the first."""
        return self.engine.pairs if self.engine is not None else 0

    def show(
        self,
        kit: Kit,
        takes: dict[str, TakeSet],
        groove: Groove,
        varied: Sequence[Varied] = (),
        curves: CurveTables | None = None,
    ) -> None:
        """Sends the kit and the rendered takes by pad to the engine, and what curves move."""
        self._shown = (kit, takes, groove, varied, curves)
        pairs = max((OUTPUTS.index(bus.output) for bus in kit.buses), default=0)
        if pairs > self._pairs:  # a card that is open with more outputs stays so
            self._pairs = pairs
            if self._asked:
                self.open()
        if self.engine is None:
            return
        slots = self.engine.slots.live
        self.engine.set_kit(kit, takes, groove, varied=varied, curves=curves)
        self.repeater.follow()
        if self.engine.slots.live is not slots:
            self.slots_changed.emit()

    def audition(self, audio: np.ndarray) -> None:
        """Plays something that is on no pad; what was auditioned before is choked."""
        self.auditioned = audio
        if self.engine is not None:
            self.engine.audition(audio)

    def slot(self, pad_id: str) -> int:
        """The engine's slot of a pad, or of a pad with own values; NO_SLOT for none."""
        return self.engine.slots.slot(pad_id) if self.engine is not None else NO_SLOT

    def pad(self, slot: int) -> str:
        """The id of the pad that has a slot, or had it and rings on; empty for none."""
        return self.engine.slots.pad(slot) if self.engine is not None else ""

    def strike(self, pad_id: str, velocity: float, note: int = NO_NOTE) -> None:
        """Strikes a pad now; with a note, by that key."""
        if self.engine is not None:
            self.engine.strike(self.slot(pad_id), velocity, note=note)

    def release(self, pad_id: str, note: int = NO_NOTE) -> None:
        """Lets a gated pad go; with a note, what that key struck."""
        if self.engine is not None:
            self.engine.release(self.slot(pad_id), note=note)

    def cross(self, pad_id: str, ahead_frames: float) -> None:
        """Crossfades ringing voices of a pad to its current take."""
        if self.engine is not None:
            self.engine.cross(self.slot(pad_id), ahead_frames)

    def play(self, beat: float = 0.0) -> None:
        """Starts the groove; under zero from so many beats before its first step."""
        if self.engine is not None:
            self.engine.play(beat)

    def stop(self) -> None:
        """Stops the groove; what rings rings on."""
        if self.engine is not None:
            self.engine.stop()

    def extend(self) -> None:
        """Sends more of a groove that does not repeat."""
        if self.engine is not None:
            self.engine.extend()

    def silence(self) -> None:
        """Stops the groove and lets everything go."""
        if self.engine is not None:
            self.engine.silence()

    # What is heard.

    @property
    def playing(self) -> bool:
        """Whether the groove runs."""
        return self.engine is not None and self.engine.playing

    @property
    def beat(self) -> float:
        """Where it is, in beats from its first step; under zero while it is counted in."""
        return self.engine.beat if self.engine is not None else 0.0

    def struck(self) -> bytes:
        """What is another with each strike of any pad: quicker to compare than `strikes`."""
        return self.engine.struck() if self.engine is not None else b""

    def strikes(self) -> dict[str, tuple[int, float]]:
        """By pad id: how often each pad was struck so far, and how hard last."""
        return self.engine.strikes() if self.engine is not None else {}

    def master_peaks(self) -> tuple[float, float]:
        """The master's peaks since they were last read, linear."""
        return self.engine.master_peaks() if self.engine is not None else (0.0, 0.0)

    def safety_reduction_db(self) -> float:
        """How far the limiter before the card turned down since it was last asked."""
        return self.engine.safety_reduction_db() if self.engine is not None else 0.0

    def reduction_db(self, bus_id: str, stage_id: str) -> float:
        """The deepest reduction of a running stage since it was last asked."""
        return self.engine.reduction_db(bus_id, stage_id) if self.engine is not None else 0.0
