"""What can be dragged on a layer's canvas, and where it stands in time."""

from __future__ import annotations

import msgspec

from puddle.kit.model.document import Layer, Sample

_FREE = " Ctrl: without snapping."


class Handle(msgspec.Struct, frozen=True):
    """A place on a canvas: a time, a height from its top (below zero: from its foot)."""

    what: str
    ms: float
    y: float
    says: str


class Drag(msgspec.Struct, frozen=True):
    """A handle in the hand: where it was taken, how far it is, and how near it snaps."""

    what: str
    from_ms: float
    by_ms: float
    reach_ms: float = 0.0  # 0: not at all


class Landing(msgspec.Struct, frozen=True):
    """What a drag has come to, told at the pointer: a value, and what it snapped to."""

    text: str
    snapped: str = ""  # what to, in words
    at_ms: float | None = None  # where that stands on the canvas


def ahead(target: float | None, start: float, value: float) -> float | None:
    """A target to snap to, if it lies where the drag goes: a snap never pulls the other way."""
    if target is None or (target - start) * (value - start) <= 0.0:
        return None
    return target


def tune_ratio(layer: Layer) -> float:
    """How much faster a layer's source is played for its tuning."""
    return float(2.0 ** ((layer.tune_st + layer.tune_ct / 100.0) / 12.0))


def region_ms(layer: Layer, recorded_ms: float) -> float:
    """How long a sample's region sounds, whatever its envelope leaves of it."""
    sample = layer.source
    if not isinstance(sample, Sample):
        return 0.0
    part = max(0.0, min(sample.end_ms, recorded_ms) - sample.start_ms) * sample.stretch / 100.0
    return (sample.loop_for_ms if sample.loop else part) / tune_ratio(layer)


def handles_of(layer: Layer, start_ms: float, length_ms: float) -> list[Handle]:
    """The handles of a layer that begins at a time; a sample's region sounds for a length."""
    found = [
        Handle(
            "offset",
            start_ms,
            5.0,
            "Drag to move the layer in time, by its onset to those of others; Shift for fine, a "
            "double click sets it back." + _FREE,
        )
    ]
    if isinstance(layer.source, Sample):
        found += _of_sample(layer.source, 1.0 / tune_ratio(layer), start_ms, start_ms + length_ms)
    if layer.envelope.on:
        attack = start_ms + layer.envelope.attack_ms
        hold = attack + layer.envelope.hold_ms
        decay = hold + layer.envelope.decay_ms
        found += [
            Handle("attack", attack, 8.0, "Drag the envelope's attack." + _FREE),
            Handle("hold", hold, 8.0, "Drag the envelope's hold." + _FREE),
            Handle("decay", decay, -14.0, "Drag the envelope's decay." + _FREE),
        ]
    return found


def _of_sample(sample: Sample, pace: float, start_ms: float, end_ms: float) -> list[Handle]:
    found = [
        Handle("start", start_ms, -4.0, "Drag to trim the start." + _FREE),
        Handle("fade_in", start_ms + pace * sample.fade_in_ms, 20.0, "Drag the fade in." + _FREE),
        Handle("fade_out", end_ms - pace * sample.fade_out_ms, 20.0, "Drag the fade out." + _FREE),
    ]
    if not sample.loop:
        return [*found, Handle("end", end_ms, -4.0, "Drag to trim the end." + _FREE)]
    return [
        *found,
        Handle(
            "loop_start",
            start_ms + pace * sample.loop_start_ms,
            -4.0,
            "Drag where the loop begins." + _FREE,
        ),
        Handle(
            "loop_end",
            start_ms + pace * sample.loop_end_ms,
            -4.0,
            "Drag where the loop goes back." + _FREE,
        ),
        Handle("loop_for", end_ms, -4.0, "Drag how long it goes round."),
    ]
