"""In time with others: whose clock the groove follows, and what leaves by which port."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from puddle.midi.jack_transport import JACK
from puddle.window.session.in_time import SENDS, KeepsTime
from puddle.window.session.session import Session
from puddle.window.widgets.controls import button, clear, elided, label, toggle
from puddle.window.widgets.passing import popup_once, submenu

_OWN = "its own tempo"
_CLOCK = "clock of "
_SAYS = {
    "groove": "The groove's strokes leave as notes, as they are heard.",
    "clock": "Clock, start, stop and position leave, 24 ticks a quarter.",
    "lights": "Each stroke of the groove lights the pad that its controller strikes it with.",
}


class TimePanel(QWidget):
    """Following, leading, sending."""

    def __init__(self, session: Session, in_time: KeepsTime) -> None:
        super().__init__()
        self._session, self._in_time = session, in_time
        self._rows_of: tuple[object, ...] = ()
        self._choices: tuple[str, ...] = ()
        side = QVBoxLayout(self)
        side.setContentsMargins(0, 10, 0, 0)
        side.addWidget(label("In time", "title"))
        self.box = QComboBox()
        self.box.setAccessibleName("The groove follows")
        self.box.setToolTip(
            "The groove starts, stops and keeps its place with a clock that comes in, or with "
            "JACK's transport."
        )
        self.box.textActivated.connect(self._follow)
        side.addWidget(self.box)
        self.said = label("", "soft")
        self.said.setWordWrap(True)
        side.addWidget(self.said)
        self.leads = toggle(
            "Lead JACK", "JACK's transport starts, stops and goes with the groove, in its tempo."
        )
        self.leads.clicked.connect(in_time.set_leads)
        line = QHBoxLayout()
        line.addWidget(self.leads)
        line.addStretch(1)
        side.addLayout(line)
        side.addSpacing(8)
        side.addWidget(label("Out", "title"))
        self.empty = label("There is no port to send to.", "soft")
        side.addWidget(self.empty)
        self._outs = QVBoxLayout()
        side.addLayout(self._outs)

    def show_time(self, there: tuple[str, ...]) -> None:
        """What can be followed, what is, and the ports that can be sent to."""
        in_time = self._in_time
        choices = (_OWN, JACK, *(_CLOCK + port for port in there))
        follows = in_time.follows
        now = _OWN if not follows else follows if follows == JACK else _CLOCK + follows
        if now not in choices:
            choices = (*choices, now)
        if choices != self._choices:
            self._choices = choices
            self.box.clear()
            self.box.addItems(list(choices))
        self.box.setCurrentText(now)
        self.said.setText(in_time.said())
        self.leads.setChecked(self._session.settings.leads_jack)
        self.leads.setEnabled(follows != JACK)
        self.empty.setVisible(not in_time.outs)
        made_of = (in_time.outs, tuple(in_time.sends(port) for port in in_time.outs))
        if made_of != self._rows_of:
            self._rows_of = made_of
            clear(self._outs)
            for port in in_time.outs:
                self._outs.addWidget(self._row(port))

    def _row(self, port: str) -> QWidget:
        made = QWidget()
        side = QVBoxLayout(made)
        side.setContentsMargins(0, 2, 0, 2)
        side.setSpacing(2)
        side.addWidget(elided(port))
        line = QHBoxLayout()
        line.setSpacing(4)
        sends = self._in_time.sends(port)
        for what in SENDS:
            switch = toggle(what, _SAYS[what], f"{what} to {port}")
            switch.setChecked(what in sends)
            switch.clicked.connect(partial(self._in_time.set_sends, port, what))
            line.addWidget(switch)
        how = button(
            "▾", "Which lanes leave, and on which channel.", lambda: self._offer(port, how),
            flat=True, name=f"Lanes to {port}",
        )  # fmt: skip
        line.addWidget(how)
        line.addStretch(1)
        side.addLayout(line)
        return made

    def _follow(self, chosen: str) -> None:
        name = "" if chosen == _OWN else chosen.removeprefix(_CLOCK)
        self._in_time.follow(name)

    def _offer(self, port: str, at: QWidget) -> None:
        """Lanes and channel of a port."""
        menu, in_time = QMenu(self), self._in_time
        places = in_time.places(port)
        every = menu.addAction("All lanes", lambda: in_time.set_places(port, frozenset()))
        if every is not None:
            every.setCheckable(True)
            every.setChecked(not places)
        menu.addSeparator()
        for pad in sorted(self._session.kit.pads, key=lambda pad: pad.place):
            one = menu.addAction(pad.name, partial(self._flip, port, pad.place))
            if one is not None:
                one.setCheckable(True)
                one.setChecked(pad.place in places)
        menu.addSeparator()
        channels = submenu(menu, "Channel")
        for n in range(16):
            one = channels.addAction(str(n + 1), partial(in_time.set_channel, port, n))
            if one is not None:
                one.setCheckable(True)
                one.setChecked(n == in_time.channel(port))
        popup_once(menu, at.mapToGlobal(at.rect().bottomLeft()))

    def _flip(self, port: str, place: int) -> None:
        self._in_time.set_places(port, self._in_time.places(port) ^ {place})
