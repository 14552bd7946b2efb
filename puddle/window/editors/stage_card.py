"""A stage as a card: its line with a small curve and the reduction; open, its gauges."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
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
from puddle.units import MINUS, THIN
from puddle.window import theme
from puddle.window.editors.key_box import KeyBox
from puddle.window.widgets.controls import button, clear, elided, label, toggle
from puddle.window.widgets.fields import Fields
from puddle.window.widgets.grounds import make_opaque, paint_ground
from puddle.window.widgets.hit_strip import HitStrip
from puddle.window.widgets.picture import PictureView
from puddle.window.widgets.polygons import polygon
from puddle.window.widgets.spectrum import BANDS
from puddle.window.widgets.strokes import stroke

if TYPE_CHECKING:
    from puddle.stages.chain import Over

_SHUT_DB = 89.0
Fill = Callable[[str, Of, QMenu, str], None]  # stage id, what of it, the menu, the field


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
    moved = pyqtSignal(int)  # by so many places
    removed = pyqtSignal()
    switched = pyqtSignal(bool)
    changed = pyqtSignal(dict, object)  # values, and the Parameter of a gauge; None for a handle
    level_changed = pyqtSignal(str, object, object)  # field, value, Parameter
    settled = pyqtSignal()
    key_chosen = pyqtSignal(str)
    entered = pyqtSignal()  # a branch's own row is to be shown
    band_wanted = pyqtSignal(str)

    def __init__(self, number: int, stage: Stage, rate_hz: float, fill: Fill) -> None:
        """`fill` puts into a gauge's context menu what it offers beside moving it."""
        super().__init__()
        self.stage = stage
        self.keys: list[tuple[str, str]] = []  # what it can listen to: (id, name)
        self._fill = fill
        self._number = number
        self._rate_hz = rate_hz
        self.setObjectName("panel")
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(11, 6, 9, 6)
        self._layout.setSpacing(3)
        head = QHBoxLayout()
        head.setSpacing(5)
        noun = stage.process.noun.capitalize()
        self._title = elided(f"{number}  {noun}")
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
            button("↑", says + "up.", lambda: self.moved.emit(-1), flat=True, name=f"{which} up")
        )
        head.addWidget(
            button("↓", says + "down.", lambda: self.moved.emit(1), flat=True, name=f"{which} down")
        )
        head.addWidget(
            button(
                "×",
                f"Takes the {stage.process.noun} out.",
                self.removed.emit,
                flat=True,
                name=f"Remove {which}",
            )
        )
        self.on = toggle("on", "Off lets the sound pass as it is.", f"{which} on")
        self.on.clicked.connect(self.switched)
        head.addWidget(self.on)
        self._layout.addLayout(head)
        self.fields: Fields | None = None
        self.levels: Fields | None = None
        self.picture: PictureView | None = None
        self.inside: QPushButton | None = None
        self.key: KeyBox | None = None
        self.hit: HitStrip | None = None
        self._over: tuple[Over | None, float, bool] = (None, 1.0, True)
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
            self.settled.emit,
            parts=parts,
            headings=False,
            offers=partial(self._fill, self.stage.id, "process"),
        )
        self._slot.addWidget(self.fields)
        if self.stage.process.keyable:
            self.key = KeyBox()
            self.key.chosen.connect(self.key_chosen)
            self._slot.addWidget(self.key)
        self._slot.addWidget(label("Levels and dry blend", "soft"))
        self.levels = Fields(
            self.stage,
            self.level_changed.emit,
            self.settled.emit,
            leave_out=("on",),
            headings=False,
            offers=partial(self._fill, self.stage.id, "stage"),
        )
        self._slot.addWidget(self.levels)
        self._tell_inside()
        self._show_key()
        self.show_over(*self._over)

    def _show_key(self) -> None:
        if self.key is not None:
            self.key.show_keys(self.keys, self.stage.key)
        name = dict(self.keys).get(self.stage.key, "")
        noun = self.stage.process.noun.capitalize()
        self._title.setText(f"{self._number}  {noun}" + (f" ← {name[:14]}" if name else ""))
        self._title.setToolTip(f"Keyed by {name}." if name else "")

    def _way_in(self) -> QPushButton:
        made = self.inside = button(
            "", "Shows the row of stages that lie in this branch.", self.entered.emit,
            name="Stages of the branch",
        )  # fmt: skip
        return made

    def _tell_inside(self) -> None:
        if self.inside is not None and isinstance(self.stage.process, Branch):
            nouns = ", ".join(s.process.noun for s in self.stage.process.stages)
            self.inside.setText(
                f"Its stages: {nouns} \u203a" if nouns else "Its stages: none yet \u203a"
            )

    @property
    def band(self) -> str:
        """The band whose gauges are shown, of an equalizer."""
        return self._band

    def _made_picture(self) -> PictureView:
        noun = self.stage.process.noun
        made = self.picture = PictureView(self._shown, f"Picture of the {noun}")
        made.moved.connect(lambda _, values: self.changed.emit(values, None))
        made.settled.connect(self.settled)
        made.reset.connect(self._reset)
        return made

    def _reset(self, fields: tuple[str, ...]) -> None:
        kind = type(self.stage.process)
        self.changed.emit({f: parameter(kind, f).default for f in fields}, None)

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
                pill.clicked.connect(lambda _, name=band.name: self.band_wanted.emit(name))
                self._bands[band.name] = pill
                line.addWidget(pill, 1)
            lines.addLayout(line)
        return lines

    def mark_band(self, name: str) -> None:
        """Marks the pill of the band that is shown."""
        for band, pill in self._bands.items():
            pill.setChecked(band == name)

    def _changed(self, field: str, value: Any, parameter: Parameter) -> None:
        self.changed.emit({field: value}, parameter)

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

    def show_over(self, over: Over | None, rate_hz: float, known: bool) -> None:
        """What the stage does over the hit, where that is known at all."""
        self._over = (over, rate_hz, known)
        self.show_reduction(over.deepest_db if over is not None else None)
        if self.hit is not None:  # its room stays, so that nothing under it moves
            self.hit.setVisible(known)
            self.hit.show_over(over, rate_hz)

    def show_reduction(self, reduction_db: float | None) -> None:
        """The deepest reduction over the hit."""
        shown = reduction_db is not None and self.stage.on and reduction_db >= 0.05
        text = f"{MINUS}{reduction_db:.1f}{THIN}dB" if shown else ""
        self.reduction.setText("shut" if shown and (reduction_db or 0.0) >= _SHUT_DB else text)
