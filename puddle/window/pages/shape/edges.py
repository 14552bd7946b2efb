"""What a drag on a layer's canvas does to the kit: its place, edges, fades, loop and envelope."""

from __future__ import annotations

from typing import Any

import numpy as np

from puddle.kit import edits
from puddle.kit.model.document import Layer, Sample
from puddle.measure.snap import nearest, zero_crossing
from puddle.parameter import parameter
from puddle.units import with_unit
from puddle.views.handles import Drag, Landing, ahead, tune_ratio
from puddle.views.sound import SoundView
from puddle.window.session.session import Session

_SHORTEST_SAMPLE_MS = 1.0
_ZERO_MS = 4.0  # in which a zero crossing is looked for: half a wave of 125 Hz
_ONSET, _ZERO = "on its onset", "on a zero crossing"
_OF_SOURCE = ("fade_in", "fade_out", "loop_start", "loop_end", "loop_for")


class Edges:
    """Turns drags into edits; what it snaps to is what was there when the handle was taken."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._taken: tuple[Layer, SoundView | None] | None = None

    def let_go(self) -> None:
        """The hand is off: the next drag begins anew."""
        self._taken = None
        self._session.settle()

    def drag(self, layer_id: str, drag: Drag) -> Landing | None:
        """A handle has moved, by so much since it was taken; what that makes of it."""
        session = self._session
        layer = session.layer if session.selection.layer_id == layer_id else None
        if layer is None:
            return None
        if self._taken is None or self._taken[0].id != layer_id:
            self._taken = (layer, session.looks.view)
        start, view = self._taken
        if drag.what in ("offset", "reset offset"):
            return self._move(start, view, drag)
        if drag.what in ("start", "end"):
            return self._trim(start, view, drag)
        if drag.what in _OF_SOURCE:
            return self._set_source(start, view, drag)
        return self._set_envelope(start, view, drag)

    def _move(self, start: Layer, view: SoundView | None, drag: Drag) -> Landing:
        """The layer in time: its onset goes to one of another layer where that is near."""
        by, snapped, target = drag.by_ms, "", None
        known = parameter(Layer, "offset_ms")
        own = view.onsets_ms.get(start.id, ()) if view else ()
        if view is not None and own and drag.reach_ms > 0.0:
            others = {
                ms: key for key, found in view.onsets_ms.items() if key != start.id for ms in found
            }
            target = nearest(list(others), own[0] + by, drag.reach_ms)
            target = ahead(target, own[0], own[0] + by)
            if target is not None:
                by, snapped = target - own[0], f"on {self._name(others[target])}'s onset"
        value = known.clamped(start.offset_ms + by if drag.what == "offset" else 0.0)
        text = f"offset {known.text(value)}"
        self._edit(start, drag.what, text, offset_ms=value)
        return Landing(text, snapped, target)

    def _name(self, layer_id: str) -> str:
        pad = self._session.pad
        layers = pad.sound.layers if pad is not None else ()
        return next((layer.name for layer in layers if layer.id == layer_id), "another layer")

    def _edit(self, layer: Layer, what: str, told: str, **values: Any) -> None:
        pad = self._session.pad_id
        self._session.edit(
            f"{layer.name}: {told}",
            lambda kit: edits.set_layer(kit, pad, layer.id, **values),
            ("lane", what, layer.id),
        )

    def _edit_source(self, layer: Layer, what: str, told: str, **values: Any) -> None:
        pad = self._session.pad_id
        self._session.edit(
            f"{layer.name}: {told}",
            lambda kit: edits.set_source(kit, pad, layer.id, **values),
            ("lane", what, layer.id),
        )

    def _trim(self, start: Layer, view: SoundView | None, drag: Drag) -> Landing | None:
        """Moves an edge of a sample's region; reversed, the edges change places."""
        source, what = start.source, drag.what
        if not isinstance(source, Sample):
            return None
        content = self._session.kit.content(source.content)
        length = content.length_ms if content else source.end_ms
        pace = tune_ratio(start) * 100.0 / source.stretch
        by_source = drag.by_ms * pace
        if source.reverse:
            what, by_source = ("end" if what == "start" else "start"), -by_source
        end = min(source.end_ms, length)
        taken = source.start_ms if what == "start" else end
        free = taken + by_source
        value, snapped = self._snapped_trim(start, source, view, free, drag.reach_ms * pace)
        if ahead(value, taken, free) is None:
            value, snapped = free, ""
        if what == "start":
            value = min(max(0.0, value), end - _SHORTEST_SAMPLE_MS)
        else:
            value = min(max(source.start_ms + _SHORTEST_SAMPLE_MS, value), length)
        told = f"{what} {with_unit(value, 'ms', 1)}"
        self._edit_source(start, drag.what, told, **{f"{what}_ms": value})
        return Landing(told, snapped)

    def _snapped_trim(
        self, layer: Layer, source: Sample, view: SoundView | None, value: float, reach: float
    ) -> tuple[float, str]:
        """An edge on an onset that is near, else where the recording itself crosses zero."""
        recording = view.recordings.get(layer.id) if view else None
        if view is None or recording is None or reach <= 0.0:
            return value, ""
        if not source.reverse:
            pace = tune_ratio(layer) * 100.0 / source.stretch
            from_ms = view.starts_ms[layer.id]
            found = view.onsets_ms.get(layer.id, ())
            onset = nearest([source.start_ms + (ms - from_ms) * pace for ms in found], value, reach)
            if onset is not None:
                return onset, _ONSET
        return _on_zero(recording.audio, recording.rate_hz, value), _ZERO

    def _snapped(
        self, layer: Layer, view: SoundView | None, drag: Drag
    ) -> tuple[float, str, float | None]:
        """By how much a point moves that lands on the layer's onset, or where it crosses zero."""
        audio = view.layers.get(layer.id) if view else None
        if view is None or audio is None or drag.reach_ms <= 0.0 or drag.what == "loop_for":
            return drag.by_ms, "", None
        at, snapped = drag.from_ms + drag.by_ms, _ONSET
        target = nearest(view.onsets_ms.get(layer.id, ()), at, drag.reach_ms)
        if target is None:
            target, snapped = _on_zero(audio, view.rate_hz, at), _ZERO
        if target == at or ahead(target, drag.from_ms, at) is None:
            return drag.by_ms, "", None
        return target - drag.from_ms, snapped, target

    def _set_source(self, start: Layer, view: SoundView | None, drag: Drag) -> Landing | None:
        """Fades and loop points, in the time of the region before it is tuned."""
        source, field = start.source, f"{drag.what}_ms"
        if not isinstance(source, Sample):
            return None
        way = -1.0 if drag.what == "fade_out" else 1.0
        known = parameter(Sample, field)
        by, snapped, at_ms = self._snapped(start, view, drag)
        value = known.clamped(getattr(source, field) + way * by * tune_ratio(start))
        told = f"{known.part} {known.label}".strip().lower() + f" {known.text(value)}"
        self._edit_source(start, drag.what, told, **{field: value})
        return Landing(told, snapped, at_ms)

    def _set_envelope(self, start: Layer, view: SoundView | None, drag: Drag) -> Landing:
        pad = self._session.pad_id
        field = f"{drag.what}_ms"
        known = parameter(type(start.envelope), field)
        by, snapped, at_ms = self._snapped(start, view, drag)
        value = known.clamped(getattr(start.envelope, field) + by)
        told = f"{drag.what} {known.text(value)}"
        self._session.edit(
            f"{start.name}: {told}",
            lambda kit: edits.set_envelope(kit, pad, start.id, **{field: value}),
            ("lane", drag.what, start.id),
        )
        return Landing(told, snapped, at_ms)


def _on_zero(audio: np.ndarray, rate_hz: float, ms: float) -> float:
    """The nearest zero crossing of float32 (frames, 2), both sides together; else the time."""
    per_ms = rate_hz / 1000.0
    reach = _ZERO_MS * per_ms
    first = max(0, int(ms * per_ms - reach) - 2)
    mono = audio[first : int(ms * per_ms + reach) + 4].sum(axis=1)
    found = zero_crossing(mono, ms * per_ms - first, reach)
    return ms if found is None else (first + found) / per_ms
