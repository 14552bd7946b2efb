"""The pads of a kit in a menu."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial

from PyQt6.QtWidgets import QMenu

from puddle.kit.model.document import PADS_PER_BANK, Pad
from puddle.window.widgets.passing import submenu


def add_pads(menu: QMenu, pads: Iterable[Pad], then: Callable[[str], None]) -> None:
    """An action for each pad, given its id; in a menu for each bank where there are several."""
    banks: dict[int, list[Pad]] = {}
    for pad in sorted(pads, key=lambda pad: pad.place):
        banks.setdefault(pad.place // PADS_PER_BANK, []).append(pad)
    for bank, own in banks.items():
        inner = menu if len(banks) == 1 else submenu(menu, f"Bank {bank + 1}")
        for pad in own:
            inner.addAction(pad.name, partial(then, pad.id))
