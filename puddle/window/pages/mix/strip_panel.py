"""The right of Mix: what is selected, its level and place, where it is sent, and its stages."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMenu, QPushButton, QVBoxLayout

from puddle.engine.names import MASTER, pad_node
from puddle.errors import EditError
from puddle.kit import edits
from puddle.kit.edits.buses import set_bus, set_master
from puddle.kit.edits.ceiling import ceiling_of, set_ceiling, switch_ceiling
from puddle.kit.edits.routing import remove_send, sends_of, set_send
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.address import Address
from puddle.kit.model.document import Bus, Kit, Pad, SendTo
from puddle.kit.playing.flow import is_before
from puddle.parameter import Parameter, parameter
from puddle.stages import Limiter
from puddle.window.editors.assigner import Assigner
from puddle.window.editors.stage_row import RowEditor
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, clear, elided, label, put_away, scrolled, toggle
from puddle.window.widgets.dot import Dot
from puddle.window.widgets.fields import Fields
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.passing import popup_once

_PAD_FIELDS = ("level_db", "pan", "mute", "solo")


class StripPanel(QFrame):
    """Shows a pad, a bus or the master: rows are made anew only when another one is selected."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setMinimumWidth(330)
        self._session = session
        self.pad_id = self.bus_id = ""
        self._shown: tuple[Any, ...] = ()
        self.fields: Fields | None = None
        self.sends: dict[str, Gauge] = {}
        self._before: dict[str, QPushButton] = {}
        self._assigner = Assigner(session, self)
        self.row = RowEditor(session, self._assigner)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(14, 12, 12, 10)
        head = QHBoxLayout()
        self._dot = Dot("ink")
        head.addWidget(self._dot)
        self.name = elided("", "title")
        head.addWidget(self.name, 1)
        outer.addLayout(head)
        self._body = QVBoxLayout()
        self._body.setContentsMargins(0, 0, 6, 0)
        outer.addWidget(scrolled(self._body), 1)

    # What is shown.

    def show_place(self, pad_id: str, bus_id: str, dye: str) -> None:
        """A pad, or a bus, or with neither the master."""
        self.pad_id, self.bus_id = pad_id, bus_id
        kit = self._session.kit
        pad = kit.pad(pad_id) if pad_id else None
        bus = next((b for b in kit.buses if b.id == bus_id), None)
        shown = (
            pad_id, bus_id, tuple((b.id, b.name) for b in kit.buses),
            tuple(send.bus for send in self._sends()),
        )  # fmt: skip
        struct = pad or bus or kit.master
        self._dot.set_dye(dye)
        self.name.setText(pad.name if pad else bus.name if bus else "Master")
        if shown != self._shown:
            self._shown = shown
            self._rebuild(pad, bus)
        if self.fields is not None:
            self.fields.show_values(struct)
        for send in self._sends():
            if send.bus in self.sends:
                self.sends[send.bus].set_value(send.level_db)
                self._before[send.bus].setChecked(send.before)
        who = self.name.text()
        if pad is None and bus is None:
            self._show_ceiling()
        if pad is not None:
            self.row.show_row(RowPath(pad=pad.id, live=True), f"{who} live")
        elif bus is not None:
            self.row.show_row(RowPath(bus=bus.id), who)
        else:
            self.row.show_row(RowPath(), "Master")
        # What runs live has no hit over which it could be told.
        self.row.stages.show_overs({}, self._session.renders.takes.rate_hz)

    def show_reductions(self, reductions: Mapping[str, Mapping[str, float]]) -> None:
        """How far the stages of what is shown turn down now, in dB, by bus and stage."""
        path = self.row.path
        if not path.branches:
            node = pad_node(path.pad) if path.pad else path.bus or MASTER
            self.row.stages.show_reductions(dict(reductions.get(node, {})))

    def _sends(self) -> tuple[SendTo, ...]:
        if not self.pad_id and not self.bus_id:
            return ()
        try:
            return sends_of(self._session.kit, self.pad_id, self.bus_id)
        except EditError:
            return ()

    def _rebuild(self, pad: Pad | None, bus: Bus | None) -> None:
        put_away(self.row.stages, self)
        clear(self._body)
        self.sends, self._before = {}, {}
        struct = pad or bus or self._session.kit.master
        known = [p for p in struct.__struct_fields__ if p not in _PAD_FIELDS]
        self.fields = Fields(
            struct,
            self._set,
            self._session.settle,
            leave_out=tuple(known) if pad is not None else (),
            headings=False,
            offers=self._assigner.offers(self._address()),
        )
        self._body.addWidget(self.fields)
        if pad is not None or bus is not None:
            self._add_sends()
        else:
            self._add_ceiling()
        self._body.addWidget(label("Stages", "title"))
        self._body.addWidget(self.row.stages)
        self.row.stages.show()
        self._body.addStretch(1)

    def _address(self) -> Address:
        if self.pad_id:
            return Address(of="pad", pad=self.pad_id)
        return Address(of="bus", bus=self.bus_id) if self.bus_id else Address(of="master")

    def _add_sends(self) -> None:
        head = QHBoxLayout()
        head.addWidget(label("Sends", "title"), 1)
        self.add_send = button("Add", "Sends it to another bus too.", self._offer_sends)
        self.add_send.setEnabled(bool(self._free()))
        head.addWidget(self.add_send)
        self._body.addLayout(head)
        names = {bus.id: bus.name for bus in self._session.kit.buses}
        for send in self._sends():
            known = parameter(SendTo, "level_db")
            named = replace(known, label=names.get(send.bus, send.bus))
            gauge = Gauge(named, send.level_db)
            gauge.moved.connect(partial(self._move_send, send.bus))
            gauge.settled.connect(self._session.settle)
            gauge.menu_wanted.connect(partial(self._fill_send, send.bus))
            before = toggle(
                "before", "It is sent as loud whatever its own level is.", f"{named.label} before"
            )
            before.clicked.connect(partial(self._set_send, send.bus, "before"))
            away = button(
                "×", "It is not sent there any more.", partial(self._remove, send.bus), flat=True,
                name=f"No send to {named.label}",
            )  # fmt: skip
            line = QHBoxLayout()
            line.addWidget(gauge, 1)
            line.addWidget(before)
            line.addWidget(away)
            self._body.addLayout(line)
            self.sends[send.bus], self._before[send.bus] = gauge, before

    def _add_ceiling(self) -> None:
        self.ceiling = Gauge(parameter(Limiter, "ceiling_db"), Limiter().ceiling_db)
        self.ceiling.moved.connect(self._move_ceiling)
        self.ceiling.settled.connect(self._session.settle)
        self.ceiling.menu_wanted.connect(self._fill_ceiling)
        self.limits = toggle(
            "limit", "Keeps every true peak of the master under the ceiling.", "Limit the master"
        )
        self.limits.clicked.connect(self._switch_ceiling)
        line = QHBoxLayout()
        line.addWidget(self.ceiling, 1)
        line.addWidget(self.limits)
        self._body.addLayout(line)

    def _fill_send(self, target: str, menu: QMenu) -> None:
        address = Address(of="send", pad=self.pad_id, bus=self.bus_id, to=target, field="level_db")
        self._assigner.fill(menu, address)

    def _fill_ceiling(self, menu: QMenu) -> None:
        stage = ceiling_of(self._session.kit)
        if stage is not None:
            self._assigner.fill(menu, Address(of="process", stage=stage.id, field="ceiling_db"))

    def _show_ceiling(self) -> None:
        stage = ceiling_of(self._session.kit)
        if stage is not None and isinstance(stage.process, Limiter):
            self.ceiling.set_value(stage.process.ceiling_db)
        self.limits.setChecked(stage is not None and stage.on)

    def _free(self) -> list[Bus]:
        """The buses that it can be sent to, and is not."""
        kit, sent = self._session.kit, {send.bus for send in self._sends()}
        return [
            bus
            for bus in kit.buses
            if bus.id not in sent and not (self.bus_id and is_before(kit, bus.id, self.bus_id))
        ]

    def _offer_sends(self) -> None:
        menu = QMenu(self)
        for bus in self._free():
            menu.addAction(bus.name, partial(self._set_send, bus.id))
        popup_once(menu, self.add_send.mapToGlobal(self.add_send.rect().bottomLeft()))

    # Edits.

    def _set(self, field: str, value: Any, known: Parameter) -> None:
        a_number = known.kind in ("number", "whole")
        text = known.text(value) if a_number else "on" if value else "off"
        self._session.edit(
            f"{self.name.text()}: {known.label.lower()} {text}",
            partial(_with, pad=self.pad_id, bus=self.bus_id, values={field: value}),
            ("mix", self.pad_id, self.bus_id, field),
        )
        if not a_number:
            self._session.settle()

    def _move_ceiling(self, ceiling_db: float) -> None:
        self._session.edit(
            f"Master: ceiling {ceiling_db:.1f} dBTP",
            lambda kit: set_ceiling(kit, ceiling_db),
            "ceiling",
        )

    def _switch_ceiling(self, on: bool) -> None:
        self._session.edit(
            f"Master: {'limited' if on else 'not limited'}",
            lambda kit: switch_ceiling(kit, on=on),
        )
        self._session.settle()

    def _move_send(self, target: str, level_db: float) -> None:
        pad, bus = self.pad_id, self.bus_id
        self._session.edit(
            f"{self.name.text()}: send {level_db:.1f} dB",
            lambda kit: set_send(kit, pad, bus, target, level_db=level_db),
            ("send", pad, bus, target),
        )

    def _set_send(self, target: str, field: str = "", value: Any = None, *_: Any) -> None:
        pad, bus = self.pad_id, self.bus_id
        values = {field: value} if field else {}
        self._session.edit(
            f"{self.name.text()}: sent to {self._name(target)}",
            lambda kit: set_send(kit, pad, bus, target, **values),
        )
        self._session.settle()

    def _remove(self, target: str, *_: Any) -> None:
        pad, bus = self.pad_id, self.bus_id
        self._session.edit(
            f"{self.name.text()}: not sent to {self._name(target)}",
            lambda kit: remove_send(kit, pad, bus, target),
        )

    def _name(self, bus_id: str) -> str:
        return next((b.name for b in self._session.kit.buses if b.id == bus_id), bus_id)


def _with(kit: Kit, *, pad: str, bus: str, values: dict[str, Any]) -> Kit:
    if pad:
        return edits.set_pad(kit, pad, **values)
    return set_bus(kit, bus, **values) if bus else set_master(kit, **values)
