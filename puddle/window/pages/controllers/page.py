"""Controllers: which are there, with which map, what strikes each pad, and what came in."""

from __future__ import annotations

import time
from collections import deque

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from puddle.kit.model.document import Pad
from puddle.kit.model.pad import PADS_PER_BANK
from puddle.midi.controller_map import table_of
from puddle.midi.messages import played, turned
from puddle.midi.table import NO_SLOT
from puddle.midi.wishes import Came
from puddle.units import note_name
from puddle.window import theme
from puddle.window.pages.controllers.gauges_panel import GaugesPanel
from puddle.window.pages.controllers.layouts import SHORE_ROWS
from puddle.window.pages.controllers.pad_rings import PadRings
from puddle.window.pages.controllers.ports_panel import PortsPanel
from puddle.window.pages.controllers.time_panel import TimePanel
from puddle.window.session.controlling import Controlling
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.controls import (
    button,
    column,
    elided,
    label,
    panel,
    scrolled,
    toggle,
)
from puddle.window.widgets.fields import Fields
from puddle.window.widgets.page_view import PageView
from puddle.window.widgets.response_curve import ResponseCurve

_MOST_SEEN = 7
_WRITE_MS = 30
_CHANNEL = 9
_NOTES_SHOWN = 3
_SHORT = {"key pressure": "press", "pressure": "press"}


def _told(message: bytes) -> str:
    """A message in words; nothing for a note that ends, and for what is no message of a channel."""
    note, one = played(message), turned(message)
    if note is not None:
        said = f"{note_name(note.note):>4} {note.note:3d}  v {note.velocity:3d}"
        return said if note.velocity else ""
    if one is None:
        return ""
    number = f" {one.number:3d}" if one.kind in ("control", "key pressure", "program") else ""
    value = f" {one.raw:4d}" if one.kind != "program" else ""
    return f"{_SHORT.get(one.kind, one.kind)}{number}{value}"


