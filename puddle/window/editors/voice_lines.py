"""Over a voice's gauges: where to start from, chance, and the way to another setting."""

from __future__ import annotations

import random
from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from puddle.errors import PuddleError
from puddle.formats.ownfile import VoiceFile
from puddle.home.own import keep, starting_points
from puddle.kit import edits
from puddle.kit.model.document import Layer
from puddle.parameter import Parameter, changed, parameter, parameters, percent
from puddle.voices import AnyVoice, Voice
from puddle.voices.blending import between, scattered
from puddle.window.session.session import Session
from puddle.window.widgets.asking import ask_name
from puddle.window.widgets.controls import button, label
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.picture import PictureView

_SHARE = 0.12
_WAY = percent(
    "way",
    "Towards",
    "How far the voice is on its way to the other setting: every gauge moves along its scale.",
    0.0,
)


class VoiceLines(QWidget):
    """Starting points, scatter, and between, for the selected layer's voice."""

    def __init__(self, session: Session, layer: Layer, voice: AnyVoice) -> None:
        super().__init__()
        self._session = session
        self._key = layer.id
        self._kind = type(voice)
        self._points = starting_points()[self._kind]
        self._origin = voice
        self._made: AnyVoice = voice
        self._shown: AnyVoice | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        column.addLayout(self._start_line())
        column.addLayout(self._chance_line(voice))
        column.addLayout(self._between_line())
        self.picture = PictureView(voice.picture(), "Picture of the voice")
        self.picture.moved.connect(self._move_handle)
        self.picture.settled.connect(session.settle)
        self.picture.reset.connect(self._reset)
        column.addWidget(self.picture)

    # What is shown.

    def _start_line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.addWidget(label("Start from", "soft"))
        self.start = QComboBox()
        self.start.setAccessibleName("Starting point")
        self.start.setToolTip(
            "Settings of this voice to start from. With Play or Repeat on, step through them with "
            "the arrow keys: each is in the next strike."
        )
        self.start.addItem("as it is")
        self.start.addItems(list(self._points))
        self.start.textActivated.connect(self._start_from)
        line.addWidget(self.start, 1)
        line.addWidget(
            button(
                "Keep",
                "Keeps these settings as a starting point of your own, in a file to share.",
                self._ask_name,
            )
        )
        line.addWidget(self._step("‹", "Previous starting point", -1))
        line.addWidget(self._step("›", "Next starting point", 1))
        return line

    def _step(self, sign: str, name: str, by: int) -> QWidget:
        made = button(sign, f"{name}.", lambda: self.step(by), name=name)
        made.setFixedWidth(30)
        return made

    def _chance_line(self, voice: AnyVoice) -> QHBoxLayout:
        line = QHBoxLayout()
        line.addWidget(
            button(
                "Randomize",
                "Moves every gauge a little by chance; the note, switches and choices stay.",
                self.scatter,
            )
        )
        self.part = QComboBox()
        self.part.setAccessibleName("Part to randomize")
        self.part.setToolTip("Which part of the voice chance may touch.")
        self.part.addItem("all parts")
        self.part.addItems(list(dict.fromkeys(p.part for p in parameters(type(voice)) if p.part)))
        line.addWidget(self.part, 1)
        return line

    def _between_line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.way = Gauge(_WAY, 0.0, name_px=64)
        self.way.moved.connect(self._move)
        self.way.settled.connect(self._session.settle)
        line.addWidget(self.way, 3)
        self.other = QComboBox()
        self.other.setAccessibleName("Setting to go towards")
        self.other.setToolTip("The other end of the way.")
        self.other.addItems(list(self._points))
        self.other.setCurrentIndex(min(1, self.other.count() - 1))
        self.other.textActivated.connect(lambda _: self._set_out())
        line.addWidget(self.other, 2)
        return line

    def show_voice(self, voice: AnyVoice) -> None:
        """After an edit from elsewhere the way begins anew from there."""
        if voice is not self._made:
            self._made = self._origin = voice
            self.way.set_value(0.0)
        if voice is self._shown:
            return
        self._shown = voice
        self.picture.show_picture(voice.picture())
        name = next((n for n, point in self._points.items() if point == voice), None)
        self.start.setCurrentIndex(0 if name is None else 1 + list(self._points).index(name))

    # Edits.

    def _edit(self, name: str, make: Callable[[AnyVoice], AnyVoice], mark: object = None) -> None:
        layer = self._session.layer
        if layer is None or layer.id != self._key or not isinstance(layer.source, Voice):
            return
        pad = self._session.pad_id
        made = make(layer.source)
        self._made = made
        self._session.edit(
            f"{layer.name}: {name}",
            lambda kit: edits.set_layer(kit, pad, layer.id, source=made),
            mark,
        )

    def _move_handle(self, handle: str, values: dict[str, float]) -> None:
        known = [(parameter(self._kind, field), value) for field, value in values.items()]
        told = [f"{_what(p)} {p.text(p.clamped(value))}" for p, value in known]
        self._edit(
            ", ".join(told), lambda voice: changed(voice, **values), ("picture", self._key, handle)
        )
        self._set_out()

    def _reset(self, fields: tuple[str, ...]) -> None:
        known = [parameter(self._kind, field) for field in fields]
        values = {p.field: p.default for p in known}
        told = ", ".join(f"{_what(p)} {p.text(p.default)}" for p in known)
        self._edit(told, lambda voice: changed(voice, **values))

    def _set_out(self) -> None:
        self._origin = self._made
        self.way.set_value(0.0)

    def _start_from(self, name: str) -> None:
        voice = self._points.get(name)
        if voice is not None:
            self._edit(f"from {name}", lambda _: voice, ("starting point", self._key))
            self._set_out()

    def _ask_name(self) -> None:
        now = self._session.layer.name if self._session.layer else ""
        name = ask_name(self, "Keep as a starting point", "A name for these settings:", now)
        if name is not None:
            self.keep(name)

    def keep(self, name: str) -> None:
        """Keeps the voice as it is under a name of one's own."""
        try:
            path = keep(VoiceFile(name=name, voice=self._made))
        except PuddleError as error:
            self._session.told.emit(str(error))
            return
        self._points = starting_points()[self._kind]
        for box, first in ((self.start, 1), (self.other, 0)):
            while box.count() > first:
                box.removeItem(box.count() - 1)
            box.addItems(list(self._points))
        self._shown = None  # it has a name now
        self.show_voice(self._made)
        self._session.told.emit(f"{name} is a starting point now. To share it, copy {path}.")

    def step(self, by: int) -> None:
        """The next starting point, or the one before; browsing is one step of undo."""
        names = list(self._points)
        now = self.start.currentIndex() - 1
        self._start_from(names[(now + by) % len(names) if now >= 0 else 0 if by > 0 else -1])

    def scatter(self) -> None:
        """New values by chance."""
        chance = [random.uniform(-1.0, 1.0) for _ in parameters(type(self._made))]
        part = self.part.currentText() if self.part.currentIndex() > 0 else ""
        what = f"{part.lower()} scattered" if part else "scattered"
        self._edit(what, lambda voice: scattered(voice, chance, _SHARE, part))
        self._set_out()

    def _move(self, percent: float) -> None:
        name = self.other.currentText()
        other, origin = self._points.get(name), self._origin
        if other is not None:
            self._edit(
                f"{percent:.0f} % towards {name}",
                lambda _: between(origin, other, percent / 100.0),
                ("between", self._key, name),
            )


def _what(p: Parameter) -> str:
    return f"{p.part} {p.label}".strip().lower()
