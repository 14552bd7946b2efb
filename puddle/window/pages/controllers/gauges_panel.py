"""What a controller's gauges move, under its pads: taught by a click, told apart by a menu."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu, QVBoxLayout, QWidget

from puddle.midi.gauged import SENDS, Gauged, Sends
from puddle.window.pages.controllers.gauge_board import GaugeBoard
from puddle.window.session.control_moves import Asked, Shown, control_name
from puddle.window.session.controlling import Controlling
from puddle.window.session.session import Session
from puddle.window.widgets.controls import label
from puddle.window.widgets.passing import popup_once


class GaugesPanel(QWidget):
    """The gauges of one controller."""

    def __init__(self, session: Session, controlling: Controlling) -> None:
        super().__init__()
        self._session, self._controlling = session, controlling
        self._port = ""
        self._shown: list[Shown] = []
        side = QVBoxLayout(self)
        side.setContentsMargins(0, 0, 0, 0)
        side.addWidget(label("Gauges", "title"))
        self.board = GaugeBoard()
        self.board.wanted.connect(self._ask)
        self.board.menu_wanted.connect(self._offer)
        side.addWidget(self.board)

    def show_port(self, port: str) -> None:
        """The gauges that a controller moves, and the one that waits for a control."""
        self._port = port
        moves = self._controlling.moves
        self._shown = moves.shown(port) if port else []
        name = moves.asked_name()
        asked = [n for n, one in enumerate(self._shown) if name and one.name == name]
        self.board.show_gauges(self._shown, asked[0] if asked else -1)

    def _ask(self, n: int) -> None:
        """The control that moves next moves this gauge; asked again, none does."""
        one, kit = self._shown[n], self._session.kit
        asked: Asked | None = kit.gauges[n].id if n < len(kit.gauges) else None
        if asked is None and one.gauged is not None and one.name:
            asked = one.gauged.address
        again = asked == self._controlling.moves.asked
        self._controlling.ask_control(None if again else asked)

    def _offer(self, n: int, at: QPoint) -> None:
        gauged, menu = self._shown[n].gauged, QMenu(self)
        menu.addAction("Teach it a control", lambda: self._ask(n))
        if gauged is not None:
            if gauged.kind == "control":
                self._add_sends(menu, gauged)
            menu.addSeparator()
            name = control_name(gauged)
            menu.addAction(f"It is moved by {name} no more", partial(self._forget, gauged))
        popup_once(menu, at)

    def _add_sends(self, menu: QMenu, gauged: Gauged) -> None:
        menu.addSeparator()
        for sends in SENDS:
            made = menu.addAction(f"Sends {sends}", partial(self._set_sends, gauged, sends))
            if made is not None:
                made.setCheckable(True)
                made.setChecked(gauged.sends == sends)

    def _set_sends(self, gauged: Gauged, sends: Sends) -> None:
        self._controlling.moves.set_sends(self._port, gauged, sends)
        self.show_port(self._port)

    def _forget(self, gauged: Gauged) -> None:
        self._controlling.moves.forget(self._port, gauged)
        self.show_port(self._port)
