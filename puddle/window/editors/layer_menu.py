"""The context menu of a layer's lane: copies, order, name, dye."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu, QWidget

from puddle.kit import edits
from puddle.kit.model.document import Kit, Layer
from puddle.kit.model.roles import DYES
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_other_name
from puddle.window.widgets.passing import popup_once, submenu


class LayerMenu:
    """What can be done with a layer; all of it is undone by one step."""

    def __init__(self, session: Session, layer: Layer, window: QWidget) -> None:
        self._session = session
        self._layer = layer
        self._window = window
        self._pad = session.pad_id
        self.menu = QMenu(window)
        name = layer.name
        layers = session.pad.sound.layers if session.pad else ()
        place = [k.id for k in layers].index(layer.id) if layers else 0
        self._offer(f"Duplicate {name}", lambda kit: edits.copy_layers(kit, self._pad, (layer,)))
        for told, to in (("up", place - 1), ("down", place + 1)):
            self._offer(
                f"Move {name} {told}",
                partial(edits.move_layer, pad_id=self._pad, layer_id=layer.id, to=to),
            )
        self.menu.addSeparator()
        self._add("Rename …", self._ask_name)
        self._dyes()
        self._others()
        self.menu.addSeparator()
        self._offer(f"Remove {name}", lambda kit: edits.remove_layer(kit, self._pad, layer.id))

    def open_at(self, at: QPoint) -> None:
        """Shows it."""
        popup_once(self.menu, at)

    def _add(self, name: str, done: Callable[[], object], menu: QMenu | None = None) -> None:
        action = (menu or self.menu).addAction(name)
        if action is not None:
            action.triggered.connect(lambda: done())

    def _offer(self, name: str, change: Callable[[Kit], Kit], menu: QMenu | None = None) -> None:
        told = name if menu is None else f"{self._layer.name}: {name}"
        self._add(name, lambda: self._session.edit(told, change), menu)

    def _dyes(self) -> None:
        menu = submenu(self.menu, "Dye")
        pad_id, layer_id = self._pad, self._layer.id
        for dye in DYES:
            change = partial(edits.set_layer, pad_id=pad_id, layer_id=layer_id, dye=dye)
            self._offer(dye, change, menu)

    def _others(self) -> None:
        menu = submenu(self.menu, "Copy to")
        kit, layer = self._session.kit, self._layer
        for pad in kit.pads:
            if pad.id != self._pad:
                change = partial(edits.copy_layers, pad_id=pad.id, found=(layer,))
                self._offer(pad.name, change, menu)

    def _ask_name(self) -> None:
        now = self._layer.name
        name = ask_other_name(self._window, now)
        if name is not None:
            layer = self._layer
            self._session.edit(
                f"{now}: called {name}",
                lambda kit: edits.set_layer(kit, self._pad, layer.id, name=name),
            )
