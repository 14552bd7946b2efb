"""What is selected in the open kit: a pad and others beside it, a layer or the whole sound."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager
from typing import Any, Protocol

from puddle.kit.model.document import Kit, Layer, Pad


class Host(Protocol):
    """The session that a selection is of."""

    around: Callable[[], AbstractContextManager[None]]
    selection_changed: Any

    @property
    def kit(self) -> Kit:
        """The kit as it is now."""

    def show_pad(self, pad_id: str) -> None:
        """Has a pad drawn, as it is heard."""


class Selection:
    """The selected pads and layer, by id to survive edits; a neighbor replaces what is removed."""

    def __init__(self, session: Host) -> None:
        self._session = session
        self.pad_id = ""
        self.layer_id: str | None = None
        self._others: tuple[str, ...] = ()  # pads that are selected beside it, in their order
        self._place = 0  # of the selected pad: when it goes, the nearest is selected

    @property
    def pad(self) -> Pad | None:
        """The selected pad."""
        return self._session.kit.pad(self.pad_id)

    @property
    def layer(self) -> Layer | None:
        """The selected layer; None while the whole sound is selected."""
        pad = self.pad
        if pad is None or self.layer_id is None:
            return None
        return next((k for k in pad.sound.layers if k.id == self.layer_id), None)

    def begin(self, kit: Kit) -> None:
        """Another kit: its first pad."""
        self.pad_id = kit.pads[0].id if kit.pads else ""
        self.layer_id = None

    def follow(self, kit: Kit) -> None:
        """Drops ids that the edited kit no longer has."""
        pad = kit.pad(self.pad_id)
        if pad is None:
            pad = min(kit.pads, key=lambda p: abs(p.place - self._place), default=None)
            self.pad_id = pad.id if pad is not None else ""
            self.layer_id = None
        self._place = pad.place if pad is not None else 0
        if self.layer_id is not None and self.layer is None:
            self.layer_id = None

    @property
    def pads(self) -> tuple[str, ...]:
        """Every selected pad's id: the one that is shown first."""
        others = tuple(
            k for k in self._others if k != self.pad_id and self._session.kit.pad(k) is not None
        )
        return (self.pad_id, *others) if self.pad is not None else ()

    @property
    def who(self) -> str:
        """The selected pads in words, for the names of steps."""
        count = len(self.pads) - 1
        name = self.pad.name if self.pad is not None else "No pad"
        return f"{name} and {count} more" if count > 0 else name

    def add_pad(self, pad_id: str) -> None:
        """Selects another pad beside those that are, or takes it out again."""
        if pad_id == self.pad_id:
            if self._others:  # the next one is shown instead
                first, *rest = self._others
                self.select_pad(first)
                self._set_others(tuple(rest))
            return
        others = self._others
        out = pad_id in others
        self._set_others(tuple(k for k in others if k != pad_id) if out else (*others, pad_id))

    def select_range(self, pad_id: str) -> None:
        """Selects every pad from the one that is shown to another, by their places."""
        first, last = self.pad, self._session.kit.pad(pad_id)
        if first is None or last is None:
            return
        low, high = sorted((first.place, last.place))
        inside = sorted(
            (p for p in self._session.kit.pads if low <= p.place <= high and p is not first),
            key=lambda p: p.place,
        )
        self._set_others(tuple(p.id for p in inside))

    def _set_others(self, others: tuple[str, ...]) -> None:
        if others != self._others:
            self._others = others
            with self._session.around():
                self._session.selection_changed.emit()

    def select_pad(self, pad_id: str) -> None:
        """Shows a pad's whole sound, and selects no other."""
        alone, self._others = not self._others, ()
        if pad_id == self.pad_id and not alone:
            with self._session.around():
                self._session.selection_changed.emit()
        if pad_id != self.pad_id:
            self.pad_id, self.layer_id = pad_id, None
            pad = self.pad
            self._place = pad.place if pad is not None else self._place
            self._session.show_pad(pad_id)
            with self._session.around():
                self._session.selection_changed.emit()

    def select_layer(self, layer_id: str | None) -> None:
        """Shows a layer, or with None the whole sound."""
        if layer_id != self.layer_id:
            self.layer_id = layer_id
            with self._session.around():
                self._session.selection_changed.emit()
