"""What the finder offers of an open kit: commands, pads, layers, kit gauges, and every gauge."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import TYPE_CHECKING

from puddle.kit.edits.addresses import Address, every_address
from puddle.kit.model.document import Pad
from puddle.stages.offers import Offer, offered
from puddle.views.search import Entry
from puddle.window.commands import COMMANDS, PAGES

if TYPE_CHECKING:
    from puddle.window.shell.shell import Shell

_PAGE, _PAD, _COMMAND, _STAGE, _LAYER, _GAUGE = range(6)


def entries(shell: Shell) -> list[Entry]:
    """Everything that can be reached now; commands that can do nothing now are left out."""
    return [
        *_commands(shell),
        *_stages(shell),
        *_pads(shell),
        *_gauges(shell),
    ]


def _commands(shell: Shell) -> Iterator[Entry]:
    for command in COMMANDS:
        action = shell.actions_by_id[command.id]
        if action.isEnabled() and command.id != "find":
            rank = _PAGE if command.id in PAGES else _COMMAND
            where = "page" if rank == _PAGE else command.menu
            yield Entry(action.text(), where, action.trigger, rank, command.keys)


def _stages(shell: Shell) -> Iterator[Entry]:
    """Every stage, for the row that Shape shows or shows first."""
    row = shell.page.properties.row
    if shell.session.pad is None:
        return
    for offer in offered():
        add = partial(_add_stage, shell, offer)
        yield Entry(f"Add {offer.words.lower()}", f"stage of {row.who}", add, _STAGE)


def _add_stage(shell: Shell, offer: Offer) -> None:
    shell.show_shape()
    shell.page.properties.add_stage(offer.process)


def _pads(shell: Shell) -> Iterator[Entry]:
    for pad in sorted(shell.session.kit.pads, key=lambda p: p.place):
        where = f"pad {pad.place + 1}, {pad.role}"
        yield Entry(pad.name, where, partial(_go, shell, pad), _PAD)
        for layer in pad.sound.layers:
            go = partial(_go, shell, pad, layer.id)
            yield Entry(layer.name, f"layer of {pad.name}", go, _LAYER)


def _go(shell: Shell, pad: Pad, layer_id: str | None = None) -> None:
    """Selects a pad, on whichever page is shown, or a layer, on Shape."""
    session = shell.session
    if session.kit.pad(pad.id) is None:
        session.told.emit(f"{pad.name} is no longer there.")
        return
    session.select_pad(pad.id)
    session.select_layer(layer_id)
    shell.shore.show_pad(pad.id)
    if layer_id is not None or shell.pages.currentWidget() is shell.start_page:
        shell.show_shape()


def _gauges(shell: Shell) -> Iterator[Entry]:
    kit = shell.session.kit
    for gauge in kit.gauges:
        if gauge.on_shore:
            go = partial(_focus_kit_gauge, shell, gauge.id)
            yield Entry(gauge.name, "kit gauge", go, _LAYER)
    for address in every_address(kit):
        yield Entry(
            f"{address.known.part} {address.known.label}".strip(),
            address.lies,
            partial(_reveal, shell, address),
            _GAUGE,
            value=address.text,
        )


def _reveal(shell: Shell, address: Address) -> None:
    shell.revealer.show(address.target())


def _focus_kit_gauge(shell: Shell, gauge_id: str) -> None:
    made = shell.shore.gauges.gauges.get(gauge_id)
    if made is not None:
        made.setFocus()
