"""What is heard, written to files while it plays: the master, and the buses beside it."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Iterable, Mapping
from contextvars import Context
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.engine.layout import RECORDED
from puddle.engine.names import MASTER, out_node, way_node
from puddle.errors import FileError
from puddle.files import writable
from puddle.kit.model.bus import OUTPUTS
from puddle.tasks import is_cancelled
from puddle.units import db_from_gain
from puddle.window.session.session import Session

if TYPE_CHECKING:
    from puddle.engine.engine import Engine
    from puddle.formats.growing_wav import GrowingWav

_EVERY_S = 0.1
_MOST_FRAMES = 96000  # of a ring at a time
_FIRST_RING = 2  # behind those that the page of the mix looks at
_TRIES, _TRY_S = 50, 0.002


class _Stream(msgspec.Struct, eq=False):
    """One file: from which ring, how far it is read, and where it was loudest."""

    ring: int
    file: GrowingWav
    at: int
    start: int
    peak: float = 0.0
    where: int = 0

    def take(self, engine: Engine) -> None:
        """Writes what has come since."""
        audio, written = engine.heard(self.ring, _MOST_FRAMES)
        new = audio[audio.shape[0] - min(audio.shape[0], written - self.at) :]
        loudest = float(np.abs(new).max(initial=0.0))
        if loudest > self.peak:
            self.where = self.at - self.start + int(np.argmax(np.abs(new).max(axis=1)))
            self.peak = loudest
        self.file.write(new)
        self.at = written


class OutputRecorder(QObject):
    """One recording at a time; its files begin on the same frame."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.recording = False
        self._rings: dict[str, int] = {}  # by a bus's id, "" for the master
        self._stopped: threading.Event | None = None
        session.kit_changed.connect(self._follow_routes)

    def record(self, path: Path) -> None:
        """Writes the master from now on, until `stop`."""
        self._begin({"": path})

    def record_buses(self, folder: Path) -> None:
        """Writes the master and every bus, each to a file in a folder."""
        kit = self._session.kit
        name = writable(kit.name)
        paths = {"": folder / f"{name} Master.wav"}
        for bus in kit.buses[: RECORDED - 1]:
            path, count = folder / f"{name} {writable(bus.name)}.wav", 1
            while path in paths.values():
                count += 1
                path = folder / f"{name} {writable(bus.name)} {count}.wav"
            paths[bus.id] = path
        self._begin(paths)

    def stop(self) -> None:
        """Ends the recording; the files are whole."""
        if self._stopped is not None:
            self._stopped.set()

    def _begin(self, paths: dict[str, Path]) -> None:
        engine = self._session.player.engine
        if engine is None or self.recording:
            return
        self._rings = {key: _FIRST_RING + n for n, key in enumerate(paths)}
        self._follow_routes()
        self.recording = True

        stopped = threading.Event()
        self._stopped = stopped
        self._session.background.start(
            lambda: self._written(engine, paths, stopped),
            self._session.told.emit,
            priority="long",
            ended=self._ended,
        )
        self.changed.emit()

    def _follow_routes(self) -> None:
        """Where a bus flows decides what its output is called in the engine."""
        engine = self._session.player.engine
        if engine is None:
            return
        buses = {bus.id: bus for bus in self._session.heard.buses}
        for key, ring in self._rings.items():
            bus = buses.get(key)
            pair = OUTPUTS.index(bus.output) if bus is not None else 0
            into = bus.into if bus is not None else ""
            target = out_node(pair) if 0 < pair <= engine.pairs else into
            engine.look_at(ring, way_node(key, target) if key else MASTER)

    def _written(self, engine: Engine, paths: dict[str, Path], stopped: threading.Event) -> str:
        streams: dict[str, _Stream] = {}
        try:
            streams = self._opened(engine, paths)
            going = True
            while going:
                going = not (stopped.is_set() or is_cancelled())
                going = going and self._session.player.engine is engine
                for stream in streams.values():
                    stream.take(engine)
                if going:
                    stopped.wait(_EVERY_S)
        finally:
            for stream in streams.values():
                stream.file.close()
        # That it was ended is no reason to leave the marks half-way.
        Context().run(_mark_peaks, streams.values())
        return _told(streams, engine.rate_hz)

    def _opened(self, engine: Engine, paths: dict[str, Path]) -> dict[str, _Stream]:
        """Files for all rings, from one frame on."""
        from puddle.formats.growing_wav import GrowingWav

        files: dict[str, GrowingWav] = {}
        try:
            for key, path in paths.items():
                files[key] = GrowingWav(path, engine.rate_hz, 2)
        except FileError:
            for file in files.values():
                file.close()
            raise
        starts = _starts(engine, self._rings)
        return {
            key: _Stream(self._rings[key], file, starts[key], starts[key])
            for key, file in files.items()
        }

    def _ended(self) -> None:
        engine = self._session.player.engine
        if engine is not None:
            for ring in self._rings.values():
                engine.look_at(ring, None)
        self._rings, self._stopped, self.recording = {}, None, False
        self.changed.emit()


def _starts(engine: Engine, rings: Mapping[str, int]) -> dict[str, int]:
    """How far each ring was at one frame of the engine.

    A ring is ahead of the engine's clock by what it was when it began, and in the midst of a
    quantum by one more, or by several where the clock was read before: the least is the true one.
    """
    ahead = dict.fromkeys(rings, math.inf)
    for _ in range(_TRIES):
        for key, ring in rings.items():
            clock = engine.clock
            ahead[key] = min(ahead[key], engine.heard(ring, 0)[1] - clock)
        time.sleep(_TRY_S)
    clock = engine.clock
    return {key: clock + int(by) for key, by in ahead.items()}


def _mark_peaks(streams: Iterable[_Stream]) -> None:
    """A cue point in each file where it is loudest."""
    from puddle.formats.cue_points import write_with_cues

    for stream in streams:
        path = stream.file.path
        if stream.peak > 0.0 and path.exists():
            label = f"peak {db_from_gain(stream.peak):.1f} dBFS"
            write_with_cues(path, path, [(stream.where, label)])


def _told(streams: dict[str, _Stream], rate_hz: float) -> str:
    master = streams[""]
    seconds = (master.at - master.start) / rate_hz
    name = master.file.path.name
    more = f", and {len(streams) - 1} buses beside it" if len(streams) > 1 else ""
    if master.peak <= 0.0:
        return f"{name}{more}: {seconds:.1f} s of silence."
    return (
        f"{name}{more}: {seconds:.1f} s, loudest {db_from_gain(master.peak):.1f} dBFS at "
        f"{master.where / rate_hz:.2f} s, where a cue point stands."
    )
