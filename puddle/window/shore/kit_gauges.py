"""Kit gauges along the top of the shore: those that are wanted there."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QMenu, QWidget

from puddle.kit.edits import gauges
from puddle.window.editors.gauge_lines import of_gauge, waiting
from puddle.window.session.control_moves import move_kit_gauge
from puddle.window.session.session import Session
from puddle.window.widgets.controls import clear
from puddle.window.widgets.gauge import Gauge

_COLUMNS, _MOST = 4, 8
_NAME_PX = 84


class GaugeStrip(QWidget):
    """Up to eight, four in a row; hidden where none is wanted."""

    wanted = pyqtSignal(str)  # a kit gauge whose targets are to be seen

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: tuple[object, ...] = ()
        self.gauges: dict[str, Gauge] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 4, 0)
        self._grid.setHorizontalSpacing(18)
        self._grid.setVerticalSpacing(0)
        self.hide()

    def show_kit(self) -> None:
        """As the kit has them."""
        kit = self._session.kit
        wanted = [g for g in kit.gauges if g.on_shore][:_MOST]
        shown = tuple((g.id, g.name, len(g.targets), waiting(kit, g)) for g in wanted)
        if shown != self._shown:
            self._shown = shown
            clear(self._grid)
            self.gauges = {}
            for n, gauge in enumerate(wanted):
                made = Gauge(of_gauge(kit, gauge), gauge.value, name_px=_NAME_PX)
                made.moved.connect(partial(move_kit_gauge, self._session, gauge.id))
                made.settled.connect(self._session.settle)
                made.menu_wanted.connect(partial(self._offer, gauge.id))
                self.gauges[gauge.id] = made
                self._grid.addWidget(made, n // _COLUMNS, n % _COLUMNS)
            for n in range(_COLUMNS):
                self._grid.setColumnStretch(n, 1)
            self.setVisible(bool(wanted))
        for gauge in wanted:
            self.gauges[gauge.id].set_value(gauge.value)

    def _offer(self, gauge_id: str, menu: QMenu) -> None:
        """What can be done with a kit gauge where it is shown."""
        for name, done in (
            ("What it moves …", lambda: self.wanted.emit(gauge_id)),
            ("Teach a controller", lambda: self._session.control_wanted.emit(gauge_id)),
            ("Not along the bottom", lambda: self._hide_gauge(gauge_id)),
        ):
            action = menu.addAction(name)
            if action is not None:
                action.triggered.connect(lambda _, done=done: done())

    def _hide_gauge(self, gauge_id: str) -> None:
        kit = self._session.kit
        name = next((g.name for g in kit.gauges if g.id == gauge_id), "")
        self._session.edit(
            f"{name}: not along the bottom",
            lambda kit: gauges.set_gauge(kit, gauge_id, on_shore=False),
        )
