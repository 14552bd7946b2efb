"""A row of stages: one line each with a small curve and the reduction; the selected one opens."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from itertools import groupby
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from puddle.kit.model.address import Of
from puddle.kit.model.document import Stage
from puddle.parameter import Parameter, parameter
from puddle.picture import Picture
from puddle.stages import Branch, Equalizer
from puddle.stages.offers import Offer, offered
from puddle.units import MINUS, THIN
from puddle.window import theme
from puddle.window.editors.key_box import KeyBox
from puddle.window.widgets.controls import button, clear, label, toggle
from puddle.window.widgets.fields import Fields
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.hit_strip import HitStrip
from puddle.window.widgets.picture import PictureView
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.spectrum import BANDS
from puddle.window.widgets.strokes import stroke

if TYPE_CHECKING:
    from puddle.stages.chain import Over

_SHUT_DB = 89.0


class Curve(QWidget):
    """A thumbnail of what a stage does."""

    def __init__(self, picture: Picture) -> None:
        super().__init__()
        self._picture = picture
        self.setFixedSize(QSize(46, 22))
        make_opaque(self)

    def show_picture(self, picture: Picture) -> None:
        """Draws another setting."""
        if picture != self._picture:
            self._picture = picture
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ground(painter, self)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("inset"))
        painter.drawRoundedRect(QRectF(self.rect()), 5, 5)
        stroke(painter, self._line(), theme.color("water"), 1.5)

    def _line(self) -> QPolygonF:
        width, height = self.width() - 4.0, self.height() - 4.0
        shown, places = self._picture, np.array(self._picture.points).reshape(-1, 2)
        xs = np.clip(shown.across.places(places[:, 0]), 0.0, 1.0)
        ys = np.clip(shown.upwards.places(places[:, 1]), 0.0, 1.0)
        return polygon(2.0 + width * xs, 2.0 + height * (1.0 - ys))


class StageCard(QFrame):
    """One stage: its line, and its gauges while it is open."""

    opened = pyqtSignal()

    def __init__(self, number: int, stage: Stage, rate_hz: float, row: StageRow) -> None:
        super().__init__()
        self.stage = stage
        self._row = row
        self._number = number
        self._rate_hz = rate_hz
        self.setObjectName("panel")
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(11, 6, 9, 6)
        self._layout.setSpacing(3)
        head = QHBoxLayout()
        head.setSpacing(5)
        noun = stage.process.noun.capitalize()
        self._title = label(f"{number}  {noun}")
        self._title.setStyleSheet("font-weight: bold;")
        head.addWidget(self._title)
        self._shown = stage.process.picture(rate_hz)
        self.curve = Curve(self._shown)
        head.addWidget(self.curve)
        head.addStretch(1)
        self.reduction = label("")
        self.reduction.setFont(theme.value_font(12))
        self.reduction.setStyleSheet(f"color: {theme.colors().coral};")
        self.reduction.setToolTip("The deepest gain reduction over the hit.")
        head.addWidget(self.reduction)
        says = f"Moves the {stage.process.noun} "
        which = f"{noun} {number}"
        head.addWidget(
            button(
                "↑", says + "up.", lambda: row.move_card(self, -1), flat=True, name=f"{which} up"
            )
        )
        head.addWidget(
            button(
                "↓", says + "down.", lambda: row.move_card(self, 1), flat=True, name=f"{which} down"
            )
        )
        head.addWidget(
            button(
                "×",
                f"Takes the {stage.process.noun} out.",
                lambda: row.remove(self),
                flat=True,
                name=f"Remove {which}",
            )
        )
        self.on = toggle("on", "Off lets the sound pass as it is.", f"{which} on")
        self.on.clicked.connect(lambda on: row.switched(self, bool(on)))
        head.addWidget(self.on)
        self._layout.addLayout(head)
        self.fields: Fields | None = None
        self.levels: Fields | None = None
        self.picture: PictureView | None = None
        self.inside: QPushButton | None = None
        self.key: KeyBox | None = None
        self.hit: HitStrip | None = None
        self._over: tuple[Over | None, float] = (None, 1.0)
        self._bands: dict[str, QPushButton] = {}
        self._band = ""
        self._slot = QVBoxLayout()
        self._layout.addLayout(self._slot)
        self.show_stage(stage)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.opened.emit()

    def set_open(self, is_open: bool, band: str = "") -> None:
        """Shows the gauges; of an equalizer those of one band."""
        shown = "water" if is_open else "line"
        self.setStyleSheet(f"#panel {{ border: 1px solid {theme.color(shown).name()}; }}")
        if not is_open:
            clear(self._slot)
            self.fields = self.levels = self.picture = self.inside = self.key = self.hit = None
            self._bands, self._band = {}, ""
            return
        if self.fields is not None and (not band or band == self._band):
            return
        clear(self._slot)
        self._bands = {}
        parts: tuple[str, ...] | None = None
        if isinstance(self.stage.process, Equalizer):
            self._band = band or self._band or "Bell 1"
            parts = (self._band,)
            self._slot.addLayout(self._band_pills())
        else:
            self._slot.addWidget(self._made_picture())
        self.hit = HitStrip(self.stage.process.noun)
        self._slot.addWidget(self.hit)
        if isinstance(self.stage.process, Branch):
            self._slot.addWidget(self._way_in())
        self.fields = Fields(
            self.stage.process,
            self._changed,
            self._row.settle,
            parts=parts,
            headings=False,
            offers=partial(self._row.fill, self.stage.id, "process"),
        )
        self._slot.addWidget(self.fields)
        if self.stage.process.keyable:
            self.key = KeyBox()
            self.key.chosen.connect(self._set_key)
            self._slot.addWidget(self.key)
        self._slot.addWidget(label("Levels and dry blend", "soft"))
        self.levels = Fields(
            self.stage,
            self._set_level,
            self._row.settle,
            leave_out=("on",),
            headings=False,
            offers=partial(self._row.fill, self.stage.id, "stage"),
        )
        self._slot.addWidget(self.levels)
        self._tell_inside()
        self._show_key()
        self.show_over(*self._over)

    def _show_key(self) -> None:
        if self.key is not None:
            self.key.show_keys(self._row.keys, self.stage.key)
        name = dict(self._row.keys).get(self.stage.key, "")
        noun = self.stage.process.noun.capitalize()
        self._title.setText(f"{self._number}  {noun}" + (f" ← {name[:14]}" if name else ""))
        self._title.setToolTip(f"Keyed by {name}." if name else "")

    def _set_key(self, key: str) -> None:
        self._row.key_changed.emit(self.stage.id, key)

    def _way_in(self) -> QPushButton:
        made = self.inside = button(
            "", "Shows the row of stages that lie in this branch.", self._enter,
            name="Stages of the branch",
        )  # fmt: skip
        return made

    def _enter(self) -> None:
        self._row.entered.emit(self.stage.id)

    def _tell_inside(self) -> None:
        if self.inside is not None and isinstance(self.stage.process, Branch):
            nouns = ", ".join(s.process.noun for s in self.stage.process.stages)
            self.inside.setText(
                f"Its stages: {nouns} \u203a" if nouns else "Its stages: none yet \u203a"
            )

    def _made_picture(self) -> PictureView:
        noun = self.stage.process.noun
        made = self.picture = PictureView(self._shown, f"Picture of the {noun}")
        made.moved.connect(lambda _, values: self._row.changed(self, values, None))
        made.settled.connect(self._row.settle)
        made.reset.connect(self._reset)
        return made

    def _reset(self, fields: tuple[str, ...]) -> None:
        kind = type(self.stage.process)
        self._row.changed(self, {f: parameter(kind, f).default for f in fields}, None)

    def _set_level(self, field: str, value: Any, parameter: Parameter) -> None:
        self._row.level_changed.emit(self.stage.id, field, value, parameter)

    def _band_pills(self) -> QVBoxLayout:
        """The bands of an equalizer, to choose the one whose gauges are shown."""
        lines = QVBoxLayout()
        lines.setSpacing(3)
        for names in (BANDS[:4], BANDS[4:]):
            line = QHBoxLayout()
            line.setSpacing(4)
            for band in names:
                pill = toggle(band.name, f"Shows the gauges of the {band.name.lower()}.")
                pill.setChecked(band.name == self._band)
                pill.clicked.connect(lambda _, name=band.name: self._row.choose_band(name))
                self._bands[band.name] = pill
                line.addWidget(pill, 1)
            lines.addLayout(line)
        return lines

    def _changed(self, field: str, value: Any, parameter: Parameter) -> None:
        self._row.changed(self, {field: value}, parameter)

    def show_stage(self, stage: Stage) -> None:
        """Shows new values of the same stage."""
        if stage.process is not self.stage.process:
            self._shown = stage.process.picture(self._rate_hz)
        self.stage = stage
        self.on.setChecked(stage.on)
        self.curve.show_picture(self._shown)
        if self.fields is not None:
            self.fields.show_values(stage.process)
        if self.levels is not None:
            self.levels.show_values(stage)
        self._tell_inside()
        self._show_key()
        if self.picture is not None:
            self.picture.show_picture(self._shown)

    def show_over(self, over: Over | None, rate_hz: float) -> None:
        """What the stage does over the hit."""
        self._over = (over, rate_hz)
        self.show_reduction(over.deepest_db if over is not None else None)
        if self.hit is not None:  # its room stays, so that nothing under it moves
            self.hit.setVisible(self._row.shows_hits)
            self.hit.show_over(over, rate_hz)

    def show_reduction(self, reduction_db: float | None) -> None:
        """The deepest reduction over the hit."""
        shown = reduction_db is not None and self.stage.on and reduction_db >= 0.05
        text = f"{MINUS}{reduction_db:.1f}{THIN}dB" if shown else ""
        self.reduction.setText("shut" if shown and (reduction_db or 0.0) >= _SHUT_DB else text)


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
        self.offers: Callable[[str, Of, QMenu, str], None] | None = None
        self.keys: list[tuple[str, str]] = []  # what its stages can listen to: (id, name)
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
            menu = self._menu if len(kinds) == 1 else self._menu.addMenu(name)
            for offer in kinds if menu is not None else ():
                action = menu.addAction(offer.kind or name) if menu is not None else None
                if action is not None:
                    action.triggered.connect(partial(self._add, offer))

    def _add(self, offer: Offer, *_: object) -> None:
        self.added.emit(offer.process)

    def fill(self, stage_id: str, of: Of, menu: QMenu, field: str) -> None:
        """What a gauge of a stage offers beside moving it."""
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
        self.keys = keys
        now = [(c.stage.id, type(c.stage.process)) for c in self._cards]
        if now != [(s.id, type(s.process)) for s in stages]:
            clear(self._list)
            self._cards = []
            for number, stage in enumerate(stages, 1):
                card = StageCard(number, stage, rate_hz, self)
                card.opened.connect(lambda card=card: self.open(card.stage.id))
                self._cards.append(card)
                self._list.addWidget(card)
            if self._open_id not in [s.id for s in stages]:
                self._open_id = stages[0].id if stages else ""
            self._show_open()
        for card, stage in zip(self._cards, stages, strict=True):
            card.show_stage(stage)
        self._empty.setVisible(not stages)

    def show_overs(self, overs: dict[str, Over], rate_hz: float) -> None:
        """What each stage does over the hit, by stage id."""
        for card in self._cards:
            card.show_over(overs.get(card.stage.id), rate_hz)

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
        return next((c._band for c in self._cards if c.stage.id == self._open_id), "")

    @property
    def cards(self) -> list[StageCard]:
        """The cards in their order."""
        return self._cards

    def choose_band(self, name: str) -> None:
        """Shows one band of the open equalizer."""
        self._show_open(name)
        for card in self._cards:
            for band, pill in card._bands.items():
                pill.setChecked(band == name)
        self.band_chosen.emit(name)

    # What cards report.

    def changed(self, card: StageCard, values: dict[str, Any], parameter: Parameter | None) -> None:
        """A gauge has moved, or without a parameter a handle of the picture."""
        self.value_changed.emit(card.stage.id, values, parameter)

    def settle(self) -> None:
        """A gauge was let go."""
        self.hand_off.emit()

    def switched(self, card: StageCard, on: bool) -> None:
        """A stage was switched."""
        self.switch_changed.emit(card.stage.id, on)

    def move_card(self, card: StageCard, by: int) -> None:
        """A stage is to move along the row."""
        self.moved.emit(card.stage.id, self._cards.index(card) + by)

    def remove(self, card: StageCard) -> None:
        """A stage is to go."""
        self.removed.emit(card.stage.id)
