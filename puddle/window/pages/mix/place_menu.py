"""The menu of a pad or a bus among the streams: where it flows and is sent, its name, its end."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject, QPoint, pyqtSignal
from PyQt6.QtWidgets import QMenu, QWidget

from puddle.kit import edits
from puddle.kit.edits import routing
from puddle.kit.model.document import Kit
from puddle.kit.playing.flow import is_before
from puddle.views.streams import MASTER, ids_of, output_of
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.passing import popup_once, submenu


class PlaceMenu(QObject):
    """Fills and opens the menu of a place; the master and outputs have none."""

    routed = pyqtSignal(str, str, bool)  # from a place, into another, whether as a send
    removed = pyqtSignal()  # before a bus goes

    def __init__(self, session: Session, window: QWidget) -> None:
        super().__init__(window)
        self._session, self._window = session, window

    def open(self, place: str, at: QPoint) -> None:
        """Opens it at a place on the screen."""
        menu = QMenu(self._window)
        self.fill(menu, place)
        if not menu.isEmpty():
            popup_once(menu, at)

    def fill(self, menu: QMenu, place: str) -> None:
        """Where it can flow and be sent; a bus can be renamed and taken out."""
        kit = self._session.kit
        pad, bus = ids_of(kit, place)
        if (not pad and not bus) or output_of(place) is not None:
            return
        flows, sent = submenu(menu, "Flows into"), submenu(menu, "Sent to")
        now = edits.pad_of(kit, pad).bus if pad else edits.bus_of(kit, bus).into
        targets = [(MASTER, "", "Master")]
        targets += [
            (b.id, b.id, b.name) for b in kit.buses if not (bus and is_before(kit, b.id, bus))
        ]
        sends = {send.bus for send in routing.sends_of(kit, pad, bus)}
        for target, into, name in targets:
            action = flows.addAction(name, partial(self.routed.emit, place, target, False))
            if action is not None:
                action.setCheckable(True)
                action.setChecked(into == now)
            if into:
                action = sent.addAction(name, partial(self._flip_send, place, into))
                if action is not None:
                    action.setCheckable(True)
                    action.setChecked(into in sends)
        if bus:
            menu.addSeparator()
            menu.addAction("Rename …", partial(self._rename, bus))
            menu.addAction("Remove", partial(self.remove, bus))

    def remove(self, bus_id: str) -> None:
        """Takes a bus out; what flowed into it flows on."""
        name = edits.bus_of(self._session.kit, bus_id).name
        self.removed.emit()

        def without(kit: Kit) -> Kit:
            return edits.remove_bus(kit, bus_id)

        self._edit(f"Bus {name} removed", without)

    def _flip_send(self, place: str, target: str) -> None:
        kit = self._session.kit
        pad, bus = ids_of(kit, place)
        if any(s.bus == target for s in routing.sends_of(kit, pad, bus)):
            who = edits.pad_of(kit, pad).name if pad else edits.bus_of(kit, bus).name
            self._edit(
                f"{who}: not sent to {edits.bus_of(kit, target).name}",
                lambda kit: routing.remove_send(kit, pad, bus, target),
            )
        else:
            self.routed.emit(place, target, True)

    def _rename(self, bus_id: str) -> None:
        now = edits.bus_of(self._session.kit, bus_id).name
        name = ask_name(self._window, "Rename the bus", "Name of the bus:", now)
        if name is not None:
            self._edit(f"Bus {name}", lambda kit: edits.set_bus(kit, bus_id, name=name))

    def _edit(self, name: str, change: Callable[[Kit], Kit]) -> None:
        self._session.edit(name, change)
        self._session.settle()
