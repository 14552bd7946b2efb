"""Gauges of the kit that a controller's controls move: taught, or kit gauges in their order."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec

from puddle.errors import EditError
from puddle.kit.edits import gauges
from puddle.kit.edits.address import parameter_at, told, value_at, with_value
from puddle.kit.model.address import Address
from puddle.kit.model.gauge import KitGauge
from puddle.midi.controller_map import ControllerMap
from puddle.midi.gauged import (
    STEP,
    Gauged,
    Sends,
    TakeOver,
    can_be_taught,
    gauged_by,
    guessed,
    is_gauge,
    steps_of,
)
from puddle.midi.messages import Turned
from puddle.parameter import Parameter, parameter
from puddle.window.session.controller_maps import ControllerMaps
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after

_REST_MS = 400  # after so long without a move the next one is a step of its own
_FIRST = 12  # values of a control from which it is told how it sends
LOOSE = 8  # controls that nobody taught, at most
Asked = Address | str  # a control by its address, or a kit gauge by its id


def move_kit_gauge(session: Session, gauge_id: str, value: float) -> None:
    """A kit gauge is moved by hand: one step for a drag."""
    name = next((g.name for g in session.kit.gauges if g.id == gauge_id), "Kit gauge")
    session.edit(
        f"{name} {value:.0f} %",
        lambda kit: gauges.move_gauge(kit, gauge_id, value),
        ("kit gauge", gauge_id),
    )


def _move(session: Session, address: Address, value: float) -> None:
    known = parameter_at(session.kit, address)
    session.edit(
        f"{told(session.kit, address)} {known.text(value)}",
        lambda kit: with_value(kit, address, value),
        ("controller", address),
    )


class _Target(msgspec.Struct, frozen=True, eq=False):
    name: str
    known: Parameter
    value: float
    put: Callable[[float], None]

    @property
    def stands(self) -> float:
        return self.known.position(self.value)


class Shown(msgspec.Struct, frozen=True):
    """A gauge as a controller has it: where it stands and where the hand is, 0 to 1."""

    name: str  # empty where the control moves nothing in this kit
    text: str
    stands: float
    hand: float | None  # where it waits for being passed; None where it moves the gauge
    control: str  # "control 21"; empty for a gauge that no control moves yet
    gauged: Gauged | None


_Key = tuple[str, str, int, int]  # port, kind, number, channel


class ControlMoves:
    """Moves gauges as controls are moved, and teaches controls their gauges."""

    def __init__(self, session: Session, maps: ControllerMaps) -> None:
        self._session, self._maps = session, maps
        self.asked: Asked | None = None  # what the next control that moves is taught
        self._takeovers: dict[_Key, TakeOver] = {}
        self._first: dict[_Key, list[int]] = {}
        self._loose: dict[str, list[Gauged]] = {}
        self._rest = once_after(session, _REST_MS, session.settle)

    # What a controller moves.

    def moved(self, port: str, came: Sequence[Turned]) -> str:
        """Moves what a control moves, by its latest values; what that did, in words."""
        one = came[-1]
        if self.asked is not None and can_be_taught(one):
            return self._teach(port, one)
        gauged = gauged_by(self._maps.of(port).gauges, one) or self._loose_of(port, one)
        target = self._target(gauged) if gauged is not None else None
        if gauged is None:
            return "moves nothing"
        if target is None:
            return "moves nothing in this kit"
        key = (port, one.kind, one.number, gauged.channel)
        gauged = self._told_apart(port, key, gauged, came)
        if gauged.sends == "positions":
            return self._follow(key, target, gauged, one.share)
        steps = sum(steps_of(gauged.sends, turned.raw) for turned in came)
        whole = target.known.kind == "whole"
        value = target.value + steps if whole else target.known.at(target.stands + steps * STEP)
        return self._put(target, gauged, value)

    def _follow(self, key: _Key, target: _Target, gauged: Gauged, share: float) -> str:
        over = self._takeovers.setdefault(key, TakeOver())
        if not over.moved(share, target.stands):
            return f"{target.name}, waits for {round(127.0 * target.stands)}"
        said = self._put(target, gauged, target.known.at(share))
        now = self._target(gauged)
        if now is not None:
            over.left(now.stands)
        return said

    def _put(self, target: _Target, gauged: Gauged, value: float) -> str:
        target.put(target.known.clamped(value))
        self._rest.start()
        now = self._target(gauged) or target
        return f"{now.name} {now.known.text(now.value)}"

    def _target(self, gauged: Gauged) -> _Target | None:
        """What a control moves in the kit as it is; None where that is not there."""
        session, kit = self._session, self._session.kit
        address = gauged.address
        if address is None:
            if not 0 <= gauged.gauge < len(kit.gauges):
                return None
            gauge = kit.gauges[gauged.gauge]
            known = parameter(KitGauge, "value")
            return _Target(
                gauge.name, known, gauge.value, lambda v: move_kit_gauge(session, gauge.id, v)
            )
        try:
            known, value, name = (
                parameter_at(kit, address), value_at(kit, address), told(kit, address),
            )  # fmt: skip
        except EditError:
            return None
        return _Target(name, known, value, lambda v: _move(session, address, v))

    def _loose_of(self, port: str, one: Turned) -> Gauged | None:
        """A control that nobody taught: the next kit gauge that no other one moves."""
        if not is_gauge(one):
            return None
        loose = self._loose.setdefault(port, [])
        found = gauged_by(loose, one)
        if found is None and len(loose) < LOOSE:
            taken = {g.gauge for g in (*self._maps.of(port).gauges, *loose) if g.address is None}
            free = next(n for n in range(len(taken) + 1) if n not in taken)
            found = Gauged(kind="control", number=one.number, gauge=free)
            loose.append(found)
        return found

    def _told_apart(self, port: str, key: _Key, gauged: Gauged, came: Sequence[Turned]) -> Gauged:
        """The control with the way in which it sends, once its first values have told."""
        values = self._first.setdefault(key, [])
        if gauged.sends != "positions" or len(values) >= _FIRST or gauged.kind != "control":
            return gauged
        values += [turned.raw for turned in came]
        sends = guessed(values[:_FIRST])
        if sends in (None, "positions"):
            return gauged
        return self._set_sends(port, gauged, sends)

    def _set_sends(self, port: str, gauged: Gauged, sends: Sends | None) -> Gauged:
        made = msgspec.structs.replace(gauged, sends=sends or "positions")
        loose = self._loose.get(port, [])
        if gauged in loose:
            loose[loose.index(gauged)] = made
        else:
            self._change(port, gauged, made)
        return made

    # Teaching.

    def ask(self, asked: Asked | None) -> None:
        """The next control that moves is taught this gauge; with None none is."""
        self.asked = asked

    def asked_name(self) -> str:
        """The gauge that waits for a control, in words; or nothing."""
        target = self._target(self._as_gauged(Turned("control", 0, 0, 0, 0.0), self.asked))
        return target.name if self.asked is not None and target is not None else ""

    def _as_gauged(self, one: Turned, asked: Asked | None) -> Gauged:
        kind = one.kind if one.kind in ("control", "wheel", "pressure") else "control"
        address = asked if isinstance(asked, Address) else None
        ids = [gauge.id for gauge in self._session.kit.gauges]
        place = ids.index(asked) if isinstance(asked, str) and asked in ids else -1
        return Gauged(kind=kind, number=one.number, gauge=place, address=address)

    def _teach(self, port: str, one: Turned) -> str:
        made = self._as_gauged(one, self.asked)
        self.asked = None
        target = self._target(made)
        if target is None:
            return "its gauge has gone"
        known = self._maps.of(port)
        kept = tuple(g for g in known.gauges if not g.is_of(one))
        self._keep(port, msgspec.structs.replace(known, gauges=(*kept, made)))
        loose = self._loose.get(port, [])
        self._loose[port] = [g for g in loose if not g.is_of(one)]
        self._first.pop((port, one.kind, one.number, made.channel), None)
        return f"taught: {target.name}"

    def forget(self, port: str, gauged: Gauged) -> None:
        """A control moves this gauge no more."""
        self._loose[port] = [g for g in self._loose.get(port, []) if g != gauged]
        self._change(port, gauged, None)

    def set_sends(self, port: str, gauged: Gauged, sends: Sends) -> None:
        """How a control sends, chosen by hand."""
        self._set_sends(port, gauged, sends)

    def _change(self, port: str, gauged: Gauged, made: Gauged | None) -> None:
        known = self._maps.of(port)
        if gauged in known.gauges:
            others = tuple(made if g == gauged else g for g in known.gauges)
            others_there = tuple(g for g in others if g is not None)
            self._keep(port, msgspec.structs.replace(known, gauges=others_there))

    def _keep(self, port: str, made: ControllerMap) -> None:
        self._maps.put(port, made)
        self._maps.settle(port, "a control taught")

    # What is shown.

    def shown(self, port: str) -> list[Shown]:
        """The kit's gauges in their order, then the others that the controller was taught."""
        known = (*self._maps.of(port).gauges, *self._loose.get(port, []))
        found = []
        for n in range(len(self._session.kit.gauges)):
            one = next((g for g in known if g.address is None and g.gauge == n), None)
            found.append(self._shown(port, one or Gauged(kind="control", gauge=n), one is not None))
        return found + [self._shown(port, g, True) for g in known if g.address is not None]

    def _shown(self, port: str, gauged: Gauged, moved: bool) -> Shown:
        target = self._target(gauged)
        control = control_name(gauged) if moved else ""
        if target is None:
            return Shown("", "", 0.0, None, control, gauged if moved else None)
        over = self._takeovers.get((port, gauged.kind, gauged.number, gauged.channel))
        waits = None
        if moved and over is not None and over.hand is not None:
            waits = over.hand if abs(over.hand - target.stands) > STEP else None
        text = target.known.text(target.value)
        return Shown(target.name, text, target.stands, waits, control, gauged if moved else None)


def control_name(gauged: Gauged) -> str:
    """A control in words."""
    if gauged.kind == "control":
        return f"control {gauged.number}"
    return "pitch wheel" if gauged.kind == "wheel" else "pressure"
