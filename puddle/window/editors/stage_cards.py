"""A row of stages at one place, as cards of which one is open; what can be added to it."""

from __future__ import annotations

from functools import partial
from itertools import groupby
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from puddle.kit.model.address import Of
from puddle.kit.model.document import Stage
from puddle.parameter import parameter
from puddle.stages import Equalizer
from puddle.stages.offers import Offer, offered
from puddle.window.editors.stage_card import Fill, StageCard
from puddle.window.widgets.controls import button, clear, label
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.passing import submenu

if TYPE_CHECKING:
    from puddle.stages.chain import Over


class StageRow(QWidget):
    """A row of stages at one place: a layer, a whole sound, a bus or the master."""

    value_changed = pyqtSignal(str, dict, object)  # stage id, values, Parameter or None
    level_changed = pyqtSignal(str, str, object, object)  # stage id, field, value, Parameter
    switch_changed = pyqtSignal(str, bool)
    key_changed = pyqtSignal(str, str)  # stage id, the id of what it listens to
    moved = pyqtSignal(str, int)
    removed = pyqtSignal(str)
    added = pyqtSignal(object)  # a process
    opened = pyqtSignal()
    band_chosen = pyqtSignal(str)
    hand_off = pyqtSignal()
    entered = pyqtSignal(str)  # a branch's own row is to be shown
    left = pyqtSignal()  # and the row that it stands in again
    sets_wanted = pyqtSignal()  # the menu of sets is about to be seen

    def __init__(self) -> None:
        super().__init__()
        self._cards: list[StageCard] = []
        # Fills the context menu of a gauge: stage id, what of it, the menu, the field.
        self.offers: Fill | None = None
        self._open_id = ""
        self.shows_hits = True  # whether what its stages do over the hit is known
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(7)
        self.back = button("", "Back to the row that the branch stands in.", self.left.emit)
        self.back.hide()
        self._layout.addWidget(self.back)
        self.inside = label("", "title")
        self.inside.hide()
        self._layout.addWidget(self.inside)
        self._list = QVBoxLayout()
        self._list.setSpacing(7)
        self._layout.addLayout(self._list)
        self._empty = label("No stages yet. Add one to shape what is heard here.", "soft")
        self._empty.setWordWrap(True)
        self._layout.addWidget(self._empty)
        self._menu = QMenu(self)
        self._fill_menu()
        self.add_button = button(
            "Add stage", "Puts another stage at the end of the row.", self._ask
        )
        foot = QHBoxLayout()
        foot.addWidget(self.add_button)
        self.sets_menu = QMenu(self)
        self.sets_menu.aboutToShow.connect(self.sets_wanted)
        self.sets_button = button(
            "Sets", "Rows of stages under a name: put one here, keep or copy this one.", self._show
        )
        foot.addWidget(self.sets_button)
        foot.addStretch(1)
        self._layout.addLayout(foot)

    def _fill_menu(self) -> None:
        for name, offers in groupby(offered(), lambda offer: offer.name):
            kinds = list(offers)
            menu = self._menu if len(kinds) == 1 else submenu(self._menu, name)
            for offer in kinds:
                action = menu.addAction(offer.kind or name)
                if action is not None:
                    action.triggered.connect(partial(self._add, offer))

    def _add(self, offer: Offer, *_: object) -> None:
        self.added.emit(offer.process)

    def _fill(self, stage_id: str, of: Of, menu: QMenu, field: str) -> None:
        if self.offers is not None:
            self.offers(stage_id, of, menu, field)

    def _ask(self) -> None:
        self._menu.popup(self.add_button.mapToGlobal(self.add_button.rect().bottomLeft()))

    def _show(self) -> None:
        self.sets_menu.popup(self.sets_button.mapToGlobal(self.sets_button.rect().bottomLeft()))

    @property
    def add_menu(self) -> QMenu:
        """What `Add stage` offers."""
        return self._menu

    def show_way(self, where: str, inside: str) -> None:
        """In a branch: the way back, to a row of that name, and where it is; empty outside."""
        self.back.setText(f"\u2039 Back to {where}")
        self.back.setVisible(bool(where))
        self.inside.setText(inside)
        self.inside.setVisible(bool(inside))

    def show_stages(
        self, stages: tuple[Stage, ...], rate_hz: float, keys: list[tuple[str, str]]
    ) -> None:
        """Shows a row; cards are made anew only when the row itself is another."""
        now = [(c.stage.id, type(c.stage.process)) for c in self._cards]
        if now != [(s.id, type(s.process)) for s in stages]:
            clear(self._list)
            self._cards = []
            for number, stage in enumerate(stages, 1):
                card = self._made_card(number, stage, rate_hz)
                self._cards.append(card)
                self._list.addWidget(card)
            if self._open_id not in [s.id for s in stages]:
                self._open_id = stages[0].id if stages else ""
            self._show_open()
        for card, stage in zip(self._cards, stages, strict=True):
            card.keys = keys
            card.show_stage(stage)
        self._empty.setVisible(not stages)

    def _made_card(self, number: int, stage: Stage, rate_hz: float) -> StageCard:
        made, own = StageCard(number, stage, rate_hz, self._fill), stage.id
        made.opened.connect(lambda: self.open(own))
        made.changed.connect(
            lambda values, parameter: self.value_changed.emit(own, values, parameter)
        )
        made.level_changed.connect(lambda *told: self.level_changed.emit(own, *told))
        made.settled.connect(self.hand_off)
        made.switched.connect(lambda on: self.switch_changed.emit(own, on))
        made.key_chosen.connect(lambda key: self.key_changed.emit(own, key))
        made.entered.connect(lambda: self.entered.emit(own))
        made.moved.connect(lambda by: self.moved.emit(own, number - 1 + by))
        made.removed.connect(lambda: self.removed.emit(own))
        made.band_wanted.connect(self.choose_band)
        return made

    def show_overs(self, overs: dict[str, Over], rate_hz: float) -> None:
        """What each stage does over the hit, by stage id."""
        for card in self._cards:
            card.show_over(overs.get(card.stage.id), rate_hz, self.shows_hits)

    def show_reductions(self, reductions: dict[str, float]) -> None:
        """Gain reductions in dB by stage id."""
        for card in self._cards:
            card.show_reduction(reductions.get(card.stage.id))

    def _show_open(self, band: str = "") -> None:
        for card in self._cards:
            card.set_open(card.stage.id == self._open_id, band)

    def open(self, stage_id: str) -> None:
        """Opens a stage and closes the others."""
        if stage_id != self._open_id:
            self._open_id = stage_id
            self._show_open()
            self.opened.emit()

    @property
    def open_stage(self) -> Stage | None:
        """The stage whose gauges are shown."""
        return next((c.stage for c in self._cards if c.stage.id == self._open_id), None)

    def gauge(self, stage_id: str, of: Of, field: str) -> Gauge | None:
        """A gauge of an open stage ("process" or "stage"), its band shown where it has bands."""
        card = next((c for c in self._cards if c.stage.id == stage_id), None)
        if card is not None and of == "process" and isinstance(card.stage.process, Equalizer):
            self.choose_band(parameter(Equalizer, field).part)
        made = None if card is None else card.fields if of == "process" else card.levels
        return made.gauge(field) if made is not None and made.has_gauge(field) else None

    @property
    def band(self) -> str:
        """The band whose gauges are shown, where an equalizer is open."""
        return next((c.band for c in self._cards if c.stage.id == self._open_id), "")

    @property
    def cards(self) -> list[StageCard]:
        """The cards in their order."""
        return self._cards

    def choose_band(self, name: str) -> None:
        """Shows one band of the open equalizer."""
        self._show_open(name)
        for card in self._cards:
            card.mark_band(name)
        self.band_chosen.emit(name)
