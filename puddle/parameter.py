"""Parameters, declared once.

A voice, a stage or a layer is a frozen struct, and each of its sounding fields is annotated with
what a person has to know of it: range, unit, scale, decimals and a sentence on what it does to
the sound. Validation, gauges, tooltips, docs and the JSON Schema are all read from there.
"""

from __future__ import annotations

import math
from enum import Enum
from functools import cache
from inspect import get_annotations
from typing import Annotated, Any, TypeVar, get_args, get_origin

import msgspec

from puddle import units
from puddle.errors import ParameterError

T = TypeVar("T", bound=msgspec.Struct)


class Scale(Enum):
    """How a range is laid along a gauge."""

    LINEAR = "linear"
    LOGARITHMIC = "logarithmic"


class Parameter(msgspec.Struct, frozen=True):
    """What is known of one field of a struct."""

    field: str
    label: str
    low: float
    high: float
    default: float
    unit: str
    scale: Scale
    decimals: int
    says: str
    part: str
    kind: str  # "number", "switch", "choice" or "whole"
    choices: tuple[str, ...] = ()
    zero: str = ""  # the word for zero, where it has one
    one: str = ""  # and for one

    def position(self, value: float) -> float:
        """Where a value lies on the gauge, 0 to 1."""
        if self.scale is Scale.LOGARITHMIC:
            low = math.log(self.low)
            return (math.log(max(value, self.low)) - low) / (math.log(self.high) - low)
        return (value - self.low) / (self.high - self.low)

    def at(self, position: float) -> float:
        """The value at a place on the gauge; the inverse of `position`."""
        position = min(1.0, max(0.0, position))
        if self.scale is Scale.LOGARITHMIC:
            return self.clamped(self.low * (self.high / self.low) ** position)
        return self.clamped(self.low + position * (self.high - self.low))

    def clamped(self, value: float) -> float:
        """The nearest value in range. Raises ParameterError on NaN and infinity."""
        if not math.isfinite(value):
            raise ParameterError(f"{self.label} takes a finite number, not {value}.")
        value = min(self.high, max(self.low, value))
        return float(round(value)) if self.kind == "whole" else value

    def text(self, value: float) -> str:
        """The value as it is shown, with its unit."""
        if self.zero and value == 0.0:
            return self.zero
        if self.one and value == 1.0:
            return self.one
        shown = units.with_unit(value, self.unit, self.decimals)
        return shown if self.low < 0.0 else shown.removeprefix("+")

    def parsed(self, text: str, now: float = 0.0) -> float:
        """The value in range that a person typed where `now` is shown.

        A number without a unit is meant in the one that is shown: where 1.20 s stands, 3 is 3 s,
        if that is in range. Raises ParameterError for what is no value, or out of range.
        """
        if self.zero and text.strip().lower() == self.zero:
            return self.clamped(0.0)
        if self.one and text.strip().lower() == self.one:
            return self.clamped(1.0)
        value = units.parsed(text, self.unit)
        larger = 1000.0 * value
        shown_larger = self.unit in ("ms", "Hz") and abs(now) >= 1000.0
        if shown_larger and units.is_bare(text) and self.low <= larger <= self.high:
            value = larger
        if not self._reaches(value):
            raise ParameterError(
                f"{self.label} takes {self.text(self.low)} to {self.text(self.high)}."
            )
        return self.clamped(value)

    def _reaches(self, value: float) -> bool:
        """Whether a value is in range, but for what its text rounds."""
        slack = 10.0**-self.decimals if self.unit != "Hz" else 0.01 * abs(value)
        return self.low - slack <= value <= self.high + slack


def percent(field: str, label: str, says: str, default: float, zero: str = "") -> Parameter:
    """A gauge from 0 to 100 % that belongs to no struct: how far something is carried out."""
    return Parameter(
        field=field,
        label=label,
        low=0.0,
        high=100.0,
        default=default,
        unit="%",
        scale=Scale.LINEAR,
        decimals=0,
        says=says,
        part="",
        kind="number",
        zero=zero,
    )


