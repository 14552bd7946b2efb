"""Kit gauges in the document: made, assigned, moved.

A kit gauge at a share of its way sets each target to a place between its two ends, as the target's
own gauge is laid out (so that a frequency moves by octaves), bent by the target's curve: the
share to the power of 2^(-curve / 25).
"""

from __future__ import annotations

from typing import Any

import msgspec

from puddle.errors import EditError
from puddle.kit.edits.address import parameter_at, value_at, with_value
from puddle.kit.edits.items import fresh_id, replaced
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, KitGauge, Target
from puddle.parameter import changed

MOST_GAUGES, MOST_TARGETS = 64, 256
replace = msgspec.structs.replace


def gauge_of(kit: Kit, gauge_id: str) -> KitGauge:
    """The kit gauge of that id. Raises EditError if there is none."""
    for gauge in kit.gauges:
        if gauge.id == gauge_id:
            return gauge
    raise EditError(f"The kit holds no kit gauge “{gauge_id}”.")


def _with_gauge(kit: Kit, old: KitGauge, new: KitGauge) -> Kit:
    return replace(kit, gauges=replaced(kit.gauges, old, new))


def add_gauge(kit: Kit, name: str) -> tuple[Kit, KitGauge]:
    """A new kit gauge, half way, that moves nothing yet."""
    if len(kit.gauges) >= MOST_GAUGES:
        raise EditError(f"The kit has {MOST_GAUGES} kit gauges: take one away first.")
    made = KitGauge(id=fresh_id("gauge", [g.id for g in kit.gauges]), name=name[:120])
    return replace(kit, gauges=(*kit.gauges, made)), made


def remove_gauge(kit: Kit, gauge_id: str) -> Kit:
    """The kit without a kit gauge; what it moved stays where it is."""
    gone = gauge_of(kit, gauge_id)
    return replace(kit, gauges=tuple(g for g in kit.gauges if g is not gone))


def set_gauge(kit: Kit, gauge_id: str, **values: Any) -> Kit:
    """Another name, or whether it is shown on the shore."""
    gauge = gauge_of(kit, gauge_id)
    return _with_gauge(kit, gauge, changed(gauge, **values))


def move_gauge(kit: Kit, gauge_id: str, value: float) -> Kit:
    """The kit gauge at another place, 0 to 100, and all that it moves; what is gone is passed."""
    gauge = gauge_of(kit, gauge_id)
    moved = changed(gauge, value=value)
    kit = _with_gauge(kit, gauge, moved)
    for target in moved.targets:
        try:
            kit = with_value(kit, target, value_of(kit, target, moved.value))
        except EditError:
            continue
    return kit


def set_value(kit: Kit, gauge_id: str, value: float) -> Kit:
    """The kit gauge at another place, and nothing else moved."""
    gauge = gauge_of(kit, gauge_id)
    return _with_gauge(kit, gauge, changed(gauge, value=value))


def value_of(kit: Kit, target: Target, value: float) -> float:
    """What a target is set to while its kit gauge stands at a value of 0 to 100."""
    known = parameter_at(kit, target)
    share = (value / 100.0) ** (2.0 ** (-target.curve / 25.0)) if value > 0.0 else 0.0
    low, high = known.position(target.low), known.position(target.high)
    return known.at(low + share * (high - low))


def assigned(kit: Kit, gauge_id: str, address: Address) -> Kit:
    """The kit gauge with a further target, over half of its way and around where it is now.

    One that it moves already stays as it is.
    """
    gauge = gauge_of(kit, gauge_id)
    if any(known.address == address for known in gauge.targets):
        return kit
    if len(gauge.targets) >= MOST_TARGETS:
        raise EditError(f"{gauge.name} moves {MOST_TARGETS} parameters: take one away first.")
    known = parameter_at(kit, address)
    here, share = known.position(value_at(kit, address)), gauge.value / 100.0
    if address.field == "alternate":
        low, high = known.low, known.high
    else:
        low, high = (known.at(end) for end in _around(here, share))
    made = Target(**msgspec.structs.asdict(address), low=low, high=high)
    return _with_gauge(kit, gauge, replace(gauge, targets=(*gauge.targets, made)))


def _around(here: float, share: float) -> tuple[float, float]:
    """The ends of half of a gauge's way, so that a share of it lies where the gauge stands now."""
    low, high = here - 0.5 * share, here + 0.5 * (1.0 - share)
    if high > 1.0 and share < 1.0:
        low, high = max(0.0, (here - share) / (1.0 - share)), 1.0
    if low < 0.0 and share > 0.0:
        low, high = 0.0, min(1.0, here / share)
    return low, high


def set_target(kit: Kit, gauge_id: str, index: int, **values: Any) -> Kit:
    """Another end or curve for a target, which follows at once."""
    gauge = gauge_of(kit, gauge_id)
    old = _target_of(gauge, index)
    known = parameter_at(kit, old)
    for end in ("low", "high"):
        if end in values:
            values[end] = known.clamped(values[end])
    new = changed(old, **values)
    targets = tuple(new if n == index else t for n, t in enumerate(gauge.targets))
    kit = _with_gauge(kit, gauge, replace(gauge, targets=targets))
    return with_value(kit, new, value_of(kit, new, gauge.value))


def _target_of(gauge: KitGauge, index: int) -> Target:
    if not 0 <= index < len(gauge.targets):
        raise EditError(f"{gauge.name} has no target {index + 1}.")
    return gauge.targets[index]


def remove_target(kit: Kit, gauge_id: str, index: int) -> Kit:
    """The kit gauge without a target, which stays where it is."""
    gauge = gauge_of(kit, gauge_id)
    _target_of(gauge, index)
    targets = tuple(t for n, t in enumerate(gauge.targets) if n != index)
    return _with_gauge(kit, gauge, replace(gauge, targets=targets))


def known_targets(kit: Kit, gauge: KitGauge) -> list[tuple[int, Target]]:
    """The targets that are there, with their places; pads and layers may have gone."""
    found = []
    for n, target in enumerate(gauge.targets):
        try:
            parameter_at(kit, target)
        except EditError:
            continue
        found.append((n, target))
    return found