class ControllersPage(PageView):
    """Three panels: controllers, pads, and what came in with how hard it plays."""

    def __init__(self, session: Session, controlling: Controlling) -> None:
        super().__init__()
        self._session = session
        self.controlling = controlling
        self._port = ""
        self._seen = False
        self._came: deque[str] = deque(maxlen=_MOST_SEEN)
        self._write_soon = once_after(self, _WRITE_MS, self._write_came)
        self._fields: Fields | None = None
        self.ports = PortsPanel(session, controlling)
        self.ports.chosen.connect(lambda _: self.show_all())
        self.time = TimePanel(session, controlling.in_time)
        self.ports.below.addWidget(self.time)
        parts = (self.ports, self._pads_panel(), self._came_panel())
        self.side_by_side(parts, [280, 560, 360], growing=1)
        controlling.changed.connect(self.show_all)
        controlling.came.connect(self._take_in)
        session.kit_changed.connect(self.show_pads)
        session.selection_changed.connect(self.show_pads)

    # Building.

    def _pads_panel(self) -> QWidget:
        side = QVBoxLayout()
        head = QHBoxLayout()
        self.title = elided("", "title")
        head.addWidget(self.title, 1)
        self.teach = toggle(
            "Teach", "What is struck next strikes the selected pad, and the next pad is asked for."
        )
        self.teach.clicked.connect(self.controlling.teaching.set_on)
        head.addWidget(self.teach)
        self.layout_box = QComboBox()
        self.layout_box.setAccessibleName("Layout of the pads")
        self.layout_box.setToolTip("How the controller's pads lie.")
        self.layout_box.addItems(list(SHORE_ROWS))
        self.layout_box.textActivated.connect(self._set_layout)
        head.addWidget(self.layout_box)
        self.keep = button("Keep as …", "A copy of the map under a name of its own.", self._keep_as)
        head.addWidget(self.keep)
        side.addLayout(head)
        self.rings = PadRings(self._session.frames)
        self.rings.chosen.connect(self._choose_place)
        side.addWidget(self.rings, 1)
        self.gauges = GaugesPanel(self._session, self.controlling)
        side.addWidget(self.gauges)
        return panel(side)

    def _came_panel(self) -> QWidget:
        side = column()
        side.addWidget(label("What comes in", "title"))
        self.came = label("")
        self.came.setFont(theme.value_font())
        self.came.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.came.setAccessibleName("What came in")
        self.came.setMinimumHeight(124)
        # A long line ends at the edge: it does not widen what stands under it.
        self.came.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        side.addWidget(self.came)
        head = QHBoxLayout()
        head.addWidget(label("How hard", "title"), 1)
        self.measure = button(
            "Measure mine", "Asks for soft, medium and hard strokes, and bends the curve by them.",
            lambda: self.controlling.teaching.measure(self._port),
        )  # fmt: skip
        head.addWidget(self.measure)
        side.addLayout(head)
        self.asked = label("", "marked")
        side.addWidget(self.asked)
        self.curve = ResponseCurve()
        self.curve.moved.connect(lambda points: self._set("curve", points))
        self.curve.settled.connect(self._settle)
        side.addWidget(self.curve)
        self._rows = QVBoxLayout()
        side.addLayout(self._rows)
        side.addStretch(1)
        outer = QVBoxLayout()
        outer.addWidget(scrolled(side))
        return panel(outer)

    # Showing.

    def watch(self, seen: bool) -> None:
        """Looks for controllers from the first time that somebody looks."""
        self._seen = seen
        if seen:
            self.controlling.start()
            self._write_came()
            self.show_all()

    def end(self) -> None:
        """Ends the process that reads them."""
        self.controlling.close(wait=False)

    def show_all(self) -> None:
        """Ports, pads and the chosen controller's map."""
        if not self._seen:
            return
        self.ports.show_ports()
        self.time.show_time(self.controlling.there)
        self._port = self.ports.port
        self._show_map()
        self.show_pads()
        self.gauges.show_port(self._port)

    def _show_map(self) -> None:
        has = bool(self._port)
        for made in (self.teach, self.keep, self.measure, self.curve, self.layout_box):
            made.setEnabled(has)
        self.teach.setChecked(self.controlling.teaching.on)
        asked = self.controlling.teaching.asked_for(self._port)
        self.asked.setText(f"Strike {asked}, a few times." if asked else "")
        self.asked.setVisible(bool(asked))
        if self._fields is not None:
            self._fields.setVisible(has)
        if not has:
            self.title.setText("No controller")
            return
        known = self.controlling.maps.of(self._port)
        on = f" on {self._port}" if known.name != self._port else ""
        self.title.setText(known.name + on)
        self.layout_box.setCurrentText(known.layout)
        self.curve.show_curve(known.curve, 100.0)
        if self._fields is None:
            self._fields = Fields(
                known,
                lambda field, value, _: self._set(field, value),
                self._settle,
                leave_out=("layout",),
            )
            self._rows.addWidget(self._fields)
        else:
            self._fields.show_values(known)

    def show_pads(self) -> None:
        """The bank's pads with the notes that strike them."""
        if not self._seen:
            return
        session = self._session
        bank = self._bank()
        inside = [
            (p.place - bank, p) for p in session.kit.pads if 0 <= p.place - bank < PADS_PER_BANK
        ]
        pad = session.pad
        selected = pad.place - bank if pad is not None else -1
        notes = self._notes() if self._port else {}
        if self._port:
            keys = {place: int(notes[p.id].split()[0]) for place, p in inside if p.id in notes}
            self.rings.show_layout(self.controlling.maps.of(self._port).layout, keys)
        self.rings.show_bank(inside, notes, selected, self.controlling.teaching.on)

    def _bank(self) -> int:
        """The first place of the selected pad's bank."""
        pad = self._session.pad
        return pad.place // PADS_PER_BANK * PADS_PER_BANK if pad is not None else 0

    def _notes(self) -> dict[str, str]:
        """What strikes each pad, by its id."""
        kit = self._session.kit
        number = {pad.id: n for n, pad in enumerate(kit.pads)}
        table = table_of(self.controlling.maps.of(self._port), kit, number.__getitem__)
        found: dict[str, list[int]] = {}
        for note, index in enumerate(table.slots[_CHANNEL].tolist()):
            if index != NO_SLOT:
                found.setdefault(kit.pads[index].id, []).append(note)
        return {
            pad_id: " ".join(map(str, notes[:_NOTES_SHOWN]))
            + (" …" if notes[_NOTES_SHOWN:] else "")
            for pad_id, notes in found.items()
        }

    def _take_in(self, came: Came, did: str, pad_id: str) -> None:
        said = _told(came.message)
        if not said:
            return
        self._came.appendleft(f"{time.strftime('%M:%S')} {said}  {did}")
        if not self._seen:
            return
        if not self._write_soon.isActive():
            self._write_soon.start()
        struck = self._session.kit.pad(pad_id)
        if struck is not None:
            self._ring(struck)

    def _write_came(self) -> None:
        self.came.setText("\n".join(self._came))
        self.gauges.show_port(self._port)

    def _ring(self, pad: Pad) -> None:
        place = pad.place - self._bank()
        if 0 <= place < PADS_PER_BANK:
            self.rings.ring(place)

    # What a hand does.

    def _choose_place(self, place: int) -> None:
        wanted = self._bank() + place
        pad = next((p for p in self._session.kit.pads if p.place == wanted), None)
        if pad is not None:
            self._session.selection.select_pad(pad.id)

    def _set(self, field: str, value: object) -> None:
        if self._port:
            self.controlling.maps.set(self._port, field, value)

    def _set_layout(self, layout: str) -> None:
        self._set("layout", layout)
        self._settle()
        self.show_pads()

    def _settle(self) -> None:
        if self._port:
            self.controlling.maps.settle(self._port, "changed")

    def _keep_as(self) -> None:
        now = self.controlling.maps.of(self._port).name
        name = ask_name(self, "Keep the map", "Name of the map:", now)
        if name:
            self.controlling.maps.keep_as(self._port, name)
