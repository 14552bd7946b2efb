"""From the address of a gauge to the gauge itself: selects its pad, opens its tab, focuses it."""

from __future__ import annotations

from functools import partial

from PyQt6 import sip
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QScrollArea, QWidget

from puddle.errors import PuddleError
from puddle.kit.edits.address import parameter_at
from puddle.kit.model.address import Address
from puddle.views.streams import pad_place
from puddle.window.pages.shape.page import ShapePage
from puddle.window.pages.shape.properties import Properties
from puddle.window.session.session import Session
from puddle.window.shell.frame import Pages
from puddle.window.shore.shore import Shore
from puddle.window.widgets.gauge import Gauge

_TAB_OF = {"source": "Source", "layer": "Tune", "envelope": "Envelope", "band": "Band"}


class Revealer:
    """Shows gauges where they stand in the window."""

    def __init__(self, session: Session, pages: Pages, shore: Shore) -> None:
        self._session = session
        self._pages = pages
        self._shore = shore

    @property
    def _properties(self) -> Properties:
        page = self._pages.page("shape")
        assert isinstance(page, ShapePage)
        return page.properties

    def show(self, address: Address) -> Gauge | None:
        """The gauge of an address, with the focus; None where there is none, which is told."""
        try:
            parameter_at(self._session.kit, address)
        except PuddleError as error:
            self._session.told.emit(str(error))
            return None
        made = self._gauge(address)
        if made is not None:
            QTimer.singleShot(0, partial(_focus, made))  # once it has been laid out
        return made

    def _gauge(self, address: Address) -> Gauge | None:
        if address.of == "kit":
            return self._shore.transport.tempo
        self._select(address)
        if address.of == "send":
            return self._of_send(address)
        if address.of in ("pad", "sound"):
            return self._of_pad(address.field) or self._on_map(address.field)
        self._pages.show_page("shape")
        properties = self._properties
        properties.choose_tab(self._tab(address))
        if address.stage:
            return properties.row.gauge(address.branches, address.stage, address.of, address.field)
        return properties.gauge(address.field) or self._on_map(address.field)

    def _select(self, address: Address) -> None:
        """The pad, the layer; for a bus a pad that goes to it."""
        kit, session = self._session.kit, self._session
        pad = address.pad
        if address.bus:
            pad = next((p.id for p in kit.pads if p.bus == address.bus), "")
        if pad:
            session.selection.select_pad(pad)
            self._shore.show_pad(pad)
        session.selection.select_layer(address.layer or None)

    def _tab(self, address: Address) -> str:
        if address.bus:
            return "Bus"
        if address.of == "master" or not address.pad:
            return "Master"
        if address.stage:
            return "Live" if address.live else "Stages"
        return _TAB_OF[address.of]

    def _of_pad(self, field: str) -> Gauge | None:
        """Where Shape has it; then that page is shown, unless Map is and has it too."""
        if self._pages.current != "shape":
            found = self._on_map(field)
            if found is not None:
                return found
        self._properties.choose_tab("Pad")
        found = self._properties.gauge(field)
        if found is not None:
            self._pages.show_page("shape")
        return found

    def _of_send(self, address: Address) -> Gauge | None:
        from puddle.window.pages.mix.page import MixPage

        page = self._pages.page("mix")
        assert isinstance(page, MixPage)
        self._pages.show_page("mix")
        page.choose(pad_place(address.pad) if address.pad else address.bus)
        return page.strip.sends.get(address.to)

    def _on_map(self, field: str) -> Gauge | None:
        from puddle.window.pages.map.pad_panel import TABS
        from puddle.window.pages.map.page import MapPage

        page = self._pages.page("map")
        assert isinstance(page, MapPage)
        panel = page.pad
        for name in TABS:
            if name in ("Alternates", "Gauges"):
                continue
            panel.choose_tab(name)
            found = panel.gauge(field)
            if found is not None:
                self._pages.show_page("map")
                return found
        return None


def _focus(made: QWidget) -> None:
    if sip.isdeleted(made):
        return
    made.setFocus(Qt.FocusReason.ShortcutFocusReason)
    above = made.parentWidget()
    while above is not None:
        if isinstance(above, QScrollArea):
            above.ensureWidgetVisible(made)
        above = above.parentWidget()
