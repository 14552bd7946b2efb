"""The transport beside the pads: play, repeat, tempo, where the groove is, and how one listens."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from puddle.kit import edits
from puddle.kit.model.address import Address
from puddle.kit.model.document import Kit
from puddle.kit.playing.groove import position
from puddle.parameter import parameter
from puddle.window import theme
from puddle.window.editors.assigner import Assigner
from puddle.window.session.listening import Listening
from puddle.window.session.repeater import Plan, RepeatMenu
from puddle.window.session.session import Session
from puddle.window.shore.transport import PlayButton
from puddle.window.widgets.controls import button, label, toggle
from puddle.window.widgets.gauge import Gauge
from puddle.window.widgets.reading import Reading

_LONGEST_NAME = 10
_RIGHT_PX = 152  # of tempo, position and card


class TransportPanel(QWidget):
    """Buttons on the left, tempo, position and card on the right."""

    def __init__(self, session: Session, listening: Listening) -> None:
        super().__init__()
        self._session = session
        self._listening = listening
        self._shown: object = None  # what the position tells
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        line.addLayout(self._buttons())
        line.addLayout(self._told())
        session.player.device_changed.connect(self._show_device)

    def _buttons(self) -> QVBoxLayout:
        buttons = QVBoxLayout()
        buttons.setSpacing(7)
        buttons.setContentsMargins(0, 6, 0, 0)
        self.play = PlayButton()
        self.play.clicked.connect(self._session.grooving.toggle)
        buttons.addWidget(self.play, 0, Qt.AlignmentFlag.AlignHCenter)
        self.repeat = QPushButton("repeat")
        self.repeat.setObjectName("toggle")
        self.repeat.setCheckable(True)
        self.repeat.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.repeat.setAccessibleName("Repeat the selected pad")
        self.repeat.clicked.connect(lambda on: self.set_repeat(bool(on)))
        self.repeat_menu = RepeatMenu(self._session.player.repeater, self._keep_plan, self)
        self._how = button(
            "▾", "How often and how hard the pad is repeated.", self._ask_how, flat=True,
            name="How the pad is repeated",
        )  # fmt: skip
        both = QHBoxLayout()
        both.setSpacing(0)
        both.addWidget(self.repeat)
        both.addWidget(self._how)
        buttons.addLayout(both)
        settings = self._session.settings
        self._session.player.repeater.plan = Plan(
            settings.repeat_beats,
            settings.repeat_ms,
            settings.repeat_cycling,
            settings.repeat_held,
        )
        self._tell_plan()
        buttons.addStretch(1)
        return buttons

    def _told(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(2)
        column.setContentsMargins(0, 10, 0, 0)
        self.tempo = Gauge(parameter(Kit, "tempo_bpm"), 120.0, name_px=52)
        self.tempo.setFixedWidth(_RIGHT_PX)
        self.tempo.moved.connect(self._set_tempo)
        offers = Assigner(self._session, self).offers(Address(of="kit"))
        self.tempo.menu_wanted.connect(lambda menu: offers(menu, "tempo_bpm"))
        self.tempo.settled.connect(self._session.settle)
        column.addWidget(self.tempo)
        self.position = Reading("", _RIGHT_PX, theme.value_font(12), "soft")
        self.position.setAccessibleName("Position")
        column.addWidget(self.position)
        self.device = label("", "soft")
        self.device.setFont(theme.text_font(11))
        self.device.setFixedWidth(_RIGHT_PX)
        column.addWidget(self.device)
        listening = QHBoxLayout()
        listening.setSpacing(5)
        self.mono = toggle(
            "mono", "Hear both sides as one (F9). It is for the ear only and never exported."
        )
        self.small = toggle(
            "small speaker",
            "Hear it as a kitchen radio would play it (Shift+F9). Never exported.",
        )
        switches = (self._listening.switch_mono, self._listening.switch_small_speaker)
        for pill, switch in zip((self.mono, self.small), switches, strict=True):
            pill.clicked.connect(switch)
            listening.addWidget(pill)
        self._listening.changed.connect(self._show_listening)
        listening.addStretch(1)
        column.addLayout(listening)
        column.addStretch(1)
        return column

    def _show_listening(self) -> None:
        """How it is listened to."""
        self.mono.setChecked(self._listening.mono)
        self.small.setChecked(self._listening.small_speaker)

    def set_repeat(self, on: bool) -> None:
        """Begins or ends striking the selected pad."""
        self.repeat.setChecked(on)
        self._session.player.repeater.set_on(on)

    def _ask_how(self) -> None:
        self.repeat_menu.popup(self._how.mapToGlobal(self._how.rect().topLeft()))

    def _keep_plan(self) -> None:
        plan, settings = self._session.player.repeater.plan, self._session.settings
        settings.repeat_beats, settings.repeat_ms = plan.beats, plan.ms
        settings.repeat_cycling, settings.repeat_held = plan.cycling, plan.held
        self._tell_plan()

    def _tell_plan(self) -> None:
        plan = self._session.player.repeater.plan
        what = "Repeats the pad that you hold" if plan.held else "Strikes the selected pad"
        self.repeat.setToolTip(f"{what} again and again, on the groove's grid (F4). {plan.text()}.")

    def _set_tempo(self, bpm: float) -> None:
        self._session.edit(
            f"Tempo {bpm:.1f} bpm", lambda kit: edits.set_kit(kit, tempo_bpm=bpm), "tempo"
        )

    def _show_device(self) -> None:
        player = self._session.player
        note, device = player.device_note, player.device
        name = device.name if device else "no sound"
        shown = "silent: simulated card" if note else name
        self.device.setText(
            self.device.fontMetrics().elidedText(shown, Qt.TextElideMode.ElideRight, _RIGHT_PX)
        )
        self.device.setToolTip(note or f"Playing to {name}.")

    def show_kit(self) -> None:
        """The kit's tempo."""
        self.tempo.set_value(self._session.kit.tempo_bpm)

    def tick(self) -> None:
        """Whether the groove runs, and where it is."""
        player = self._session.player
        self.play.show_playing(player.playing)
        self._show_position(player.playing)

    def _show_position(self, playing: bool) -> None:
        grooving = self._session.grooving
        heard, beat = grooving.place() if playing else (grooving.pattern, 0.0)
        shown = heard, playing, math.floor(16.0 * beat)  # a quarter of any meter's beat
        if shown == self._shown:
            return
        self._shown = shown
        if heard is None:
            text = "no pattern yet"
        elif not playing:
            text = f"{_short(heard.name)} · stopped"
        elif beat < 0.0:
            text = f"count-in · {-int(beat // 1.0)}"
        else:
            bar, count, quarter = position(heard.meter, beat)
            text = f"{_short(heard.name)} · {bar}.{count}.{quarter}"
        if text != self.position.text():
            self.position.setText(text)


def _short(name: str) -> str:
    """A name speaks for itself, as far as there is room; a letter alone does not."""
    name = f"pattern {name}" if len(name) < 3 else name
    return name if len(name) <= _LONGEST_NAME else f"{name[: _LONGEST_NAME - 1]}…"
