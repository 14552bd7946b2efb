"""What the finder offers of an open kit: commands, pads, layers, kit gauges, and every gauge."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from puddle.kit.edits.address import Control, every_control
from puddle.kit.model.document import Pad
from puddle.stages.offers import Offer, offered
from puddle.views.search import Entry
from puddle.window.commands import Context
from puddle.window.pages.shape.page import ShapePage
from puddle.window.session.session import Session
from puddle.window.shell.actions import Actions
from puddle.window.shell.frame import Pages
from puddle.window.shell.revealer import Revealer
from puddle.window.shore.shore import Shore

_PAGE, _PAD, _COMMAND, _STAGE, _LAYER, _GAUGE = range(6)


def entries(context: Context) -> list[Entry]:
    """Everything that can be reached now; commands that can do nothing now are left out."""
    return [
        *_commands(context),
        *_stages(context),
        *_pads(context),
        *_gauges(context),
    ]


def _commands(context: Context) -> Iterator[Entry]:
    actions, tabs = context.of(Actions), context.of(Pages).tabs
    for command in actions.commands:
        action = actions.by_id[command.id]
        if command.when(context) and command.id != "find":
            rank = _PAGE if command.id in tabs else _COMMAND
            where = "page" if rank == _PAGE else command.menu
            yield Entry(action.text(), where, action.trigger, rank, command.keys)


def _stages(context: Context) -> Iterator[Entry]:
    """Every stage, for the row that Shape shows or shows first."""
    if context.of(Session).pad is None:
        return
    context.of(Pages).page("shape")
    row = context.of(ShapePage).properties.row
    for offer in offered():
        add = partial(_add_stage, context, offer)
        yield Entry(f"Add {offer.words.lower()}", f"stage of {row.who}", add, _STAGE)


def _add_stage(context: Context, offer: Offer) -> None:
    context.of(Pages).show_page("shape")
    context.of(ShapePage).properties.add_stage(offer.process)


def _pads(context: Context) -> Iterator[Entry]:
    for pad in sorted(context.of(Session).kit.pads, key=lambda p: p.place):
        where = f"pad {pad.place + 1}, {pad.role}"
        yield Entry(pad.name, where, partial(_go, context, pad), _PAD)
        for layer in pad.sound.layers:
            go = partial(_go, context, pad, layer.id)
            yield Entry(layer.name, f"layer of {pad.name}", go, _LAYER)


def _go(context: Context, pad: Pad, layer_id: str | None = None) -> None:
    """Selects a pad, on whichever page is shown, or a layer, on Shape."""
    session, pages = context.of(Session), context.of(Pages)
    if session.kit.pad(pad.id) is None:
        session.told.emit(f"{pad.name} is no longer there.")
        return
    session.selection.select_pad(pad.id)
    session.selection.select_layer(layer_id)
    context.of(Shore).show_pad(pad.id)
    if layer_id is not None or pages.current == "start":
        pages.show_page("shape")


def _gauges(context: Context) -> Iterator[Entry]:
    kit = context.of(Session).kit
    for gauge in kit.gauges:
        if gauge.on_shore:
            go = partial(_focus_kit_gauge, context, gauge.id)
            yield Entry(gauge.name, "kit gauge", go, _LAYER)
    for control in every_control(kit):
        yield Entry(
            f"{control.known.part} {control.known.label}".strip(),
            control.lies,
            partial(_reveal, context, control),
            _GAUGE,
            value=control.text,
        )


def _reveal(context: Context, control: Control) -> None:
    context.of(Revealer).show(control.address)


def _focus_kit_gauge(context: Context, gauge_id: str) -> None:
    made = context.of(Shore).gauges.gauges.get(gauge_id)
    if made is not None:
        made.setFocus()
