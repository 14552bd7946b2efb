"""Where a controller's pads lie: in a square, in two rows, on keys, or standing free."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QRectF

from puddle.midi.controller_map import Layout
from puddle.window.widgets.sixteen import PLACES

_ROWS: dict[Layout, tuple[int, ...]] = {
    "4 by 4": (4, 4, 4, 4),
    "2 by 8": (8, 8),
    "loose": (5, 6, 5),
}
SHORE_ROWS: dict[Layout, int] = {"4 by 4": 4, "2 by 8": 2, "keys": 1, "loose": 1}
_BLACK = (1, 3, 6, 8, 10)
_KEY_PX = 46.0  # of a ring on a key, at most


def rooms(layout: Layout, wide: float, high: float, notes: Mapping[int, int]) -> list[QRectF]:
    """The room of each place, in an area; for keys by the note that strikes each.

    Rows are counted from below, as pads of controllers are.
    """
    if layout == "keys" and notes:
        return _on_keys(wide, high, notes)
    return _in_rows(_ROWS.get(layout, _ROWS["2 by 8"]), wide, high)


def _in_rows(rows: Sequence[int], wide: float, high: float) -> list[QRectF]:
    found = []
    across, tall = wide / max(rows), high / len(rows)
    for n, count in enumerate(rows):
        left = 0.5 * (wide - count * across)
        top = high - (n + 1) * tall
        found += [QRectF(left + k * across, top, across, tall) for k in range(count)]
    return found


def _on_keys(wide: float, high: float, notes: Mapping[int, int]) -> list[QRectF]:
    """White keys below, black ones above; what no note strikes along the lower edge."""
    low, high_note = min(notes.values()), max(notes.values())
    across = min(_KEY_PX, wide / (high_note - low + 1))
    left = 0.5 * (wide - across * (high_note - low + 1))
    rest = [n for n in range(PLACES) if n not in notes]
    found = []
    for place in range(PLACES):
        note = notes.get(place)
        if note is None:
            at = rest.index(place)
            found.append(QRectF(at * _KEY_PX, 0.72 * high, _KEY_PX, 0.28 * high))
        else:
            top = 0.04 if note % 12 in _BLACK else 0.36
            found.append(QRectF(left + (note - low) * across, top * high, across, 0.32 * high))
    return found
