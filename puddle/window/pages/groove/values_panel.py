"""Under the grid: one kind of value of the selected lane as bars, and what is done with all."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from puddle.errors import PuddleError
from puddle.kit.edits import shaping
from puddle.kit.edits.address import Control, every_control, told
from puddle.kit.edits.own_values import may_have
from puddle.kit.edits.shaping import Kind
from puddle.kit.model.address import Address
from puddle.kit.model.document import Hit, Kit, Pattern
from puddle.views.pattern import Row
from puddle.window.pages.groove.curves import curve_menu
from puddle.window.widgets.controls import button, elided, toggle
from puddle.window.widgets.curve_line import CurveLine
from puddle.window.widgets.drop_geometry import HEAD_PX
from puddle.window.widgets.note_roll import NoteRoll
from puddle.window.widgets.passing import popup_once, submenu
from puddle.window.widgets.step_bars import Bar, StepBars

_KINDS = (
    ("velocity", "Velocity", "How hard each hit is."),
    ("chance", "Chance", "How often each hit plays."),
    ("roll", "Roll", "How many strikes each hit is split into."),
    ("ramp", "Ramp", "Whether each roll rises or falls in strength."),
    ("flam", "Flam", "How long before each hit its grace stroke falls."),
    ("nudge_ms", "Nudge", "How much later each hit falls, in ms."),
    ("length", "Length", "How long gated pads are held, and rolls last."),
    ("note", "Note", "Which key plays the pad, where it follows keys."),
)


class ValuesPanel(QWidget):
    """Kinds on the left, bars beside them, in line with the grid's steps."""

    kind_changed = pyqtSignal()
    tool_wanted = pyqtSignal(str)  # "reverse", "later", "earlier", "scatter", "softer", "harder"

    def __init__(
        self,
        kit: Callable[[], Kit],
        pad_id: Callable[[], str],
        pattern: Callable[[], Pattern | None],
    ) -> None:
        super().__init__()
        self._kit, self._pad_id, self._pattern = kit, pad_id, pattern
        self.kind: Kind = "velocity"
        self.bars = StepBars()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        left = QWidget()
        left.setFixedWidth(HEAD_PX - 8)
        side = QVBoxLayout(left)
        side.setContentsMargins(10, 6, 10, 6)
        side.setSpacing(4)
        self.title = elided("", "title")
        side.addWidget(self.title)
        self._pills: dict[str, QPushButton] = {}
        grid = QGridLayout()
        grid.setSpacing(4)
        for n, (kind, text, says) in enumerate(_KINDS):
            pill = toggle(text, says)
            pill.clicked.connect(lambda _, k=kind: self.choose(k))
            self._pills[kind] = pill
            grid.addWidget(pill, n // 3, n % 3)
        self.own = toggle("Own …", "Any gauge of the pad's sound, for single hits.", "Own value")
        self.own.clicked.connect(self._ask_own)
        grid.addWidget(self.own, 2, 2)
        self.curve = toggle(
            "Curve …",
            "How a gauge of what runs live moves while the pattern plays: stages of pads, buses "
            "and the master, and their levels.",
        )
        self.curve.clicked.connect(self._ask_curve)
        grid.addWidget(self.curve, 3, 0, 1, 3)
        side.addLayout(grid)
        tools = QHBoxLayout()
        tools.setSpacing(2)
        for text, says, tool in (
            ("⇆", "Reverses the values of the hits.", "reverse"),
            ("‹", "Each hit takes the value of the next one.", "earlier"),
            ("›", "Each hit takes the value of the one before.", "later"),
            ("≈", "Scatters the values around what is drawn.", "scatter"),
            ("−", "Scales the values down by a tenth.", "softer"),
            ("+", "Scales the values up by a tenth.", "harder"),
        ):
            use = partial(self.tool_wanted.emit, tool)
            made = button(text, says, use, flat=True, name=says.rstrip("."))
            made.setFixedWidth(30)
            tools.addWidget(made)
        tools.addStretch(1)
        side.addLayout(tools)
        side.addStretch(1)
        row.addWidget(left)
        self.roll = NoteRoll()
        self.shown = QStackedWidget()
        self.shown.addWidget(self.bars)
        self.shown.addWidget(self.roll)
        self.line = CurveLine()
        self.shown.addWidget(self.line)
        row.addWidget(self.shown, 1)
        self._show_pills()

    def choose(self, kind: Kind) -> None:
        """Shows another kind of value."""
        self.kind = kind
        self._show_pills()
        over = self.roll if kind == "note" else self.line if self.curved is not None else self.bars
        self.shown.setCurrentWidget(over)
        self.kind_changed.emit()

    @property
    def curved(self) -> Address | None:
        """The control of what runs live whose curve is shown, if one is."""
        kind = self.kind
        return kind if isinstance(kind, Address) and kind.runs_live else None

    def _show_pills(self) -> None:
        for kind, pill in self._pills.items():
            pill.setChecked(kind == self.kind)
        self.curve.setChecked(self.curved is not None)
        self.own.setChecked(isinstance(self.kind, Address) and self.curved is None)

    def _ask_own(self) -> None:
        """Every gauge that a hit of the pad can have for itself, by where it lies."""
        self._show_pills()
        self.menu = own_menu(self, self._kit(), self._pad_id(), self.choose)
        popup_once(self.menu, self.own.mapToGlobal(QPoint(0, self.own.height())))

    def _ask_curve(self) -> None:
        """Every gauge of what runs live, those that have curves first."""
        self._show_pills()
        self.menu = curve_menu(self, self._kit(), self._pattern(), self.choose)
        popup_once(self.menu, self.curve.mapToGlobal(QPoint(0, self.curve.height())))

    def show_lane(self, row: Row | None, hits: tuple[Hit, ...], selected: frozenset[float]) -> None:
        """The bars of a lane."""
        kit, pad_id = self._kit(), self._pad_id()
        if self.curved is not None:
            self._show_curved(kit, self.curved)
            return
        if row is None:
            self.title.setText("No lane")
            self.bars.show_bars((), None, 0.0, "slate", _NO_LANE)
            return
        if isinstance(self.kind, Address) and self.kind.pad != pad_id:
            self.kind = "velocity"
            self._show_pills()
        try:
            drawn = shaping.drawn_as(kit, pad_id, self.kind)
        except PuddleError:
            self.kind = "velocity"
            self._show_pills()
            drawn = shaping.drawn_as(kit, pad_id, self.kind)
        self.title.setText(f"{row.name}: {self._told(kit)}")
        by_place = {hit.at: hit for hit in hits}
        bars = []
        for drop in row.drops:
            hit = by_place.get(drop.at)
            if hit is None or drop.echo:
                continue
            value = shaping.value_of(hit, self.kind, drawn.rest)
            own = value != drawn.rest or self.kind in ("velocity", "chance")
            if isinstance(self.kind, Address):
                own = any(one.address == self.kind for one in hit.values)
            late = drop.beat + drop.late
            bars.append(Bar(drop.at, late, row.step, value, own, drop.at in selected))
        self.bars.show_bars(tuple(bars), drawn.known, drawn.rest, row.dye)

    def _show_curved(self, kit: Kit, address: Address) -> None:
        try:
            self.title.setText(told(kit, address))
        except PuddleError:  # what it moves is gone
            self.choose("velocity")

    def _told(self, kit: Kit) -> str:
        if isinstance(self.kind, Address):
            return told(kit, self.kind).split(": ", 1)[-1]
        return next(text.lower() for kind, text, _ in _KINDS if kind == self.kind)


_NO_LANE = "The values of a lane's hits are drawn here, once there is a pad."
_FIRST = ("tune_st", "level_db", "pan")  # of the pad: at hand without another menu


def own_menu(parent: QWidget, kit: Kit, pad_id: str, then: Callable[[Address], None]) -> QMenu:
    """Every gauge of a pad that a hit can have for itself: the pad's, then each layer's, each
    stage's."""
    menu = QMenu(parent)
    found = [c for c in every_control(kit) if may_have(c.address, pad_id)]
    first = [c for c in found if c.address.of == "pad" and c.known.field in _FIRST]
    for field in _FIRST:
        for control in first:
            if control.known.field == field:
                _offer(menu, control, then)
    menu.addSeparator()
    inner: dict[str, QMenu] = {}
    for control in found:
        if control in first:
            continue
        where = _place(kit, control)
        if where not in inner:
            inner[where] = submenu(menu, where)
        under = inner[where]
        _offer(under, control, then)
    return menu


def _offer(menu: QMenu, control: Control, then: Callable[[Address], None]) -> None:
    name = f"{control.known.part} {control.known.label}".strip()
    if control.address.of in ("envelope", "band"):
        name = f"{control.address.of.capitalize()}: {name.lower()}"
    action = menu.addAction(name)
    if action is not None:
        action.triggered.connect(lambda: then(control.address))


def _place(kit: Kit, control: Control) -> str:
    """Where a gauge lies in a pad, in words."""
    address = control.address
    if address.of in ("pad", "sound"):
        return "Pad"
    rest = control.lies.split(", ", 1)[-1]
    if not address.layer:
        return f"Whole sound: {rest}"
    return rest if address.stage else f"Layer {rest}"