class Declared(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The root of structs with parameters: numbers are floats, however they were written.

    Equal recipes then give equal bytes, and kernels are never compiled anew for an integer.
    """

    def __post_init__(self) -> None:
        for field in _float_fields(type(self)):
            value = getattr(self, field)
            if type(value) is int:
                msgspec.structs.force_setattr(self, field, float(value))


@cache
def _float_fields(struct: type[msgspec.Struct]) -> tuple[str, ...]:
    """The fields that `number` annotates.

    Read from the annotations as they are: to have msgspec evaluate all types of a kit's structs
    takes 10 ms and more, of every start.
    """
    said: dict[str, Any] = {}
    for base in reversed(struct.__mro__):
        said |= get_annotations(base)
    kinds = ((field, kind) for field, kind in said.items() if get_origin(kind) is Annotated)
    return tuple(
        field for field, kind in kinds if get_args(kind)[0] is float and _noted(kind) is not None
    )


def number(
    label: str,
    low: float,
    high: float,
    unit: str,
    says: str,
    *,
    log: bool = False,
    decimals: int = 1,
    part: str = "",
    zero: str = "",
    one: str = "",
) -> msgspec.Meta:
    """The annotation of a number: its range, unit and what it does to the sound."""
    scale = Scale.LOGARITHMIC if log else Scale.LINEAR
    return msgspec.Meta(
        ge=low,
        le=high,
        title=label,
        description=says,
        extra_json_schema={"x-unit": unit, "x-scale": scale.value},
        extra={
            "unit": unit,
            "scale": scale,
            "decimals": decimals,
            "part": part,
            "zero": zero,
            "one": one,
        },
    )


def switch(label: str, says: str, *, part: str = "") -> msgspec.Meta:
    """The annotation of something that is on or off."""
    return msgspec.Meta(title=label, description=says, extra={"part": part})


def choice(label: str, says: str, *, part: str = "") -> msgspec.Meta:
    """The annotation of a choice among words (a `Literal`)."""
    return msgspec.Meta(title=label, description=says, extra={"part": part})


def _noted(kind: Any) -> msgspec.Meta | None:
    """What `number`, `switch` or `choice` says in an annotation; None where none of them does."""
    notes = get_args(kind)[1:]
    return next((n for n in notes if isinstance(n, msgspec.Meta) and n.extra), None)


@cache
def parameters(struct: type[msgspec.Struct]) -> tuple[Parameter, ...]:
    """The declared parameters of a struct, in the order of its fields."""
    found = []
    for field in msgspec.structs.fields(struct):  # types told once: to evaluate them takes longest
        if get_origin(field.type) is not Annotated:
            continue
        meta = _noted(field.type)
        if meta is not None:
            found.append(_declared(field.name, get_args(field.type)[0], meta, field.default))
    return tuple(found)


def _declared(field: str, kind: Any, meta: msgspec.Meta, default: Any) -> Parameter:
    extra: dict[str, Any] = meta.extra or {}
    choices = get_args(kind) if kind not in (float, int, bool) else ()
    name = "switch" if kind is bool else "choice" if choices else "number"
    return Parameter(
        field=field,
        label=meta.title or field,
        low=float(meta.ge if meta.ge is not None else 0.0),
        high=float(meta.le if meta.le is not None else 1.0),
        default=float(default) if isinstance(default, (int, float)) else 0.0,
        unit=extra.get("unit", ""),
        scale=extra.get("scale", Scale.LINEAR),
        decimals=extra.get("decimals", 0),
        says=meta.description or "",
        part=extra.get("part", ""),
        kind="whole" if kind is int else name,
        choices=tuple(choices),
        zero=extra.get("zero", ""),
        one=extra.get("one", ""),
    )


def parameter(struct: type[msgspec.Struct], field: str) -> Parameter:
    """One declared parameter. Raises ParameterError if the struct has none of that name."""
    for declared in parameters(struct):
        if declared.field == field:
            return declared
    raise ParameterError(f"{struct.__name__} has no parameter named {field}.")


def changed(struct: T, **values: Any) -> T:
    """A copy with new values, each brought into its declared range.

    Raises ParameterError on a field that does not exist, or a value of the wrong type.
    """
    declared = {p.field: p for p in parameters(type(struct))}
    for field, value in values.items():
        known = declared.get(field)
        if known is None:
            if field not in struct.__struct_fields__:
                raise ParameterError(f"{type(struct).__name__} has no field named {field}.")
        elif known.kind in ("number", "whole"):
            if isinstance(value, bool) or not isinstance(value, (int, float)):
                raise ParameterError(f"{known.label} takes a number, not {value!r}.")
            clamped = known.clamped(float(value))
            values[field] = int(clamped) if known.kind == "whole" else clamped
        elif known.kind == "switch" and not isinstance(value, bool):
            raise ParameterError(f"{known.label} is on or off, not {value!r}.")
        elif known.kind == "choice" and value not in known.choices:
            allowed = ", ".join(known.choices)
            raise ParameterError(f"{known.label} is one of {allowed}, not {value!r}.")
    return msgspec.structs.replace(struct, **values)
