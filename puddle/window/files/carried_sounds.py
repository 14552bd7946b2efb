"""Sounds that a drag takes out of the window: a pad, a layer, a snapshot, as a WAV file."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import msgspec
import numpy as np

from puddle.files import writable
from puddle.kit.model.document import Pad, Sound
from puddle.kit.playing.velocity import hardest
from puddle.window.session.session import Session
from puddle.window.widgets.promised_files import PromisedFiles, Writing


class CarriedSounds:
    """Files of the drag that was begun last; the one before goes then."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._writing: Writing | None = None

    def pad(self, pad_id: str) -> Writing | None:
        """A pad's strike at full strength, as *Export this sound* writes it."""
        pad = self._session.paced.pad(pad_id)
        return None if pad is None else self._strike(pad, pad.name)

    def layer(self, layer_id: str) -> PromisedFiles | None:
        """A layer of the selected pad by itself, as full strength plays it."""
        pad = self._session.paced.pad(self._session.pad_id)
        if pad is None:
            return None
        takes, sound = self._session.renders.takes, hardest(pad.sound)
        layer = next((k for k in sound.layers if k.id == layer_id), None)
        if layer is None:
            return None
        return self._promised(
            self._begin(f"{pad.name} {layer.name}", lambda: takes.placed(sound, layer))
        )

    def sound(self, pad_id: str, name: str, sound: Sound) -> PromisedFiles | None:
        """A sound that a pad had, or has beside the one that plays, at the pad's level."""
        pad = self._session.paced.pad(pad_id)
        if pad is None:
            return None
        return self._promised(
            self._strike(msgspec.structs.replace(pad, sound=sound), f"{pad.name} {name}")
        )

    def close(self) -> None:
        """Removes what the last drag wrote."""
        writing, self._writing = self._writing, None
        if writing is not None:
            writing.remove()

    def _strike(self, pad: Pad, name: str) -> Writing:
        takes = self._session.renders.takes

        def audio() -> np.ndarray:
            from puddle.engine.offline import strike

            return strike(pad, takes, 127.0)

        return self._begin(name, audio)

    def _begin(self, name: str, audio: Callable[[], np.ndarray]) -> Writing:
        rate = self._session.renders.takes.rate_hz

        def write(folder: Path) -> Sequence[Path]:
            from puddle.formats.sound import write_wav

            path = folder / f"{writable(name)}.wav"
            write_wav(path, audio(), rate)
            return [path]

        self.close()
        self._writing = Writing(write)
        return self._writing

    @staticmethod
    def _promised(writing: Writing) -> PromisedFiles:
        return PromisedFiles(writing, ())
