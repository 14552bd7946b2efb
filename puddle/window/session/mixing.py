"""The mix as it is heard: levels of streams, loudness, spectra, while somebody looks."""

from __future__ import annotations

import threading
import time
from typing import TYPE_CHECKING

import msgspec
import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.engine.names import MASTER, out_node, pad_node, way_node
from puddle.kit.model.bus import OUTPUTS, Bus
from puddle.measure.running import Loudness, RunningLoudness
from puddle.measure.spectrum import display_spectrum
from puddle.window.session.frames import FRAME_MS
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.engine.engine import Engine

_LOOKS_MS = 50
_FALL_DB = 1.5  # of what is shown of a level, each look: 30 dB a second
_WINDOW = 16384  # frames of a spectrum
_SLOW = 0.92  # of the slow spectrum each look: a second and more
_HOLD_FALL_DB = 0.4
_MOST_FRAMES = 96000


class Looks(msgspec.Struct, frozen=True, eq=False):
    """What a look at two streams saw: at the master, or another, and at one beside it."""

    loudness: Loudness
    hz: np.ndarray
    now_db: np.ndarray
    slow_db: np.ndarray
    hold_db: np.ndarray
    other_db: np.ndarray | None  # the slow spectrum of the stream beside it


class _Eye(msgspec.Struct, eq=False):
    """Looks again and again at one ring; on a worker."""

    began: int = -1  # the frame of its ring from which on it is this stream's; not yet seen
    read: int = 0
    slow: np.ndarray | None = None
    hold: np.ndarray | None = None
    now: np.ndarray | None = None
    hz: np.ndarray = msgspec.field(default_factory=lambda: np.zeros(0))

    def look(self, audio: np.ndarray, written: int, rate_hz: float) -> None:
        """Takes the latest of a ring, in which so many frames were written, into its spectra."""
        if self.began < 0:
            self.began = written
        audio = audio[max(0, audio.shape[0] - (written - self.began)) :]
        if audio.shape[0] < _WINDOW:
            audio = np.concatenate([np.zeros((_WINDOW - audio.shape[0], 2), np.float32), audio])
        self.hz, self.now = display_spectrum(audio[-_WINDOW:], rate_hz)
        power = 10.0 ** (self.now / 10.0)
        if self.slow is None or self.slow.shape != power.shape or self.hold is None:
            self.slow, self.hold = power, self.now
        self.slow = _SLOW * self.slow + (1.0 - _SLOW) * power
        self.hold = np.maximum(self.hold - _HOLD_FALL_DB, self.now)


