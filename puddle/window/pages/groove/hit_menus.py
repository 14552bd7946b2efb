"""What is done with hits and lanes by menu and by the tools beside the bars."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QObject, QPoint, pyqtSignal
from PyQt6.QtWidgets import QMenu

from puddle.kit.edits import hits as editing
from puddle.kit.edits import shaping
from puddle.kit.edits.hits import Spot
from puddle.kit.model.document import Kit, Pattern
from puddle.window.pages.groove.curves import CurveDrawing
from puddle.window.pages.groove.editing import HitEditing
from puddle.window.pages.groove.properties import GrooveProperties
from puddle.window.pages.groove.values_panel import ValuesPanel, own_menu
from puddle.window.session.session import Session
from puddle.window.widgets.drop_grid import DropGrid
from puddle.window.widgets.passing import popup_once, submenu

replace = msgspec.structs.replace
_PERCENT = "\N{THIN SPACE}%"
_CHOICES: tuple[tuple[str, str, tuple[tuple[float, str], ...]], ...] = (
    (
        "Chance",
        "chance",
        ((100.0, "always"), *((c, f"{c:.0f}{_PERCENT}") for c in (75.0, 50.0, 25.0))),
    ),
    ("Roll", "roll", ((1.0, "one stroke"), *((float(n), f"{n}") for n in (2, 3, 4, 6, 8)))),
    (
        "Plays",
        "every",
        ((1.0, "every pass"), *((float(n), f"one of {n} passes") for n in (2, 3, 4, 8))),
    ),
)
_SAID = {
    "reverse": "reversed",
    "later": "shifted",
    "earlier": "shifted",
    "scatter": "scattered",
    "softer": "scaled down",
    "harder": "scaled up",
}


class HitMenus(QObject):
    """Menus over the grid."""

    hides = pyqtSignal(bool)  # whether empty lanes are hidden

    def __init__(
        self,
        session: Session,
        grid: DropGrid,
        work: HitEditing,
        values: ValuesPanel,
        properties: GrooveProperties,
        curves: CurveDrawing,
    ) -> None:
        super().__init__(grid)
        self._curves = curves
        self._session, self.grid, self.work = session, grid, work
        self.values, self.properties = values, properties
        self.hides_empty = False
        self._scatters = 0
        grid.clip_wanted.connect(self.use_clip)
        grid.menu_wanted.connect(self.open)
        values.tool_wanted.connect(self.use_tool)

    def use_tool(self, tool: str) -> None:
        """Reverses, shifts, scatters or scales the values of the selected hits, or of the lane."""
        shown, pad, kind = self._session.pattern, self._session.pad_id, self.values.kind
        known = self.values.bars.known
        if self.values.curved is not None:
            self._curves.use_tool(tool)
            return
        if shown is None or known is None:
            return
        chosen = [spot for spot in self.grid.selected if spot.pad == pad]
        spots = chosen or editing.spots_of(shown, pad)
        self._scatters += 1
        seed = self._scatters

        def change(kit: Kit, pattern: Pattern) -> Pattern:
            if tool == "reverse":
                return shaping.reverse(kit, pattern, spots, kind)
            if tool in ("later", "earlier"):
                by = 1 if tool == "later" else -1
                return shaping.shift(kit, pattern, spots, kind, by)
            if tool == "scatter":
                return shaping.scatter(kit, pattern, spots, kind, 8.0, seed)
            factor = 0.9 if tool == "softer" else 1.0 / 0.9
            return shaping.scale(kit, pattern, spots, kind, factor)

        self.work.edit(f"{known.label} {_SAID[tool]}", change)

    def use_clip(self, what: str) -> None:
        """Copies, cuts, pastes or duplicates what is selected."""
        beat = self.grid.first_beat
        cell = self.grid.cell
        row = next((r for r in self.grid.view.rows if cell and r.pad_id == cell.pad), None)
        if cell is not None and row is not None:
            beat = cell.at if row.exact else cell.at * row.step
        self.work.use_clip(what, list(self.grid.selected), cell, beat)

    def open(self, on: object, at: QPoint) -> None:
        self.menu = QMenu(self.grid)
        if isinstance(on, Spot):
            if on not in self.grid.selected:
                self.grid.select(frozenset({on}))
            self._fill_hit_menu(self.menu)
        else:
            self._fill_lane_menu(self.menu, str(on))
        popup_once(self.menu, at)

    def _fill_hit_menu(self, menu: QMenu) -> None:
        spots = sorted(self.grid.selected, key=lambda s: (s.pad, s.at))
        each = self.properties.hits
        for title, field, choices in _CHOICES:
            inner = submenu(menu, title)
            for value, text in choices:
                action = inner.addAction(text)
                if action is not None:
                    action.triggered.connect(
                        lambda _, f=field, v=value: self._set_hits(spots, f, v)
                    )
        for text, done in (("Add a flam", each.add_flam), ("No flams", each.drop_flams)):
            action = menu.addAction(text)
            if action is not None:
                action.triggered.connect(done)
        pad = spots[0].pad if spots else ""
        own = own_menu(menu, self._session.kit, pad, self.values.choose)
        own.setTitle("Own value of …")
        menu.addMenu(own)
        more = menu.addAction("All values of it")
        if more is not None:
            more.triggered.connect(lambda: self.properties.choose(2))
        menu.addSeparator()
        for text, what in (("Copy", "copy"), ("Cut", "cut"), ("Duplicate", "duplicate")):
            action = menu.addAction(text)
            if action is not None:
                action.triggered.connect(lambda _, w=what: self.use_clip(w))
        gone = menu.addAction("Take out")
        if gone is not None:
            gone.triggered.connect(lambda: self.work.remove(spots))

    def _set_hits(self, spots: list[Spot], field: str, value: float) -> None:
        whole = field in ("roll", "every")
        made = round(value) if whole else value
        self.work.edit(
            f"Hits: {field} {made:g}",
            lambda _, p: editing.with_each(p, spots, lambda hit: replace(hit, **{field: made})),
        )

    def _fill_lane_menu(self, menu: QMenu, pad_id: str) -> None:
        entries = (
            ("Paste", lambda: self.use_clip("paste")),
            ("Select the lane", lambda: self._select_lane(pad_id)),
            ("Empty the lane", lambda: self._empty_lane(pad_id)),
            ("Hits one step later", lambda: self._rotate(pad_id, 1)),
            ("Hits one step earlier", lambda: self._rotate(pad_id, -1)),
            ("Lane values", lambda: self.properties.choose(1)),
        )
        for text, done in entries:
            action = menu.addAction(text)
            if action is not None:
                action.triggered.connect(lambda _, d=done: d())
        hide = menu.addAction("Hide empty lanes")
        if hide is not None:
            hide.setCheckable(True)
            hide.setChecked(self.hides_empty)
            hide.triggered.connect(self.hide_empty)

    def hide_empty(self, on: bool) -> None:
        """Shows only lanes that have hits, or all."""
        self.hides_empty = on
        self.hides.emit(on)

    def _select_lane(self, pad_id: str) -> None:
        shown = self._session.pattern
        if shown is not None:
            self.grid.select(frozenset(editing.spots_of(shown, pad_id)))

    def _empty_lane(self, pad_id: str) -> None:
        shown = self._session.pattern
        if shown is not None:
            self.work.remove(editing.spots_of(shown, pad_id))

    def _rotate(self, pad_id: str, by: int) -> None:
        pad = self._session.kit.pad(pad_id)
        name = pad.name if pad is not None else "Lane"
        said = "later" if by > 0 else "earlier"
        self.work.edit(f"{name}: one step {said}", lambda _, p: shaping.rotated_lane(p, pad_id, by))
