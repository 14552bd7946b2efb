"""The right side of Map: the pad's lines, how it plays and answers, alternates, kit gauges."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from puddle.kit import edits
from puddle.kit.edits.links import unlinked
from puddle.kit.edits.response import set_preset, set_response
from puddle.kit.edits.several import for_each, set_pads
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, Pad, Point
from puddle.kit.playing.response import PRESETS, preset_of
from puddle.parameter import Parameter, changed
from puddle.units import note_name
from puddle.window.editors.alternate_lines import AlternateLines, Sources
from puddle.window.editors.assigner import Assigner, Offers
from puddle.window.editors.gauge_lines import GaugeLines
from puddle.window.editors.pad_lines import PadLines
from puddle.window.session.measuring import measured_root
from puddle.window.session.session import Session
from puddle.window.widgets.controls import (
    button,
    clear,
    column,
    elided,
    label,
    panel,
    put_away,
    scrolled,
    tab,
)
from puddle.window.widgets.fields import Fields
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.response_curve import ResponseCurve

TABS = ("Pad", "Trigger", "Velocity", "Alternates", "Gauges")
_OWN = "drawn"
_GATED = ("attack_ms", "decay_ms", "sustain", "release_ms")


def _set_sound(values: dict[str, Any], kit: Kit, pad_id: str) -> Kit:
    return edits.set_sound(kit, pad_id, **values)


def _without_effect(pad: Pad) -> list[tuple[str, bool, str]]:
    """Rows that may say nothing: whether they do, and why not."""
    gated, mono = pad.trigger == "gate", pad.limit == 1
    glides = mono and pad.glide != "off"
    return [
        *((field, gated, "Only a pad that is a gate has an envelope.") for field in _GATED),
        ("glide", mono, "Only a pad of one voice glides: set Voices to 1."),
        ("glide_ms", glides, "Glide is off." if mono else "Only a pad of one voice glides."),
        ("steals", pad.limit > 0, "Without a limit of voices none makes room."),
        ("root", pad.tracking > 0.0, "The pitch is fixed: let it follow keys first."),
    ]


class PadPanel(QWidget):
    """Tabs over what the selected pad is, and over the kit's gauges."""

    def __init__(self, session: Session, sources: Sources, ask_copies: Callable[[], None]) -> None:
        super().__init__()
        self._session = session
        self._ask_copies = ask_copies
        self._assigner = Assigner(session, self)
        self._shown: Any = None
        self.fields: list[tuple[Fields, Callable[[Pad], Any]]] = []
        self.tab = TABS[0]
        self.curve: ResponseCurve | None = None
        self.presets: QComboBox | None = None
        self._hit: float | None = None
        self.alternates = AlternateLines(session, sources)
        self.gauges = GaugeLines(session)
        side = QVBoxLayout()
        side.setContentsMargins(14, 12, 12, 10)
        self._title = elided("Pad", "title")
        side.addWidget(self._title)
        line = QHBoxLayout()
        line.setSpacing(0)
        self.tabs = {}
        for name in TABS:
            self.tabs[name] = tab(name)
            self.tabs[name].clicked.connect(lambda _, name=name: self.choose_tab(name))
            line.addWidget(self.tabs[name])
        line.addStretch(1)
        self.tabs[self.tab].setChecked(True)
        side.addLayout(line)
        self._body = column(margins=(0, 0, 6, 0), spacing=5)
        side.addWidget(scrolled(self._body), 1)
        side.addWidget(self.alternates, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(panel(side))
        self.setMinimumWidth(352)
        self._scroll = side.itemAt(2)

    def choose_tab(self, name: str) -> None:
        """Shows another tab."""
        self.tab = name
        self.tabs[name].setChecked(True)
        self.show_kit()

    def show_kit(self) -> None:
        """The selected pad as the kit has it; rows are made anew where they are others."""
        pad = self._session.pad
        self._title.setText(self._session.selection.who if pad is not None else "Pad")
        alternates = self.tab == "Alternates"
        self.alternates.setVisible(alternates)
        scroll = self._scroll.widget() if self._scroll is not None else None
        if scroll is not None:
            scroll.setVisible(not alternates)
        if alternates:
            self.alternates.show_pad(pad)
            return
        key = self._key(pad)
        if key != self._shown:
            self._shown = key
            self._rebuild(pad)
        if self.tab == "Gauges":
            self.gauges.show_kit()
        if pad is None:
            return
        for fields, struct in self.fields:
            fields.show_values(struct(pad))
            for field, on, why in _without_effect(pad):
                fields.enable(field, on, why)
        if self.curve is not None and self.presets is not None:
            self.curve.show_curve(pad.response, pad.velocity_amount)
            self.presets.setCurrentText(preset_of(pad) or _OWN)

    def _key(self, pad: Pad | None) -> Any:
        kit, layer = self._session.kit, self._session.layer
        if self.tab == "Gauges":
            return self.tab
        if pad is None:
            return (self.tab, "")
        buses = tuple((bus.id, bus.name) for bus in kit.buses)
        others = tuple(p.notes for p in kit.pads)
        return (self.tab, pad.id, pad.role, pad.bus, others, pad.link, layer and layer.id, buses)

    def show_hit(self, velocity: float | None) -> None:
        """Marks the last strike on the curve."""
        self._hit = velocity
        if self.curve is not None:
            self.curve.show_hit(velocity)

    def _rebuild(self, pad: Pad | None) -> None:
        put_away(self.gauges, self)
        clear(self._body)
        self.fields, self.curve, self.presets = [], None, None
        if self.tab == "Gauges":
            self._body.addWidget(self.gauges)
            self.gauges.show()
            return
        if pad is None:
            self._body.addWidget(label("Click an empty place below for a new sound.", "soft"))
        elif self.tab == "Pad":
            self._build_pad(pad)
        elif self.tab == "Trigger":
            self._build_trigger(pad)
        else:
            self._build_velocity(pad)
        self._body.addStretch(1)

    def _build_pad(self, pad: Pad) -> None:
        self._body.addWidget(PadLines(self._session, pad))
        if pad.link is not None:
            self._add_link(pad)
        self.copies = button(
            "Copy to more pads …",
            "Copies of this sound at intervals, or along a scale, on the next free places.",
            self._ask_copies,
        )
        self._body.addWidget(self.copies)
        self._add_pad_fields(pad, "")
        self._add_sound_fields(pad, "")

    def _add_link(self, pad: Pad) -> None:
        link = pad.link
        source = self._session.kit.pad(link.pad) if link is not None else None
        if link is None or source is None:
            return
        line = QHBoxLayout()
        says = f"follows {source.name}, {link.semitones:+g} st"
        line.addWidget(label(says, "soft"), 1)
        self.unlink = button(
            "Let it go its own way",
            "The copy stays as it sounds now, and follows no longer.",
            lambda: self._session.edit(
                f"{pad.name} goes its own way", lambda kit: unlinked(kit, pad.id)
            ),
        )
        line.addWidget(self.unlink)
        self._body.addLayout(line)

    def _build_trigger(self, pad: Pad) -> None:
        for part in ("Trigger", "Gate", "Voices", "Pitch", "Choke"):
            self._add_pad_fields(pad, part)
            if part == "Pitch":
                self._body.addWidget(
                    button(
                        "Root from pitch",
                        "Sets the root to the sound's measured pitch, so that each key plays its "
                        "own note.",
                        self.root_from_pitch,
                    )
                )
        kit = self._session.kit
        self._body.addWidget(label("Kit's key", "title"))
        fields = Fields(kit.key, self._set_key, self._session.settle)
        self._body.addWidget(fields)
        self.fields.append((fields, lambda _: self._session.kit.key))

    def _build_velocity(self, pad: Pad) -> None:
        session = self._session
        head = QHBoxLayout()
        head.addWidget(label("Response", "soft"), 1)
        self.presets = QComboBox()
        self.presets.addItems([*PRESETS, _OWN])
        self.presets.setAccessibleName("Response preset")
        self.presets.setToolTip("Curves to start from; draw your own below.")
        self.presets.textActivated.connect(self._set_preset)
        head.addWidget(self.presets)
        self._body.addLayout(head)
        self.curve = ResponseCurve()
        self.curve.moved.connect(self._set_curve)
        self.curve.settled.connect(session.settle)
        self.curve.show_hit(self._hit)
        self._body.addWidget(self.curve)
        self._add_pad_fields(pad, "Velocity", headings=False)
        self._add_sound_fields(pad, "Velocity", headings=False)
        layer = session.layer
        if layer is None:
            more = label("Click a rung for the velocities of its layer.", "soft")
            more.setWordWrap(True)
            self._body.addWidget(more)
            return
        self._body.addWidget(label(f"Layer {layer.name}", "title"))

        def of_layer(kit: Kit, pad_id: str, **values: Any) -> Kit:
            return edits.set_layer(kit, pad_id, layer.id, **values)

        self._add(
            layer.name,
            lambda p: edits.layer_of(self._session.kit, p.id, layer.id),
            of_layer,
            pad.id,
            parts=("Velocity",),
            offers=self._assigner.offers(Address(of="layer", pad=pad.id, layer=layer.id)),
        )

    # Rows.

    def _add_pad_fields(self, pad: Pad, part: str, **kept: Any) -> None:
        offers = self._assigner.offers(Address(of="pad", pad=pad.id))
        self._add(
            pad.name, lambda p: p, edits.set_pad, pad.id, parts=(part,), offers=offers, **kept
        )

    def _add_sound_fields(self, pad: Pad, part: str, **kept: Any) -> None:
        offers = self._assigner.offers(Address(of="sound", pad=pad.id))
        self._add(
            pad.name,
            lambda p: p.sound,
            edits.set_sound,
            pad.id,
            parts=(part,),
            offers=offers,
            **kept,
        )

    def _add(
        self,
        who: str,
        struct: Callable[[Pad], Any],
        edit: Callable[..., Kit],
        pad_id: str,
        *,
        offers: Offers,
        **kept: Any,
    ) -> None:
        session = self._session

        def change(field: str, value: Any, known: Parameter) -> None:
            text = known.text(value) if isinstance(value, float) else str(value)
            what = f"{known.part} {known.label}".strip().lower()
            mark = (pad_id, who, field) if known.kind in ("number", "whole") else None
            values, ids = {field: value} | self._with_it(pad_id, field), session.selection.pads
            if edit is edits.set_pad:
                said, made = session.selection.who, partial(set_pads, pad_ids=ids, **values)
            elif edit is edits.set_sound:
                said = session.selection.who
                made = partial(for_each, pad_ids=ids, edit=partial(_set_sound, values))
            else:
                said, made = who, partial(edit, pad_id=pad_id, **values)
            session.edit(f"{said}: {what} {text}", made, mark)

        pad = edits.pad_of(session.kit, pad_id)
        fields = Fields(struct(pad), change, session.settle, offers=offers, **kept)
        self._body.addWidget(fields)
        self.fields.append((fields, struct))

    def _with_it(self, pad_id: str, field: str) -> dict[str, Any]:
        """A pad that begins to follow keys has its root where its sound measures."""
        pad, root = edits.pad_of(self._session.kit, pad_id), measured_root(self._session)
        begins = field == "tracking" and pad.tracking == 0.0 and root is not None
        return {"root": root} if begins else {}

    def root_from_pitch(self) -> None:
        """Moves the root to the measured pitch."""
        session, pad, root = self._session, self._session.pad, measured_root(self._session)
        if pad is None:
            return
        if root is None:
            session.told.emit(f"{pad.name} has no settled pitch to take the root from.")
            return
        session.edit(
            f"{pad.name}: root {note_name(root)}, as it measures",
            lambda kit: edits.set_pad(kit, pad.id, root=root),
        )

    def gauge_fields(self, field: str) -> Fields:
        """The rows that hold a field, of those that are shown."""
        return next(fields for fields, _ in self.fields if fields.has(field))

    def gauge(self, field: str) -> Gauge | None:
        """The gauge of a field, if the tab that is shown has one."""
        found = (fields.gauge(field) for fields, _ in self.fields if fields.has_gauge(field))
        return next(found, None)

    # Edits.

    def _set_key(self, field: str, value: Any, known: Parameter) -> None:
        self._session.edit(
            f"Kit's {known.label.lower()} {value}",
            lambda kit: edits.set_kit(kit, key=changed(kit.key, **{field: value})),
        )

    def _set_preset(self, name: str) -> None:
        pad = self._session.pad
        if pad is not None and name in PRESETS:
            self._session.edit(
                f"{self._session.selection.who}: response {name}",
                lambda kit: for_each(
                    kit, self._session.selection.pads, lambda made, key: set_preset(made, key, name)
                ),
            )

    def _set_curve(self, points: tuple[Point, ...]) -> None:
        pad = self._session.pad
        if pad is not None:
            self._session.edit(
                f"{self._session.selection.who}: response drawn",
                lambda kit: for_each(
                    kit,
                    self._session.selection.pads,
                    lambda made, key: set_response(made, key, points),
                ),
                ("response", pad.id),
            )
