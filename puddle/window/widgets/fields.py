"""A struct's declared parameters as rows: gauges, switches and choices, by themselves."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import msgspec
from msgspec.structs import replace
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from puddle.parameter import Parameter, parameters
from puddle.window.widgets.controls import label, toggle
from puddle.window.widgets.gauge import Gauge

Change = Callable[[str, Any, Parameter], None]  # field, value, what is known of it


class Fields(QWidget):
    """Rows for the parameters of one struct, in its order, under headings for its parts."""

    def __init__(
        self,
        struct: msgspec.Struct,
        change: Change,
        settle: Callable[[], None],
        *,
        parts: tuple[str, ...] | None = None,
        leave_out: tuple[str, ...] = (),
        headings: bool = True,
        highest: dict[str, float] | None = None,
        reach: Callable[[str, float], None] | None = None,
        offers: Callable[[QMenu, str], None] | None = None,
    ) -> None:
        super().__init__()
        self._change = change
        self._settle = settle
        self._offers = offers  # fills the context menu of a field's gauge
        self._reach = reach  # takes a field and how far velocity moves it
        self._highest = highest or {}  # where this struct's own matter ends before the range does
        self._heads: dict[str, list[str]] = {}  # a part's switch, and the gauges under it
        self._gauges: dict[str, Gauge] = {}
        self._switches: dict[str, QPushButton] = {}
        self._choices: dict[str, QComboBox] = {}
        self._says: dict[str, str] = {}  # of rows that are grey: what they say otherwise
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(1)
        known = [p for p in parameters(type(struct)) if p.field not in leave_out]
        if parts is not None:
            known = [p for p in known if p.part in parts]
        # A part's switch heads it, wherever its fields stand in the struct.
        # What belongs to none comes first: under a heading it would seem to be of that part.
        ordered = sorted(dict.fromkeys(p.part for p in known), key=bool)
        for part in ordered:
            members = [p for p in known if p.part == part]
            head = next((p for p in members if p.kind == "switch" and p.label == part), None)
            if part and headings:
                self._add_heading(part, head, struct)
                members = [p for p in members if p is not head]
                if head is not None:
                    self._heads[head.field] = [p.field for p in members]
            for parameter in members:
                self._add(parameter, struct)
        self.show_values(struct)

    def _add_heading(self, part: str, head: Parameter | None, struct: msgspec.Struct) -> None:
        row = QHBoxLayout()
        row.setContentsMargins(2, 6, 2, 0)
        title = label(part)
        title.setStyleSheet("font-weight: bold;")
        row.addWidget(title, 1)
        if head is not None:
            row.addWidget(self._switch(head, "on", f"{part} on"))
        self._rows.addLayout(row)

    def _switch(self, parameter: Parameter, text: str, name: str) -> QPushButton:
        button = toggle(text, parameter.says, name)
        field = parameter.field
        button.clicked.connect(lambda on: self._done(field, bool(on), parameter))
        self._switches[field] = button
        return button

    def _done(self, field: str, value: Any, parameter: Parameter) -> None:
        self._change(field, value, parameter)
        self._settle()

    def _add(self, parameter: Parameter, struct: msgspec.Struct) -> None:
        field = parameter.field
        if parameter.kind == "switch":
            row = QHBoxLayout()
            row.setContentsMargins(2, 2, 2, 2)
            row.addWidget(label(parameter.label, "soft"), 1)
            row.addWidget(self._switch(parameter, "on", parameter.label))
            self._rows.addLayout(row)
        elif parameter.kind == "choice":
            self._rows.addLayout(self._choice_row(parameter))
        else:
            shown = replace(parameter, high=self._highest.get(field, parameter.high))
            gauge = Gauge(shown, float(getattr(struct, field)))
            gauge.moved.connect(lambda value: self._change(field, value, parameter))
            gauge.settled.connect(self._settle)
            if self._reach is not None and field != "seed":
                reach = self._reach
                gauge.set_reach(0.0)
                gauge.reached.connect(lambda amount: reach(field, amount))
            if self._offers is not None:
                gauge.menu_wanted.connect(partial(self._fill, field))
            self._gauges[field] = gauge
            self._rows.addWidget(gauge)

    def _fill(self, field: str, menu: QMenu) -> None:
        if self._offers is not None:
            self._offers(menu, field)

    def _choice_row(self, parameter: Parameter) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(2, 2, 2, 2)
        row.addWidget(label(parameter.label, "soft"), 1)
        box = QComboBox()
        box.addItems(list(parameter.choices))
        box.setToolTip(parameter.says)
        box.setAccessibleName(f"{parameter.part} {parameter.label}".strip())
        box.textActivated.connect(lambda text: self._done(parameter.field, text, parameter))
        self._choices[parameter.field] = box
        row.addWidget(box)
        return row

    def show_values(self, struct: msgspec.Struct) -> None:
        """Updates all rows from a struct of the same type."""
        for field, gauge in self._gauges.items():
            gauge.set_value(float(getattr(struct, field)))
        for field, button in self._switches.items():
            button.setChecked(bool(getattr(struct, field)))
        for head, members in self._heads.items():
            for field in members:
                if field in self._gauges:
                    self._gauges[field].setEnabled(bool(getattr(struct, head)))
        for field, box in self._choices.items():
            box.setCurrentText(str(getattr(struct, field)))

    def show_reaches(self, reaches: dict[str, float]) -> None:
        """Shows how far velocity moves each gauge."""
        if self._reach is not None:
            for field, gauge in self._gauges.items():
                if field != "seed":
                    gauge.set_reach(reaches.get(field, 0.0))

    def enable(self, field: str, on: bool, why: str = "") -> None:
        """Enables a row, or disables it with a reason."""
        rows: tuple[dict[str, Any], ...] = (self._gauges, self._switches, self._choices)
        for made in (row[field] for row in rows if field in row):
            if on:
                made.setToolTip(self._says.pop(field, made.toolTip()))
            elif why:
                self._says.setdefault(field, made.toolTip())
                made.setToolTip(why)
            made.setEnabled(on)

    def has(self, field: str) -> bool:
        """Whether there is a row for a field."""
        return field in self._gauges or field in self._switches or field in self._choices

    def has_gauge(self, field: str) -> bool:
        """Whether a field has a gauge here."""
        return field in self._gauges

    def choice(self, field: str) -> QComboBox:
        """One row's choice."""
        return self._choices[field]

    @property
    def gauges(self) -> list[Gauge]:
        """All gauges, from the top."""
        return list(self._gauges.values())

    def gauge(self, field: str) -> Gauge:
        """One row's gauge."""
        return self._gauges[field]

    def switch(self, field: str) -> QPushButton:
        """One row's switch."""
        return self._switches[field]
