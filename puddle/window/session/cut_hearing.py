"""Hits of a recording heard before they are sent: alone, going on, lifted, or plain beside it."""

from __future__ import annotations

import numpy as np

from puddle.errors import PuddleError
from puddle.library.sending import hit_audio, lifted_hit
from puddle.render.steps import converted
from puddle.window.session.cutter import Cutter
from puddle.window.session.session import Session

_ON_S = 30.0  # how long it goes on from a hit at most


class CutHearing:
    """Plays what the cutter shows."""

    def __init__(self, session: Session, cutter: Cutter) -> None:
        self._session, self._cutter = session, cutter

    def hear(self, place: int, *, goes_on: bool = False, plain: bool = False) -> None:
        """Plays a hit; alone, or going on with what comes after it; lifted unless `plain`."""
        cut = self._cutter.cut
        if cut is None or not 0 <= place < len(cut):
            return
        start, end = int(cut.starts[place]), int(cut.ends[place])
        if goes_on:
            end = min(cut.frames, start + round(_ON_S * cut.rate_hz))
        self._play(start, end, 0.0 if plain or goes_on else cut.lift_of(place))

    def _play(self, start: int, end: int, lift: float) -> None:
        known = self._cutter.known
        if known is None or known.file is None:
            return
        file, rate = known.file, self._session.renders.takes.rate_hz
        stage = self._cutter.cleaner
        cut = self._cutter.cut_in_groups

        def work() -> np.ndarray | str:
            try:
                audio = hit_audio(file, start, end, lift, stage, cut)
            except PuddleError as error:
                return str(error)
            stereo = audio if audio.shape[1] == 2 else np.repeat(audio, 2, axis=1)
            return np.ascontiguousarray(converted(stereo, file.rate_hz, rate, 1.0), np.float32)

        def come(got: np.ndarray | str) -> None:
            if isinstance(got, str):
                self._session.told.emit(got)
            else:
                self._session.player.audition(got)

        self._session.background.start(work, come, key="audition")

    def tell_lift(self, place: int) -> None:
        """Says how much a lift takes out of a hit."""
        known, cut = self._cutter.known, self._cutter.cut_in_groups
        if known is None or known.file is None or cut is None:
            return
        file = known.file
        start, end = int(cut.starts[place]), int(cut.ends[place])
        lift = cut.lift_of(place)

        def work() -> str:
            from puddle.measure.lifting import taken_db

            try:
                hit = file.read(start, end - start)
                left = lifted_hit(file, start, end, lift, cut)
            except PuddleError as error:
                return str(error)
            gone = taken_db(hit, left)
            if gone < -100.0:
                return "Nothing rings on there that can be told apart: the hit is as it was."
            return f"Lifted by {lift:.0f} %: what is taken out lies {-gone:.1f} dB under the hit."

        self._session.background.start(work, self._session.told.emit, key=("cut", "lift"))
