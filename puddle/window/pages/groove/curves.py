"""Curves of the pattern that is shown: of which gauge, and what the hand draws."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QMenu, QWidget

from puddle.errors import PuddleError
from puddle.kit.edits import curves
from puddle.kit.edits.address import every_control, parameter_at, told, value_at
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.model.pattern import CurvePoint, grid_beats
from puddle.kit.playing.schedule import pattern_beats
from puddle.window.session.session import Session
from puddle.window.widgets.curve_line import CurveLine, Shown
from puddle.window.widgets.passing import submenu

_FACTORS = {"softer": 0.9, "harder": 1.0 / 0.9}


class CurveDrawing(QObject):
    """Shows the curve of one control, and carries out what the hand does there."""

    def __init__(self, session: Session, line: CurveLine) -> None:
        super().__init__(line)
        self._session, self.line = session, line
        self.address: Address | None = None
        self._began: tuple[CurvePoint, ...] | None = None  # as it was when the drag began
        line.drawn.connect(self._draw)
        line.settled.connect(self._settle)
        line.emptied.connect(self.take_out)

    def show(self, pattern: Pattern | None, address: Address | None) -> None:
        """The pattern's curve of a control; nothing where that is gone."""
        self.address = address
        kit = self._session.kit
        try:
            if address is None or not curves.may_move(kit, address):
                self.line.show_curve(None)
                return
            known, rest = parameter_at(kit, address), value_at(kit, address)
        except PuddleError:
            self.line.show_curve(None)
            return
        drawn = pattern if pattern is not None else Pattern(id="", name="")
        places = tuple((point.at, point.value) for point in _points(drawn, address))
        beats = pattern_beats(drawn)
        self.line.show_curve(Shown(places, known, rest, beats, grid_beats(drawn.grid)))

    def _edit(
        self, said: str, change: Callable[[Kit, Pattern, Address], list[CurvePoint]], mark: object
    ) -> None:
        shown, address = self._session.pattern, self.address
        if shown is None or address is None:
            self._session.told.emit("There is no pattern yet: click a step above.")
            return

        def done(kit: Kit) -> Kit:
            pattern = kit.pattern(shown.id) or shown
            return curves.with_points(kit, shown.id, address, change(kit, pattern, address))

        name = told(self._session.kit, address)
        self._session.edit(f"{name}: {said}", done, mark)

    def _draw(self, places: list[tuple[float, float]]) -> None:
        drawn = [CurvePoint(at=beat, value=value) for beat, value in places]
        shown, address = self._session.pattern, self.address
        if self._began is None and shown is not None and address is not None:
            self._began = _points(shown, address)
        began = self._began or ()

        def change(kit: Kit, _: Pattern, address: Address) -> list[CurvePoint]:
            known, rest = parameter_at(kit, address), value_at(kit, address)
            return curves.drawn_over(began, drawn, known, rest)

        self._edit("curve drawn", change, ("curve", self.address))

    def _settle(self) -> None:
        self._began = None
        self._session.settle()

    def take_out(self) -> None:
        """The pattern without the curve."""
        self._edit("curve taken out", lambda *_: [], None)

    def use_tool(self, tool: str) -> None:
        """Reverses, shifts by a step, or scales the curve around where the gauge rests."""

        def change(kit: Kit, pattern: Pattern, address: Address) -> list[CurvePoint]:
            points, known = _points(pattern, address), parameter_at(kit, address)
            beats = pattern_beats(pattern)
            if not points:
                return []
            if tool == "reverse":
                return curves.reversed_in(points, beats)
            if tool in ("later", "earlier"):
                step = grid_beats(pattern.grid)
                return curves.shifted(points, known, beats, step if tool == "later" else -step)
            return curves.scaled(points, known, value_at(kit, address), _FACTORS[tool])

        if tool == "scatter":
            self._session.told.emit("A curve is drawn as it should be: it does not scatter.")
            return
        self._edit("curve changed", change, None)
        self._session.settle()


def _points(pattern: Pattern, address: Address) -> tuple[CurvePoint, ...]:
    curve = curves.curve_of(pattern, address)
    return curve.points if curve is not None else ()


def curve_menu(
    parent: QWidget, kit: Kit, pattern: Pattern | None, then: Callable[[Address], None]
) -> QMenu:
    """The curves that a pattern has, then every gauge that may have one, by where it lies.

    Sends stand together, last: a kit has many.
    """
    menu = QMenu(parent)
    for curve in pattern.curves if pattern is not None else ():
        try:
            _offer(menu, told(kit, curve.address), curve.address, then)
        except PuddleError:
            continue  # what it moved is gone
    menu.addSeparator()
    inner: dict[str, QMenu] = {}
    able = [c for c in every_control(kit) if curves.may_move(kit, c.address)]
    for control in sorted(able, key=lambda c: c.address.of == "send"):
        sent = control.address.of == "send"
        lies = "Sends" if sent else control.lies
        if lies not in inner:
            inner[lies] = submenu(menu, lies)
        under = inner[lies]
        name = control.lies if sent else f"{control.known.part} {control.known.label}".strip()
        _offer(under, name, control.address, then)
    return menu


def _offer(menu: QMenu, text: str, address: Address, then: Callable[[Address], None]) -> None:
    action = menu.addAction(text)
    if action is not None:
        action.triggered.connect(lambda: then(address))
