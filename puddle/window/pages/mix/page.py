"""Mix: streams, the room, the analyzer, and what is selected."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from puddle.engine.names import MASTER as MASTER_NODE
from puddle.engine.names import pad_node, send_node
from puddle.kit import edits
from puddle.kit.edits import room, routing
from puddle.kit.model.bus import OUTPUTS, Output
from puddle.kit.model.document import PADS_PER_BANK, Kit, Pad
from puddle.views.streams import (
    MASTER,
    Place,
    Stream,
    bank_of,
    ids_of,
    laid_out,
    output_of,
    pad_place,
)
from puddle.window.pages.mix.analyzer_panel import AnalyzerPanel
from puddle.window.pages.mix.low_end_menu import LowEndMenu
from puddle.window.pages.mix.mixes_row import MixesRow
from puddle.window.pages.mix.place_menu import PlaceMenu
from puddle.window.pages.mix.room_plan import RoomPlan, far_of, send_of
from puddle.window.pages.mix.streams import Streams
from puddle.window.pages.mix.strip_panel import StripPanel
from puddle.window.pages.mix.told_levels import ToldLevels
from puddle.window.session.leveling import level_by_role
from puddle.window.session.mixes import Mixes
from puddle.window.session.mixing import Looks, Mixing
from puddle.window.session.session import Session
from puddle.window.session.tried_mix import TriedMix
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.controls import Aside, button, label, panel, toggle
from puddle.window.widgets.page_view import PageView

_FAR_STEP_DB = 0.5


class MixPage(PageView):
    """Four panels: streams, room, analyzer, and the strip of what is selected."""

    def __init__(self, session: Session, mixing: Mixing, mixes: Mixes, tried: TriedMix) -> None:
        super().__init__()
        self._session, self._mixing, self._mixes = session, mixing, mixes
        self._seen = False
        self._places: dict[str, Place] = {}
        self._streams: list[Stream] = []
        self.streams = Streams()
        self.plan = RoomPlan()
        self.mixes = MixesRow(session, mixes)
        self.low_end = LowEndMenu(session, tried, self)
        self.place_menu = PlaceMenu(session, self)
        self.analyzer = AnalyzerPanel(session, mixing.reset, self._ask_low, tried)
        self.low_end.listens.connect(self.analyzer.show_listening)
        self.analyzer.compared.changed.connect(self._compare)
        self._told = ToldLevels()
        self._selected = ("", "")  # pad and bus
        self.strip = StripPanel(session)
        upper = QSplitter(Qt.Orientation.Horizontal)
        upper.addWidget(self._streams_panel())
        upper.addWidget(self._room_panel())
        left = QSplitter(Qt.Orientation.Vertical)
        left.addWidget(upper)
        left.addWidget(self.analyzer)
        for splitter, sizes in ((upper, [560, 400]), (left, [380, 210])):
            splitter.setHandleWidth(12)
            splitter.setChildrenCollapsible(False)
            splitter.setSizes(sizes)
        self._splitters = {"mix upper": upper, "mix left": left}
        whole = self.side_by_side((left, self.strip), [864, 380], growing=0)
        self._splitters["mix"] = whole
        session.kit_changed.connect(self.show_kit)
        session.selection_changed.connect(self._follow_selection)
        mixing.levels_changed.connect(self._show_levels)
        mixing.looked.connect(self._show_looks)

    # Building.

    def _streams_panel(self) -> QWidget:
        side = QVBoxLayout()
        head = QHBoxLayout()
        head.addWidget(label("Streams", "title"))
        head.addWidget(Aside("wide is loud"), 1)
        head.addWidget(button("New bus", "A bus that pads and buses can flow into.", self.add_bus))
        self.rooms = button(
            "Rooms", "Adds a short room, a plate and a delay by the tempo, to be sent to.",
            self.add_rooms,
        )  # fmt: skip
        head.addWidget(self.rooms)
        self.level = button(
            "Level by role", "Brings every pad to the loudness of its role, in one step.",
            self._level_all,
        )  # fmt: skip
        head.addWidget(self.level)
        side.addLayout(head)
        self.streams.chosen.connect(self.choose)
        self.place_menu.routed.connect(self.route)
        self.place_menu.removed.connect(lambda: self.streams.select(MASTER))
        self.streams.routed.connect(self.route)
        self.streams.pulled.connect(self.pull)
        self.streams.menu_wanted.connect(self.place_menu.open)
        side.addWidget(self.streams, 1)
        side.addWidget(self.mixes)
        return panel(side)

    def _room_panel(self) -> QWidget:
        side = QVBoxLayout()
        head = QHBoxLayout()
        head.addWidget(label("Room", "title"), 1)
        self.sits = button(
            "As a drummer sits", "Pans every pad by its role, as an audience sees a drummer.",
            lambda: self._edit("Panned as a drummer sits", room.as_a_drummer_sits),
        )  # fmt: skip
        head.addWidget(self.sits)
        self.mirror = button(
            "Mirror", "Left and right exchanged, but of kick and bass.",
            lambda: self._edit("Left and right exchanged", room.mirrored),
        )  # fmt: skip
        head.addWidget(self.mirror)
        side.addLayout(head)
        self.plan.chosen.connect(lambda pad: self.choose(pad_place(pad)))
        self.plan.moved.connect(self._stand)
        self.plan.settled.connect(self._session.settle)
        side.addWidget(self.plan, 1)
        self.stool = toggle("from the stool", "The plan as the drummer sees it: mirrored.")
        self.stool.clicked.connect(self.plan.mirror)
        foot = QHBoxLayout()
        self.room_said = label("", "soft")
        foot.addWidget(self.room_said, 1)
        foot.addWidget(self.stool)
        side.addLayout(foot)
        return panel(side)

    # The frame.

    def splitters(self) -> dict[str, QSplitter]:
        return self._splitters

    def watch(self, seen: bool) -> None:
        """Levels and spectra are looked for only while somebody looks."""
        self._seen = seen
        self._mixing.watch(seen)
        if seen:
            self._follow_selection()
            self.show_kit()

    # Showing.

    def show_kit(self) -> None:
        """Places, streams, the room and the strip as the kit has them."""
        if not self._seen:
            return
        kit = self._session.kit
        pads = self._shown_pads()
        places, self._streams = laid_out(kit, pads)
        self._places = {place.id: place for place in places}
        self.streams.show_kit(places, self._streams)
        far = {pad: far_of(db) for pad, db in room.far_sends(kit).items()}
        self.plan.show_pads(pads, far, self.strip.pad_id)
        found = room.room_of(kit)
        self.room_said.setText(
            f"away: sent to {found.name}" if found is not None else "away needs a room: press Rooms"
        )
        names = {bus.name for bus in kit.buses}
        self.rooms.setEnabled(not set(routing.ROOMS) <= names)
        self.analyzer.compared.show_kit(kit)
        self._show_strip()

    def _shown_pads(self) -> tuple[Pad, ...]:
        """The pads of the selected one's bank."""
        pad, kit = self._session.pad, self._session.kit
        bank = pad.place // PADS_PER_BANK if pad is not None else 0
        return tuple(p for p in kit.pads if p.place // PADS_PER_BANK == bank)

    def _show_strip(self) -> None:
        place = self._places.get(self.streams.selected)
        if place is None:
            return
        pad, bus = ids_of(self._session.kit, place.id)
        self.strip.show_place(pad, bus, place.dye)
        self._selected = pad, bus
        self._compare()

    def _follow_selection(self) -> None:
        if self._seen and self._session.pad_id:
            place = pad_place(self._session.pad_id)
            if self.streams.selected.startswith(pad_place("")) or not self._places:
                self.streams.select(place)
                self.show_kit()

    def choose(self, place: str) -> None:
        """Selects a pad, a bus or the master."""
        if output_of(place) is not None:
            return  # of the card's outputs there is nothing to be set
        bank = bank_of(place)
        if bank is not None:  # its first pad, and so its pads one by one
            first = next(p for p in self._session.kit.pads if p.place // PADS_PER_BANK == bank)
            place = pad_place(first.id)
        self.streams.select(place)
        pad, _ = ids_of(self._session.kit, place)
        if pad and pad != self._session.pad_id:
            self._session.selection.select_pad(pad)
        self.show_kit()

    def _show_levels(self) -> None:
        mixing = self._mixing
        levels, peaks = {}, {}
        by_pad = {pad_place(p.id): mixing.pads.get(p.id, 0.0) for p in self._session.kit.pads}
        for stream in self._streams:
            if stream.node:
                levels[stream] = mixing.levels.get(stream.node, 0.0)
            elif bank_of(stream.source) is not None:
                levels[stream] = self._of_bank(stream)
            else:
                levels[stream] = by_pad.get(stream.source, 0.0)
            if stream.source in self._places and not stream.send and stream.node:
                peaks[stream.source] = levels[stream]
        peaks[MASTER] = mixing.levels.get(MASTER_NODE, 0.0)
        down = {name: max(own.values(), default=0.0) for name, own in mixing.reductions.items()}
        self.streams.show_levels(levels, self._told.told(peaks), down)
        self.strip.show_reductions(mixing.reductions)
        self.plan.show_levels(mixing.pads)

    def _of_bank(self, stream: Stream) -> float:
        """The loudest of a bank's pads that flow, or are sent, to where a stream goes."""
        bank, mixing = bank_of(stream.source), self._mixing
        own = [p for p in self._session.kit.pads if p.place // PADS_PER_BANK == bank]
        if stream.send:
            nodes = (send_node(pad_node(pad.id), stream.target) for pad in own)
            return max((mixing.levels.get(node, 0.0) for node in nodes), default=0.0)
        there = (pad.id for pad in own if (pad.bus or MASTER) == stream.target)
        return max((mixing.pads.get(pad, 0.0) for pad in there), default=0.0)

    def _show_looks(self, looks: Looks) -> None:
        if not self._seen:
            return
        engine = self._session.player.engine
        if engine is not None:
            other = self.analyzer.compared.other or self.streams.selected
            self.analyzer.show_looks(looks, self._dye(other), engine.rate_hz)

    def _dye(self, place: str) -> str:
        found = self._places.get(place)
        if found is not None:
            return found.dye
        pad = self._session.kit.pad(ids_of(self._session.kit, place)[0])
        return pad.dye if pad is not None else "ink"

    def _compare(self) -> None:
        """Which stream is analyzed, and which lies beside it."""
        kit, compared = self._session.kit, self.analyzer.compared
        other = ids_of(kit, compared.other) if compared.other else self._selected
        self._mixing.compare(ids_of(kit, compared.analyzed), other)

    # Edits.

    def _edit(self, name: str, change: Any) -> None:
        self._session.edit(name, change)
        self._session.settle()

    def route(self, source: str, target: str, sends: bool) -> None:
        """A pad or bus flows into a bus or the master, or is sent there."""
        pad, bus = ids_of(self._session.kit, source)
        into = "" if target == MASTER else target
        output = output_of(target)
        if not pad and not bus:
            return
        if output is not None:
            self._leave_on(bus, output)
            return
        who, where = self._places[source].name, self._places[target].name
        if sends:
            self._edit(f"{who}: sent to {where}", lambda kit: routing.set_send(kit, pad, bus, into))
        else:
            self._edit(f"{who}: flows into {where}", partial(_flowing, pad, bus, into))

    def pull(self, stream: Stream, target: str) -> None:
        """A stream goes to another place; to none a send ends, and what flows is the master's."""
        kit = self._session.kit
        pad, bus = ids_of(kit, stream.source)
        if target == stream.target or not (pad or bus):
            return
        if not stream.send:
            self.route(stream.source, target or MASTER, sends=False)
            return
        who, before = self._places[stream.source].name, self._places[stream.target].name
        if not target:
            self._edit(
                f"{who}: not sent to {before}",
                lambda kit: routing.remove_send(kit, pad, bus, stream.target),
            )
        elif target == MASTER or output_of(target) is not None:
            self._session.told.emit("What is sent goes to a bus: drop it on one.")
        else:
            self._edit(
                f"{who}: sent to {self._places[target].name} instead of {before}",
                lambda kit: routing.move_send(kit, pad, bus, stream.target, target),
            )

    def _leave_on(self, bus_id: str, output: Output) -> None:
        if not bus_id:
            self._session.told.emit("A bus leaves there: let the pad flow into one.")
            return
        name = edits.bus_of(self._session.kit, bus_id).name
        self._edit(
            f"{name}: leaves on {output}", lambda kit: edits.set_bus(kit, bus_id, output=output)
        )

    def add_bus(self) -> None:
        """A new bus, named by the person."""
        taken = {bus.name for bus in self._session.kit.buses}
        free = next(f"Bus {n}" for n in range(1, 1000) if f"Bus {n}" not in taken)
        name = ask_name(self, "A new bus", "Name of the bus:", free)
        if name is not None:
            made = self._session.make(f"New bus {name}", lambda kit: edits.add_bus(kit, name))
            if made is not None:
                self.choose(made.id)

    def _ask_low(self) -> None:
        low = self.analyzer.low
        self.low_end.ask(low.mapToGlobal(low.rect().topLeft()))

    def _level_all(self) -> None:
        level_by_role(self._session, [p for p in self._session.kit.pads if p.sound.layers])

    def add_rooms(self) -> None:
        """The three rooms, in one step."""
        self._edit("Rooms", routing.add_rooms)

    def _stand(self, pad_id: str, pan: float, far: float) -> None:
        found = send_of(far)
        send_db = None if found is None else round(found / _FAR_STEP_DB) * _FAR_STEP_DB
        name = edits.pad_of(self._session.kit, pad_id).name
        self._session.edit(
            f"{name}: placed", lambda kit: room.stood(kit, pad_id, pan, send_db), ("room", pad_id)
        )


def _flowing(pad: str, bus: str, into: str, kit: Kit) -> Kit:
    """A pad or bus that flows somewhere; a bus then leaves on no output of its own."""
    kit = routing.flow_into(kit, pad, bus, into)
    return edits.set_bus(kit, bus, output=OUTPUTS[0]) if bus else kit
