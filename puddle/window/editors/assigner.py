"""From any gauge to a kit gauge or a controller: what a gauge's context menu offers."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import msgspec
from PyQt6.QtWidgets import QMenu, QWidget

from puddle.errors import PuddleError
from puddle.kit.edits import gauges
from puddle.kit.edits.address import parameter_at, told
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, KitGauge
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.passing import submenu

Offers = Callable[[QMenu, str], None]  # a menu, and the field of the gauge that it is for


class Assigner:
    """Assigns parameters of the open kit."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self._session = session
        self._window = window

    def offers(self, at: Address) -> Offers:
        """What a row of gauges offers: the controls of one place, named but for their field."""

        def fill(menu: QMenu, field: str) -> None:
            self.fill(menu, msgspec.structs.replace(at, field=field))

        return fill

    def fill(self, menu: QMenu, address: Address) -> None:
        """Kit gauges to choose among; those that move it already are ticked, and let go of it."""
        kit = self._session.kit
        try:
            parameter_at(kit, address)
        except PuddleError:
            return
        inner = submenu(menu, "Kit gauge")
        for gauge in kit.gauges:
            at = next((n for n, t in enumerate(gauge.targets) if t.address == address), None)
            action = inner.addAction(gauge.name)
            if action is not None:
                action.setCheckable(True)
                action.setChecked(at is not None)
                action.triggered.connect(partial(self._flip, gauge, address, at))
        if kit.gauges:
            inner.addSeparator()
        new = inner.addAction("A new kit gauge …")
        if new is not None:
            new.triggered.connect(partial(self._ask_new, address))
        teach = menu.addAction("Teach a controller")
        if teach is not None:
            teach.triggered.connect(lambda _: self._session.control_wanted.emit(address))

    def _flip(self, gauge: KitGauge, address: Address, at: int | None, *_: object) -> None:
        what = told(self._session.kit, address)
        if at is None:
            self._session.edit(
                f"{gauge.name} moves {what}", lambda kit: gauges.assigned(kit, gauge.id, address)
            )
        else:
            self._session.edit(
                f"{gauge.name} leaves {what} alone",
                lambda kit: gauges.remove_target(kit, gauge.id, at),
            )

    def _ask_new(self, address: Address, *_: object) -> None:
        name = ask_name(
            self._window,
            "A new kit gauge",
            f"It moves {told(self._session.kit, address)}, and is called:",
            parameter_at(self._session.kit, address).label,
        )
        if name is not None:
            self.assign_new(name, address)

    def assign_new(self, name: str, address: Address) -> None:
        """A new kit gauge that moves a parameter, as one step; shown on the shore."""

        def make(kit: Kit) -> Kit:
            grown, gauge = gauges.add_gauge(kit, name)
            grown = gauges.set_gauge(grown, gauge.id, on_shore=True)
            return gauges.assigned(grown, gauge.id, address)

        self._session.edit(f"{name}: a kit gauge for {told(self._session.kit, address)}", make)
