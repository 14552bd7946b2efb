"""The header of a layer's lane: its name, switches, measured pitch and level."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QContextMenuEvent, QMouseEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from puddle.kit import edits
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit, Layer, Sample
from puddle.measure.pitch import Pitch
from puddle.parameter import parameter
from puddle.units import THIN, note_from_hz, note_name, pitch_text
from puddle.window import theme
from puddle.window.editors.assigner import Assigner
from puddle.window.editors.layer_menu import LayerMenu
from puddle.window.files.carried_sounds import CarriedSounds
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, label, toggle
from puddle.window.widgets.dot import Dot
from puddle.window.widgets.drag_out import DragOut
from puddle.window.widgets.gauge import Gauge

HEADER_PX = 166
LEVEL = parameter(Layer, "level_db")


class LayerHeader(QWidget):
    """A layer's name, switches and level."""

    def __init__(self, session: Session, layer: Layer, sounds: CarriedSounds) -> None:
        super().__init__()
        self._session = session
        self._layer = layer
        self._seen: Layer | None = None
        self.setFixedWidth(HEADER_PX)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 3, 4, 1)
        column.setSpacing(0)
        head = QHBoxLayout()
        head.setSpacing(6)
        self._dot = Dot(layer.dye)
        self._dot.setToolTip("Drag it out of the window to have the layer as a file.")
        self._dot.setCursor(Qt.CursorShape.OpenHandCursor)
        DragOut(self._dot, lambda: sounds.layer(layer.id))
        head.addWidget(self._dot)
        self._name = label(layer.name)
        self._name.setStyleSheet("font-weight: bold;")
        head.addWidget(self._name, 1)
        column.addLayout(head)
        self._kind = label("", "soft")
        self._kind.setFont(theme.text_font(12))
        column.addWidget(self._kind)
        switches = QHBoxLayout()
        switches.setSpacing(4)
        self.on = toggle("on", "Off mutes the layer in the sound.", f"{layer.name} on")
        self.solo = toggle("solo", "Only the layers that are solo are heard.", f"{layer.name} solo")
        self.flip = toggle(
            "flip",
            "Turns the wave upside down: two layers that cancel may add up.",
            f"{layer.name} flip",
        )
        for field, pill in (("on", self.on), ("solo", self.solo), ("flip", self.flip)):
            pill.clicked.connect(lambda on, field=field: self._switch(field, bool(on)))
            switches.addWidget(pill)
        switches.addStretch(1)
        self.pitch = button(
            "", "", lambda: session.tuning_wanted.emit(layer.id), name="Measured pitch"
        )
        self.pitch.setObjectName("quiet")
        self.pitch.setFont(theme.value_font(12))
        self.pitch.setFixedWidth(29)
        switches.addWidget(self.pitch)
        column.addLayout(switches)
        self.level = Gauge(LEVEL, layer.level_db, name_px=2)
        self.level.setMinimumWidth(120)
        self.level.setAccessibleName(f"{layer.name} level")
        self.level.moved.connect(self._set_level)
        self.level.settled.connect(session.settle)
        offers = Assigner(session, self).offers(
            Address(of="layer", pad=session.pad_id, layer=layer.id)
        )
        self.level.menu_wanted.connect(lambda menu: offers(menu, "level_db"))
        column.addWidget(self.level)
        column.addStretch(1)
        self.show_layer(layer)

    def show_layer(self, layer: Layer) -> None:
        """Shows the same layer with other values."""
        self._layer = layer
        if self._seen is layer:
            return
        self._seen = layer
        metrics = self._name.fontMetrics()
        room = HEADER_PX - 44
        self._name.setText(metrics.elidedText(layer.name, Qt.TextElideMode.ElideRight, room))
        self._name.setToolTip(layer.name)
        self._dot.set_dye(layer.dye)
        self._kind.setText(source_text(self._session.kit, layer))
        for pill, state in ((self.on, layer.on), (self.solo, layer.solo), (self.flip, layer.flip)):
            pill.setChecked(state)
        self.level.set_value(layer.level_db)

    def show_pitch(self, pitch: Pitch | None) -> None:
        """The note that is measured, to be clicked and typed over."""
        if pitch is None or pitch.hz is None:
            self.pitch.setText("")
            self.pitch.setEnabled(False)
            self.pitch.setToolTip("No settled pitch was measured.")
            return
        self.pitch.setText(note_name(round(note_from_hz(pitch.hz))))
        self.pitch.setEnabled(True)
        sure = f"{100 * pitch.confidence:.0f}{THIN}% sure"
        self.pitch.setToolTip(f"{pitch_text(pitch.hz)}, {sure}. Click to type another note.")

    def _switch(self, field: str, on: bool) -> None:
        words = {"on": ("on", "muted"), "solo": ("solo", "not solo"), "flip": ("flip", "unflip")}
        name = f"{self._layer.name}: {words[field][0 if on else 1]}"
        self._session.edit(
            name,
            lambda kit: edits.set_layer(kit, self._session.pad_id, self._layer.id, **{field: on}),
        )

    def _set_level(self, value: float) -> None:
        layer = self._layer
        self._session.edit(
            f"{layer.name}: level {LEVEL.text(value)}",
            lambda kit: edits.set_layer(kit, self._session.pad_id, layer.id, level_db=value),
            ("level", layer.id),
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._session.selection.select_layer(self._layer.id)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        self._session.selection.select_layer(self._layer.id)
        self.menu = LayerMenu(self._session, self._layer, self)
        self.menu.open_at(event.globalPos())


def source_text(kit: Kit, layer: Layer) -> str:
    """What a layer sounds from, in a few words."""
    if isinstance(layer.source, Sample):
        content = kit.content(layer.source.content)
        name = content.name.rsplit(".", 1)[0] if content else "missing"
        return name if len(name) <= 24 else name[:23] + "…"
    return f"synthesized {layer.source.noun}"
