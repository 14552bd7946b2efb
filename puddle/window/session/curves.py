"""What curves of the groove's patterns move, worked out beside the window.

A steep filter's curve may take half a second: until it has come, what was there before is played.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from puddle.kit.model.document import Kit
from puddle.kit.playing.groove import Groove, moves_something
from puddle.window.session.background import Background

if TYPE_CHECKING:
    from puddle.engine.moving import CurveTables


class CurvesAhead:
    """Keeps the tables of the groove that is heard; `came` is called when newer ones are there."""

    def __init__(self, background: Background, came: Callable[[], None]) -> None:
        self._background, self._came = background, came
        self._tables: CurveTables | None = None
        self._asked: tuple[Kit, Groove, float, int] | None = None

    def of(self, kit: Kit, groove: Groove, rate_hz: float, pairs: int) -> CurveTables | None:
        """The tables of a kit and a groove, or those before them; None where nothing moves."""
        if not moves_something(groove):
            self._tables = self._asked = None
            return None
        from puddle.engine.moving import NO_CURVES, curve_tables, fit

        known = self._tables or NO_CURVES
        wanted = (kit, groove, rate_hz, pairs)
        if not fit(known, *wanted) and wanted != self._asked:
            self._asked = wanted
            self._background.start(lambda: curve_tables(*wanted), self._take, key="curves")
        return known

    def _take(self, made: CurveTables) -> None:
        if self._asked is not None:
            self._tables, self._asked = made, None
            self._came()
