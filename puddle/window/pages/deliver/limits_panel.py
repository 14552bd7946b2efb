"""The table of rules: which are looked at, and their thresholds."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from puddle.check.limits import RULES, Rule
from puddle.kit.edits.levels import role_lufs
from puddle.kit.model.roles import ROLES, Role, with_article
from puddle.parameter import Parameter, Scale
from puddle.window.session.checker import Checker
from puddle.window.widgets.controls import button, column, label, scrolled, toggle
from puddle.window.widgets.gauge import Gauge

_NAME_PX = 150
_ROW_PX = 26  # as high as a gauge
_DECIMALS = {"ms": 1, "samples": 0, "ct": 0}


class LimitsPanel(QWidget):
    """A line for each rule."""

    def __init__(self, checker: Checker) -> None:
        super().__init__()
        self._checker = checker
        self.gauges: dict[str, Gauge] = {}
        self.switches: dict[str, QPushButton] = {}
        side = QVBoxLayout(self)
        side.setContentsMargins(0, 4, 0, 0)
        rows = column(spacing=2)
        rows.setAlignment(Qt.AlignmentFlag.AlignTop)
        for rule in RULES:
            rows.addLayout(self._row(rule))
        rows.addWidget(label("How loud roles are", "title"))
        self.roles: dict[str, Gauge] = {}
        for role in ROLES:
            rows.addWidget(self._role(role))
        side.addWidget(scrolled(rows), 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        self.again = button(
            "As they came", "All rules are looked at again, from the figures that ship.",
            self._reset,
        )  # fmt: skip
        foot.addWidget(self.again)
        side.addLayout(foot)

    def _row(self, rule: Rule) -> QHBoxLayout:
        row = QHBoxLayout()
        limits = self._checker.limits
        switch = toggle("on", f"Whether it is looked at. {rule.says}", rule.title)
        switch.setChecked(limits.on(rule.id))
        switch.setFixedWidth(44)
        switch.clicked.connect(lambda on, rule=rule: self._checker.set_on(rule.id, on))
        self.switches[rule.id] = switch
        row.addWidget(switch)
        if not rule.unit:
            name = label(rule.title, "soft")
            name.setToolTip(rule.says)
            name.setFixedHeight(_ROW_PX)
            row.addWidget(name, 1)
            return row
        gauge = Gauge(_parameter(rule), limits.of(rule.id), name_px=_NAME_PX)
        gauge.moved.connect(partial(self._checker.set_limit, rule.id))
        self.gauges[rule.id] = gauge
        row.addWidget(gauge, 1)
        return row

    def _role(self, role: Role) -> Gauge:
        """A role's loudness: for this rule, for *Level by role*, and for files by role."""
        shipped = ROLES[role].loudness_lufs
        known = Parameter(
            field=role, label=role.capitalize(), low=-40.0, high=-6.0, default=shipped,
            unit="LUFS", scale=Scale.LINEAR, decimals=1, part="", kind="number",
            says=f"How loud {with_article(role)} at full strength is to be: for the rule, for "
            "Level by role on Mix, and for files that leave by role.",
        )  # fmt: skip
        gauge = Gauge(known, role_lufs(role, self._checker.limits.role_lufs), name_px=_NAME_PX)
        gauge.moved.connect(partial(self._checker.set_role, role))
        self.roles[role] = gauge
        return gauge

    def _reset(self) -> None:
        for rule in RULES:
            self._checker.set_limit(rule.id, None)
            self._checker.set_on(rule.id, True)
            self.switches[rule.id].setChecked(True)
            if rule.id in self.gauges:
                self.gauges[rule.id].set_value(rule.limit)
        for role, gauge in self.roles.items():
            self._checker.set_role(role, None)
            gauge.set_value(gauge.parameter.default)


def _parameter(rule: Rule) -> Parameter:
    """A rule's threshold as a gauge has it."""
    logarithmic = rule.low > 0.0 and rule.high > 20.0 * rule.low
    return Parameter(
        field=rule.id,
        label=rule.title,
        low=rule.low,
        high=rule.high,
        default=rule.limit,
        unit="" if rule.unit == "samples" else rule.unit,
        scale=Scale.LOGARITHMIC if logarithmic else Scale.LINEAR,
        decimals=_DECIMALS.get(rule.unit, 1),
        says=rule.says,
        part="",
        kind="whole" if rule.unit == "samples" else "number",
    )