class Mixing(QObject):
    """What the page of the mix hears of the engine."""

    looked = pyqtSignal(object)  # Looks
    levels_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.levels: dict[str, float] = {}  # by what the engine calls it, linear, falling
        self.pads: dict[str, float] = {}
        self.reductions: dict[str, dict[str, float]] = {}  # in dB, by bus and stage, falling
        self._eyes = (_Eye(), _Eye())
        self._names: tuple[str, str | None] = (MASTER, None)
        self._meter: RunningLoudness | None = None
        self._rate_hz = 0.0
        self._lock = threading.Lock()
        self._looked_at = 0.0
        session.frames.passed.connect(self._frame)
        self._watched = False
        session.player.device_changed.connect(self._follow_engine)

    # Looking.

    def watch(self, seen: bool) -> None:
        """Whether somebody looks."""
        self._watched = seen
        self._follow_engine()
        engine = self._session.player.engine
        if seen and engine is not None:
            engine.levels()  # what was loudest while nobody looked is of no interest
            engine.pad_levels()
            self._session.frames.wake()

    def compare(self, analyzed: tuple[str, str], beside: tuple[str, str]) -> None:
        """The streams that are looked at, each a pad and a bus: with neither the master.

        Where both are one, nothing lies beside.
        """
        first, second = self._named(*analyzed), self._named(*beside)
        names = (first, second if second != first else None)
        if names == self._names:
            return
        if names[0] != self._names[0]:
            self.reset()
        self._eyes, self._names = (self._eyes[0], _Eye()), names
        self._follow_engine()

    def _named(self, pad_id: str, bus_id: str) -> str:
        """What the engine calls a stream: of a pad, of a bus, or the master."""
        if pad_id:
            return pad_node(pad_id)
        bus = next((b for b in self._session.kit.buses if b.id == bus_id), None)
        return self._leaves(bus) if bus is not None else MASTER

    def _leaves(self, bus: Bus) -> str:
        """What the engine calls the way on which a bus leaves."""
        engine, pair = self._session.player.engine, OUTPUTS.index(bus.output)
        apart = engine is not None and 0 < pair <= engine.pairs
        return way_node(bus.id, out_node(pair) if apart else bus.into)

    def reset(self) -> None:
        """Loudness and peaks begin anew."""
        self._eyes = (_Eye(read=self._eyes[0].read), _Eye())
        if self._meter is not None:
            self._meter = RunningLoudness(self._rate_hz)

    def _follow_engine(self) -> None:
        engine = self._session.player.engine
        if engine is None:
            return
        if engine.rate_hz != self._rate_hz:
            self._rate_hz = engine.rate_hz
            self._meter = RunningLoudness(engine.rate_hz)
        engine.meter_pads(self._watched)
        for which, name in enumerate(self._names):
            engine.look_at(which, name if self._watched else None)

    def _frame(self) -> None:
        """Looks twenty times a second, in frames in which other things move too."""
        if self._watched:
            self._session.frames.want(_LOOKS_MS)
            now = time.monotonic()
            if now - self._looked_at > (_LOOKS_MS - FRAME_MS / 2) / 1000.0:
                self._looked_at = now
                self._look()

    def _look(self) -> None:
        engine = self._session.player.engine
        if engine is None or self._meter is None:
            return
        fall = 10.0 ** (-_FALL_DB / 20.0)
        for name, (left, right) in engine.levels().items():
            self.levels[name] = max(left, right, fall * self.levels.get(name, 0.0))
        kit = self._session.kit
        levels = engine.pad_levels()
        for pad in kit.pads:
            peak = levels.get(pad.id, 0.0)
            self.pads[pad.id] = max(peak, fall * self.pads.get(pad.id, 0.0))
        self._look_at_reductions(engine)
        self.levels_changed.emit()
        chosen = self._names[1] is not None
        self._session.background.start(
            lambda: self._seen(engine, chosen), self.looked.emit, key="mix"
        )

    def _look_at_reductions(self, engine: Engine) -> None:
        """How far stages turn down: of buses, the master, and the pad that is chosen."""
        kit = self._session.kit
        rows = {bus.id: bus.stages for bus in kit.buses} | {MASTER: kit.master.stages}
        pad = self._session.pad
        if pad is not None:
            rows[pad_node(pad.id)] = pad.stages
        before, now = self.reductions, engine.reductions_db()
        self.reductions = {
            name: {
                stage.id: max(
                    now.get((name, stage.id), 0.0),
                    before.get(name, {}).get(stage.id, 0.0) - _FALL_DB,
                )
                for stage in stages
                if stage.on
            }
            for name, stages in rows.items()
        }

    def _seen(self, engine: Engine, chosen: bool) -> Looks:
        """On a worker: what has come since, for the meter, and the latest for the spectra."""
        with self._lock:
            (one, other), meter = self._eyes, self._meter
            _, written = engine.heard(0, 0)
            waiting = min(_MOST_FRAMES, max(0, written - one.read))
            audio, written = engine.heard(0, max(_WINDOW, waiting))
            new = min(written - one.read, audio.shape[0])
            one.read = written
            assert meter is not None
            if new > 0:
                meter.feed(audio[audio.shape[0] - new :])
            one.look(audio, written, self._rate_hz)
            if chosen:
                other.look(*engine.heard(1, _WINDOW), self._rate_hz)
            assert one.now is not None and one.slow is not None and one.hold is not None
            return Looks(
                meter.told(),
                one.hz,
                one.now,
                10.0 * np.log10(one.slow + 1e-20),
                one.hold,
                10.0 * np.log10(other.slow + 1e-20) if other.slow is not None and chosen else None,
            )
