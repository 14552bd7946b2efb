"""Kit gauges and what each of them moves, under Map."""

from __future__ import annotations

from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from puddle.kit.edits import gauges
from puddle.kit.edits.address import is_there, parameter_at, told
from puddle.kit.model.document import Kit, KitGauge, Target
from puddle.parameter import Parameter, parameter
from puddle.window.session.control_moves import move_kit_gauge
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_name, ask_other_name
from puddle.window.widgets.controls import button, clear, label, toggle
from puddle.window.widgets.gauge import Gauge

_EMPTY = (
    "A kit gauge moves any number of others at once, each over a range and a curve of its own. "
    "Right click any gauge and choose Kit gauge, or make one here."
)


def waiting(kit: Kit, gauge: KitGauge) -> int:
    """How many of a kit gauge's targets are not there, as in a template without sounds."""
    return sum(not is_there(kit, target) for target in gauge.targets)


def of_gauge(kit: Kit, gauge: KitGauge) -> Parameter:
    """What is known of a kit gauge, under its own name."""
    known = parameter(KitGauge, "value")
    count, wait = len(gauge.targets), waiting(kit, gauge)
    moves = "nothing yet" if not count else f"{count - wait} parameter{'' if count == 1 else 's'}"
    if wait:
        moves += f" ({wait} more wait for a sound to be there)"
    return replace(known, label=gauge.name, says=f"Moves {moves} of the kit.")


