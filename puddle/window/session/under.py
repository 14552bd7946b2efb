"""The rest of the track in the window: read and made ready on a worker, then played."""

from __future__ import annotations

from pathlib import Path

import msgspec
import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import PuddleError
from puddle.kit.edits.backing import add_backing, backing_of, remove_backing, set_backing
from puddle.kit.model.document import Backing
from puddle.render.cache import RenderCache
from puddle.window.session.session import Session

_CACHED = 512 << 20
_LONGEST_S = 1200.0


class _Ready(msgspec.Struct, frozen=True, eq=False):
    """A prepared file, and how long it was as it came; or why it is not there."""

    audio: np.ndarray
    seconds: float
    error: str = ""


class UnderTheGroove(QObject):
    """Keeps the engine's recordings in step with the kit."""

    changed = pyqtSignal()  # a file has been read, or cannot be

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._ready: dict[tuple[str, float, float], _Ready] = {}
        self._asked: set[tuple[str, float, float]] = set()
        self._shown: tuple[object, ...] = ()
        self._decoded: RenderCache[tuple[np.ndarray, float]] = RenderCache(
            _CACHED, lambda found: found[0].nbytes
        )
        session.kit_changed.connect(self.follow)
        session.player.device_changed.connect(self._follow_anew)

    def _follow_anew(self) -> None:
        self._shown = ()
        self.follow()

    def error_of(self, backing: Backing) -> str:
        """Why a file is not heard; empty where it is."""
        return next((r.error for key, r in self._ready.items() if key[0] == backing.path), "")

    def _key(self, backing: Backing) -> tuple[str, float, float]:
        from puddle.render.backing import ratio_of

        rate = self._session.renders.takes.rate_hz
        return backing.path, round(ratio_of(backing, self._session.kit.tempo_bpm), 6), rate

    def follow(self) -> None:
        """Asks for what is not ready, and plays what is."""
        kit = self._session.kit
        if not kit.backings and not self._shown:
            return
        for backing in kit.backings:
            key = self._key(backing)
            if key not in self._ready and key not in self._asked:
                self._ask(key)
        self._send()

    def _ask(self, key: tuple[str, float, float]) -> None:
        path, ratio, rate = key
        self._asked.add(key)

        def work() -> _Ready:
            from puddle.formats.sound import read_sound
            from puddle.render.backing import prepared

            def read() -> tuple[np.ndarray, float]:
                sound = read_sound(path)
                return sound.stereo[: round(_LONGEST_S * sound.rate_hz)], sound.rate_hz

            try:
                audio, from_hz = self._decoded.get(path, read)
                return _Ready(prepared(audio, from_hz, rate, ratio), len(audio) / from_hz)
            except PuddleError as error:
                return _Ready(np.zeros((0, 2), np.float32), 0.0, str(error))

        def come(ready: _Ready) -> None:
            self._asked.discard(key)
            self._ready[key] = ready
            wanted = {self._key(b) for b in self._session.kit.backings}
            self._ready = {k: r for k, r in self._ready.items() if k in wanted or k == key}
            if ready.error:
                self._session.told.emit(ready.error)
            self._send()
            self.changed.emit()

        self._session.background.start(work, come, key=("under", path), priority="low")

    def _send(self) -> None:
        from puddle.render.backing import track

        session = self._session
        engine, kit = session.player.engine, session.kit
        if engine is None:
            return
        found = [
            (b, self._ready[self._key(b)]) for b in kit.backings if self._key(b) in self._ready
        ]
        shown = (kit.tempo_bpm, *((b, id(r)) for b, r in found))
        if shown == self._shown:
            return
        self._shown = shown
        bpm, rate = kit.tempo_bpm, engine.rate_hz
        engine.set_under(
            [track(b, r.audio, rate, bpm, r.seconds) for b, r in found if len(r.audio)]
        )

    # What a person does.

    def add(self, path: Path) -> None:
        """Measures a file's tempo, and puts it under the groove."""
        session = self._session

        def work() -> tuple[float, bool] | str:
            from puddle.formats.sound import read_sound
            from puddle.measure.loops import loop

            try:
                sound = read_sound(str(path))
            except PuddleError as error:
                return str(error)
            found = loop(sound.stereo, sound.rate_hz, path.stem)
            return (found.bpm, True) if found is not None else (0.0, False)

        def come(found: tuple[float, bool] | str) -> None:
            if isinstance(found, str):
                session.told.emit(found)
                return
            bpm, loops = found
            session.make(
                f"{path.stem} under the groove",
                lambda kit: add_backing(kit, path.stem, str(path), round(bpm, 2), loops),
            )

        session.background.start(work, come, key=("under", "measure", str(path)))

    def set(self, backing_id: str, text: str, **values: object) -> None:
        """Another value for a file."""
        name = backing_of(self._session.kit, backing_id).name
        self._session.edit(
            f"{name}: {text}",
            lambda kit: set_backing(kit, backing_id, **values),
            ("backing", backing_id, tuple(values)),
        )

    def remove(self, backing_id: str) -> None:
        """A file less."""
        name = backing_of(self._session.kit, backing_id).name
        self._session.edit(
            f"{name} taken from under the groove", lambda kit: remove_backing(kit, backing_id)
        )
