"""What each tab of the properties holds: of a source, of its tuning, of stages, of a pad."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import (
    QFrame,
    QVBoxLayout,
)

from puddle.kit import edits
from puddle.kit.edits.several import for_each, set_pads
from puddle.kit.model.address import Address, Of
from puddle.kit.model.document import Kit, Layer, Pad, Sample
from puddle.parameter import Parameter, parameter
from puddle.units import THIN, with_unit
from puddle.window.editors.assigner import Assigner
from puddle.window.editors.pad_lines import BusLines, PadLines
from puddle.window.editors.print_lines import PrintLines
from puddle.window.editors.stage_cards import StageRow
from puddle.window.editors.stage_row import RowEditor
from puddle.window.editors.tune_lines import TuneLines
from puddle.window.editors.voice_lines import VoiceLines
from puddle.window.session.printer import Printer
from puddle.window.session.session import Session
from puddle.window.widgets.controls import label
from puddle.window.widgets.fields import Fields

_LAYER_ELSEWHERE = ("on", "solo", "flip")


class PropertyTabs(QFrame):
    """Builds the tabs; whoever derives from it chooses which."""

    _session: Session
    _body: QVBoxLayout
    fields: Fields | None
    _strikes: Fields | None
    voice_lines: VoiceLines | None
    tune_lines: TuneLines | None
    print_lines: PrintLines | None
    assigner: Assigner
    row: RowEditor
    stages: StageRow
    _printer: Printer
    _shown: tuple[Any, ...]
    _tab: dict[str, str]

    @property
    def tab(self) -> str:
        """The tab that is shown."""
        return self._tab["layer" if self._session.layer is not None else "whole"]

    def _struct(self, pad: Pad, layer: Layer | None) -> Any:
        """The struct whose fields the tab shows."""
        if layer is not None:
            shown = {"Tune": layer, "Envelope": layer.envelope, "Band": layer.band}
            return shown.get(self.tab, layer.source)
        if self.tab == "Bus":
            return edits.bus_of(self._session.kit, pad.bus)
        return pad if self.tab == "Pad" else self._session.kit.master

    def _add_fields(
        self, struct: Any, edit: Callable[[Kit, str, Any], Kit], who: str, **kept: Any
    ) -> None:
        """The tab's gauges; `edit` makes a kit of a field's new value."""
        self.fields = self._made_fields(struct, edit, who, **kept)

    def _made_fields(
        self, struct: Any, edit: Callable[[Kit, str, Any], Kit], who: str, **kept: Any
    ) -> Fields:

        def change(field: str, value: Any, known: Parameter) -> None:
            shown = known.text(value) if isinstance(value, float) else str(value)
            if isinstance(value, bool):
                shown = "on" if value else "off"
            what = f"{known.part} {known.label}".strip().lower()
            name = f"{who or self._session.selection.who}: {what} {shown}"
            mark = (self._shown, field) if known.kind in ("number", "whole") else None
            self._session.edit(name, lambda kit: edit(kit, field, value), mark)

        fields = Fields(struct, change, self._session.settle, **kept)
        self._body.addWidget(fields)
        return fields

    def _build_source(self) -> None:
        session, layer = self._session, self._session.layer
        if layer is None:
            return
        pad, key = session.pad_id, layer.id
        highest: dict[str, float] = {}
        if isinstance(layer.source, Sample):
            content = session.kit.content(layer.source.content)
            if content is not None:
                facts = (
                    f"{with_unit(content.length_ms, 'ms', 0)}, "
                    f"{content.rate_hz / 1000:g}{THIN}kHz, "
                    f"{'stereo' if content.channels == 2 else 'mono'}"
                )
                self._body.addWidget(label(content.name))
                self._body.addWidget(label(facts, "soft"))
                length = content.length_ms
                highest = {"start_ms": length, "end_ms": length}
                highest |= {"fade_in_ms": min(length, 2000), "fade_out_ms": min(length, 5000)}
                heard = length * layer.source.stretch / 100.0
                highest |= {"loop_start_ms": heard, "loop_end_ms": heard}
                if content.printed is not None:
                    self._add_print(layer, offers_print=False)
        else:
            self.voice_lines = VoiceLines(session, layer, layer.source)
            self._body.addWidget(self.voice_lines)
        self._add_fields(
            layer.source,
            lambda kit, field, value: edits.set_source(kit, pad, key, **{field: value}),
            layer.name,
            highest=highest,
            offers=self.assigner.offers(Address(of="source", pad=pad, layer=key)),
            reach=None if isinstance(layer.source, Sample) else self._set_reach,
        )

    def _set_reach(self, field: str, amount: float) -> None:
        """How far velocity moves a parameter of the selected layer's voice."""
        session, layer = self._session, self._session.layer
        if layer is None:
            return
        pad, key = session.pad_id, layer.id
        known = parameter(type(layer.source), field)
        what = f"{known.part} {known.label}".strip().lower()
        session.edit(
            f"{layer.name}: velocity moves {what} {amount:+.0f} %",
            lambda kit: edits.set_reach(kit, pad, key, field, amount),
            ("reach", pad, key, field),
        )

    def _build_tune(self) -> None:
        pad, layer = self._session.pad, self._session.layer
        if pad is None:
            return
        self.tune_lines = TuneLines(self._session, pad, layer)
        self._body.addWidget(self.tune_lines)
        if layer is not None:
            self._add_fields(
                layer,
                lambda kit, field, value: edits.set_layer(kit, pad.id, layer.id, **{field: value}),
                layer.name,
                leave_out=_LAYER_ELSEWHERE,
                offers=self.assigner.offers(Address(of="layer", pad=pad.id, layer=layer.id)),
            )

    def _add_print(self, layer: Layer | None, *, offers_print: bool) -> None:
        self.print_lines = PrintLines(self._printer, layer, offers_print=offers_print)
        self._body.addWidget(self.print_lines)

    def _build_envelope(self) -> None:
        self._build_part(edits.set_envelope, "envelope")

    def _build_band(self) -> None:
        self._build_part(edits.set_band, "band")

    def _build_part(self, edit: Callable[..., Kit], of: Of) -> None:
        """Gauges of the part of a layer that the tab shows."""
        pad, layer = self._session.pad, self._session.layer
        if pad is None or layer is None:
            return
        self._add_fields(
            self._struct(pad, layer),
            lambda kit, field, value: edit(kit, pad.id, layer.id, **{field: value}),
            layer.name,
            offers=self.assigner.offers(Address(of=of, pad=pad.id, layer=layer.id)),
        )

    def _build_stages(self) -> None:
        self._body.addWidget(self.stages)
        self.stages.show()
        if self.tab == "Stages":
            self._add_print(self._session.layer, offers_print=True)

    def _build_live(self) -> None:
        says = label(
            "These run live on all that the pad plays, and can be keyed by other pads.", "soft"
        )
        says.setWordWrap(True)
        self._body.addWidget(says)
        self._build_stages()

    def _build_pad(self) -> None:
        pad = self._session.pad
        if pad is None:
            return
        self._body.addWidget(PadLines(self._session, pad))
        self._add_fields(
            pad,
            lambda kit, field, value: set_pads(kit, self._session.selection.pads, **{field: value}),
            "",
            parts=("", "Trigger", "Choke", "Velocity"),
            offers=self.assigner.offers(Address(of="pad", pad=pad.id)),
        )
        self._strikes = self._made_fields(
            pad.sound,
            lambda kit, field, value: for_each(
                kit,
                self._session.selection.pads,
                lambda made, key: edits.set_sound(made, key, **{field: value}),
            ),
            "",
            headings=False,
            offers=self.assigner.offers(Address(of="sound", pad=pad.id)),
        )
        more = label("How it plays, follows keys and answers to velocity is on Map.", "soft")
        more.setWordWrap(True)
        self._body.addWidget(more)

    def _build_bus(self) -> None:
        pad = self._session.pad
        if pad is None:
            return
        if not pad.bus:
            hint = label(
                "This pad goes straight to the master. Choose a bus under Pad to send it through "
                "one.",
                "soft",
            )
            hint.setWordWrap(True)
            self._body.addWidget(hint)
            return
        bus = edits.bus_of(self._session.kit, pad.bus)
        self._body.addWidget(BusLines(self._session, bus))
        self._add_fields(
            bus,
            lambda kit, field, value: edits.set_bus(kit, bus.id, **{field: value}),
            bus.name,
            offers=self.assigner.offers(Address(of="bus", bus=bus.id)),
        )
        self._body.addWidget(self.stages)
        self.stages.show()

    def _build_master(self) -> None:
        self._body.addWidget(label("The whole kit runs through this."))
        self._add_fields(
            self._session.kit.master,
            lambda kit, field, value: edits.set_master(kit, **{field: value}),
            "Master",
            offers=self.assigner.offers(Address(of="master")),
        )
        self._body.addWidget(self.stages)
        self.stages.show()