class GaugeLines(QWidget):
    """Every kit gauge; the open one with its targets."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.open_id = ""
        self._shown: Any = None
        self.gauges: dict[str, Gauge] = {}
        self.targets: list[tuple[Gauge, Gauge, Gauge]] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)

    def show_kit(self) -> None:
        """As the kit has them; built anew only where they are others."""
        kit = self._session.kit
        if kit.gauges and self.open_id not in {g.id for g in kit.gauges}:
            self.open_id = kit.gauges[0].id
        known = {g.id: gauges.known_targets(kit, g) for g in kit.gauges}
        shown = (
            self.open_id,
            tuple((g.id, g.name, g.on_shore, len(g.targets)) for g in kit.gauges),
            tuple(told(kit, t) for _, t in known.get(self.open_id, [])),
        )
        if shown != self._shown:
            self._shown = shown
            self._build(kit)
        for gauge in kit.gauges:
            self.gauges[gauge.id].set_value(gauge.value)
        for (low, high, curve), (_, target) in zip(
            self.targets, known.get(self.open_id, []), strict=False
        ):
            low.set_value(target.low)
            high.set_value(target.high)
            curve.set_value(target.curve)

    def _build(self, kit: Kit) -> None:
        clear(self._column)
        self.gauges, self.targets = {}, []
        if not kit.gauges:
            says = label(_EMPTY, "soft")
            says.setWordWrap(True)
            self._column.addWidget(says)
        for gauge in kit.gauges:
            self._add(kit, gauge)
        line = QHBoxLayout()
        self.new = button("New kit gauge …", "A gauge that moves others.", self._ask_new)
        line.addWidget(self.new)
        line.addStretch(1)
        self._column.addLayout(line)
        self._column.addStretch(1)

    def _add(self, kit: Kit, gauge: KitGauge) -> None:
        made = Gauge(of_gauge(kit, gauge), gauge.value)
        made.moved.connect(partial(move_kit_gauge, self._session, gauge.id))
        made.settled.connect(self._session.settle)
        self.gauges[gauge.id] = made
        self._column.addWidget(made)
        opened = gauge.id == self.open_id
        line = QHBoxLayout()
        line.setSpacing(4)
        count = len(gauge.targets)
        wait = waiting(kit, gauge)
        text = f"{'▾' if opened else '▸'} moves {count - wait}" + (f", {wait} wait" if wait else "")
        says = "Shows what it moves, over which range and curve."
        line.addWidget(
            button(text, says, partial(self._open, gauge.id), flat=True, name=f"Open {gauge.name}")
        )
        shore = toggle("below", "Shows it along the bottom of every page.")
        shore.setAccessibleName(f"{gauge.name} along the bottom")
        shore.setChecked(gauge.on_shore)
        shore.clicked.connect(partial(self._to_shore, gauge))
        line.addWidget(shore)
        line.addStretch(1)
        if opened:
            line.addWidget(
                button("Rename", "Another name.", partial(self._ask_name, gauge), flat=True)
            )
            says = "Takes the kit gauge out; what it moved stays where it is."
            line.addWidget(button("Remove", says, partial(self._remove, gauge), flat=True))
        self._column.addLayout(line)
        if opened:
            for n, target in gauges.known_targets(kit, gauge):
                self._add_target(kit, gauge, n, target)

    def _add_target(self, kit: Kit, gauge: KitGauge, n: int, target: Target) -> None:
        known = parameter_at(kit, target)
        line = QHBoxLayout()
        says = label(told(kit, target))
        says.setMinimumWidth(60)  # a long one is cut, the gauges are not
        says.setToolTip(says.text())
        line.addWidget(says, 1)
        line.addWidget(
            button(
                "Unassign", "It moves this no longer.", partial(self._let_go, gauge, n), flat=True
            )
        )
        self._column.addLayout(line)
        ends = []
        for field, name in (("low", "at 0 %"), ("high", "at 100 %")):
            shown = replace(known, label=name, part="", says="Where this end of its way lies.")
            ends.append(self._end(shown, gauge, n, field, getattr(target, field)))
        curve = self._end(parameter(Target, "curve"), gauge, n, "curve", target.curve)
        self.targets.append((ends[0], ends[1], curve))

    def _end(self, known: Parameter, gauge: KitGauge, n: int, field: str, value: float) -> Gauge:
        made = Gauge(known, value)
        made.moved.connect(partial(self._set_target, gauge, n, field))
        made.settled.connect(self._session.settle)
        self._column.addWidget(made)
        return made

    # Edits.

    def _open(self, gauge_id: str) -> None:
        self.open_id = "" if gauge_id == self.open_id else gauge_id
        self._shown = None
        self.show_kit()

    def _set_target(self, gauge: KitGauge, n: int, field: str, value: float) -> None:
        self._session.edit(
            f"{gauge.name}: range",
            lambda kit: gauges.set_target(kit, gauge.id, n, **{field: value}),
            ("target", gauge.id, n, field),
        )

    def _to_shore(self, gauge: KitGauge, on: bool) -> None:
        where = "shown along the bottom" if on else "not along the bottom"
        self._session.edit(
            f"{gauge.name} {where}",
            lambda kit: gauges.set_gauge(kit, gauge.id, on_shore=bool(on)),
        )

    def _let_go(self, gauge: KitGauge, n: int) -> None:
        self._session.edit(
            f"{gauge.name} lets one go", lambda kit: gauges.remove_target(kit, gauge.id, n)
        )

    def _remove(self, gauge: KitGauge) -> None:
        self._session.edit(f"{gauge.name} out", lambda kit: gauges.remove_gauge(kit, gauge.id))

    def _ask_name(self, gauge: KitGauge) -> None:
        name = ask_other_name(self, gauge.name)
        if name is not None:
            self.rename(gauge, name)

    def rename(self, gauge: KitGauge, name: str) -> None:
        """Another name for a kit gauge."""
        self._session.edit(
            f"{gauge.name}: called {name}", lambda kit: gauges.set_gauge(kit, gauge.id, name=name)
        )

    def _ask_new(self) -> None:
        name = ask_name(self, "A new kit gauge", "It is called:", "Weather")
        if name is not None:
            self.make(name)

    def make(self, name: str) -> None:
        """A kit gauge that moves nothing yet, shown on the shore."""

        def made(kit: Kit) -> Kit:
            kit, gauge = gauges.add_gauge(kit, name)
            self.open_id = gauge.id
            return gauges.set_gauge(kit, gauge.id, on_shore=True)

        self._session.edit(f"{name}: a new kit gauge", made)
