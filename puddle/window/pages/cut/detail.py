"""The wave of what is seen, read from the file where the outline is too coarse for it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import PuddleError
from puddle.window.session.cutter import Cutter
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after
from puddle.window.widgets.recording_picture import Detail
from puddle.window.widgets.recording_span import RecordingSpan

_SOON_MS = 25
_MOST_FRAMES = 1 << 20  # of a close look
_FEW = 4000  # frames that are drawn by themselves
_MORE = 0.5  # of what is seen, that is read on either side
_COLUMNS = 6000


class DetailReader(QObject):
    """Keeps one close look, read a little wider than what is seen."""

    ready = pyqtSignal()

    def __init__(self, session: Session, cutter: Cutter, span: RecordingSpan) -> None:
        super().__init__(session)
        self._session, self._cutter, self._span = session, cutter, span
        self._detail: Detail | None = None
        self._path = ""  # of the recording that it was read from
        self._soon = once_after(self, _SOON_MS, self._ask)
        span.changed.connect(self._soon.start)

    @property
    def detail(self) -> Detail | None:
        """The close look at the recording that is shown, once there is one."""
        shown = self._cutter.recording
        return self._detail if shown is not None and shown.path == self._path else None

    def _ask(self) -> None:
        known, span = self._cutter.known, self._span
        if known is None or known.file is None or span.count > _MOST_FRAMES / 2:
            return
        old = self.detail
        if (
            old is not None
            and old.first <= span.first
            and old.first + old.count >= span.last
            and old.count < 3.0 * span.count
        ):
            return
        first = max(0, round(span.first - _MORE * span.count))
        count = round(span.count * (1.0 + 2.0 * _MORE))
        file, path = known.file, known.path

        def work() -> Detail | None:
            try:
                audio = file.read(first, count)
            except PuddleError:
                return None
            return made_detail(audio, first)

        def come(found: Detail | None) -> None:
            if found is not None:
                self._detail, self._path = found, path
                self.ready.emit()

        self._session.background.start(work, come, key=("cut", "detail"))


def made_detail(audio: np.ndarray, first: int) -> Detail | None:
    """The close look of float32 (frames, channels) that begin at a frame."""
    frames = audio.shape[0]
    if not frames:
        return None
    if frames <= _FEW:
        wave = audio.mean(axis=1)
        return Detail(float(first), float(frames), wave, wave, wave)
    size = max(1, frames // _COLUMNS)
    whole = frames // size * size
    parts = audio[:whole].reshape(-1, size * audio.shape[1])
    return Detail(float(first), float(whole), parts.min(axis=1), parts.max(axis=1))
