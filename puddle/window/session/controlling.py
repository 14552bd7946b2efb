"""Controllers for the window: which are there, and what came in.

Strokes do not pass through here: a process of its own strikes the engine. What it tells is shown,
and remembered by Groove as played by hand.
"""

from __future__ import annotations

from collections import deque

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.kit.edits.alternates import choose_alternate
from puddle.kit.edits.own_values import opened_values, varied_id
from puddle.kit.model.document import Pad
from puddle.midi.controller_map import table_of
from puddle.midi.gauged import gauged_by
from puddle.midi.link import Link, read_wish
from puddle.midi.messages import HAT_PEDAL, SUSTAIN, Played, Turned, played, turned
from puddle.midi.table import NO_SLOT
from puddle.midi.wishes import Came, Ended, Failed, Followed, Hat, Lit, Missed, Names, Told
from puddle.window.session.control_moves import Asked, ControlMoves
from puddle.window.session.controller_maps import ControllerMaps
from puddle.window.session.in_time import KeepsTime
from puddle.window.session.session import Session
from puddle.window.session.teaching import Teaching
from puddle.window.session.timing import once_after

_SEND_MS = 40
_MOST_WAITING = 2000  # messages; of a flood the rest is not shown
_AT_ONCE = 100  # in one turn of the window


class Controlling(QObject):
    """The controllers of this machine."""

    changed = pyqtSignal()  # what is there, what is read, the maps, or what is taught
    came = pyqtSignal(object, str, str)  # a message, what it did, and to which pad

    lit = pyqtSignal(bytes)  # what left for the simulated controller

    _heard = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.maps = ControllerMaps(session, self._show_maps)
        self.moves = ControlMoves(session, self.maps)
        self.teaching = Teaching(session, self.maps, self.changed.emit)
        self.in_time = KeepsTime(session, self.maps, lambda: self._link, self.changed.emit)
        self._link: Link | None = None
        self._wanted = False
        self._rings: object = None  # of the engine that the process strikes
        self._pads: tuple[Pad, ...] = ()
        self._liked = session.kit.controller_map
        self.last_port = ""  # whose message came last
        self._held: set[tuple[str, int]] = set()  # pads and keys
        self.there: tuple[str, ...] = ()
        self.read: tuple[str, ...] = ()
        self.refused: dict[str, str] = {}
        self.simulates = False
        self._waiting: deque[Told] = deque()
        self._called = False
        self._missed, self._missed_told = 0, 0  # each is written by one thread only
        self._heard.connect(self._take_in_some)
        self._go_on = once_after(self, 0, self._take_in_some)  # after all else that waits
        self._send_soon = once_after(self, _SEND_MS, self._send_maps)
        session.player.device_changed.connect(self._follow_engine)
        session.player.slots_changed.connect(self._send_soon.start)
        session.kit_changed.connect(self._follow_kit)

    # The process.

    @property
    def started(self) -> bool:
        """Whether controllers are read."""
        return self._link is not None

    def start(self) -> None:
        """Looks for controllers from now on, or from when there is an engine for them to strike."""
        engine = self._session.player.engine
        if not self._wanted:
            self._wanted = True
            self.maps.load()
        if self._link is None and engine is not None:
            self._rings = engine.sender.rings
            self._link = Link(engine.sender.rings.handle, self._hear)
            self._link.simulate(self.simulates)
            self.in_time.tell()

    def close(self, *, wait: bool = True) -> None:
        """Ends the process; held notes are let go."""
        self._wanted = False
        link, self._link = self._link, None
        if link is not None:
            link.close(wait=wait)

    def _follow_engine(self) -> None:
        """Another engine has other rings: another process finds them."""
        engine = self._session.player.engine
        if not self._wanted or engine is None or engine.sender.rings is self._rings:
            return
        self.close(wait=False)
        self.there = self.read = ()
        self.start()

    # What it is told.

    def _show_maps(self) -> None:
        self._send_maps()
        self.changed.emit()

    def _follow_kit(self) -> None:
        liked = self._session.kit.controller_map
        if liked != self._liked:
            self._liked = liked
            self._show_maps()
        elif self._link is not None and self._session.kit.pads is not self._pads:
            self._send_soon.start()

    def _send_maps(self) -> None:
        """Has every port strike the pads of the kit as it is now, by the engine's slots.

        Until the process has them, keys strike what they struck before, or nothing where that pad
        has gone: a slot is never another pad's.
        """
        kit, player = self._session.kit, self._session.player
        self._pads = kit.pads
        if self._link is not None:
            for port in self.there:
                made = self.maps.of(port)
                table = table_of(made, kit, player.slot)
                self._link.read(read_wish(port, made, table, self._hats()))

    def _hats(self) -> tuple[Hat, ...]:
        """The pads that follow the hat pedal."""
        slot, found = self._session.player.slot, []
        for pad in self._session.kit.pads:
            openings = [slot(varied_id(pad.id, values)) for values in opened_values(pad)]
            if openings and NO_SLOT not in openings:
                found.append(Hat(slot(pad.id), tuple(openings)))
        return tuple(found)

    def simulate(self, on: bool) -> None:
        """Has a simulated controller there, or not."""
        self.simulates = on
        self.start()
        if self._link is not None:
            self._link.simulate(on)
        self.changed.emit()

    def play_simulated(self, message: bytes) -> None:
        """What the simulated controller sends."""
        if self._link is not None:
            self._link.play_simulated(message)

    # Gauges.

    def ask_control(self, asked: Asked | None) -> None:
        """The next control that moves is taught a gauge; with None none is."""
        self.start()
        self.moves.ask(asked)
        name = self.moves.asked_name()
        if name:
            self._session.told.emit(
                f"Move a control of a controller: it moves {name} from then on."
            )
        self.changed.emit()

    # What comes in.

    def _hear(self, told: Told) -> None:
        """On the link's thread: many messages make one turn of the window."""
        if len(self._waiting) < _MOST_WAITING or not isinstance(told, Came):
            self._waiting.append(told)
        else:
            self._missed += 1
        if not self._called:
            self._called = True
            self._heard.emit()

    def _take_in_some(self) -> None:
        """What waits; of a control that moved several times only where it is now moves a gauge."""
        self._called = False  # first: what comes from now on asks for another turn
        moved: dict[tuple[str, str, int, int], list[tuple[Came, Turned]]] = {}
        for _ in range(min(_AT_ONCE, len(self._waiting))):
            told = self._waiting.popleft()
            if self._link is None:
                continue
            if isinstance(told, Came):
                self.last_port = told.port
                self._session.controller_came.emit()
            one = turned(told.message) if isinstance(told, Came) else None
            if isinstance(told, Came) and one is not None:
                moved.setdefault((told.port, one.kind, one.number, one.channel), []).append(
                    (told, one)
                )
            else:
                self._take_in(told)
        for came in moved.values():
            self._note_turned(came[-1][0], [one for _, one in came])
        if self._waiting:
            self._go_on.start()
        elif (missed := self._missed) > self._missed_told:
            new, self._missed_told = missed - self._missed_told, missed
            self._take_in(Missed(new))

    def _take_in(self, told: Told) -> None:
        if isinstance(told, Came):
            self._note(told)
        elif isinstance(told, Names):
            new = set(told.there) - set(self.there)
            self.there, self.read, self.in_time.outs = told.there, told.read, told.outs
            for name in new:
                self.refused.pop(name, None)
            if new:
                self._send_maps()
            self.changed.emit()
        elif isinstance(told, Followed):
            self.in_time.take_in(told)
        elif isinstance(told, Lit):
            self.lit.emit(told.message)
        elif isinstance(told, Failed):
            self.refused[told.port] = told.reason
            self.changed.emit()
        elif isinstance(told, Missed):
            self._session.told.emit(f"{told.count:,} messages came too fast to be shown.")
        elif isinstance(told, Ended):
            for pad_id, key in self._held:
                self._session.playing.release(pad_id, key)
            self._held.clear()

    def choose_next_map(self) -> None:
        """Another map for the controller that was played last."""
        port = self.last_port if self.last_port in self.there else "".join(self.there[:1])
        if not port:
            self._session.told.emit("No controller is there.")
            return
        self._session.told.emit(f"{port}: {self.maps.choose_next(port)}")

    def _note(self, came: Came) -> None:
        note = played(came.message)
        pad_id = self._session.player.pad(came.slot)
        # As a key's: it came when its message did, whatever the window was busy with since. Both
        # clocks of Python, the monotonic and the performance counter, are Linux's CLOCK_MONOTONIC.
        self._session.input_clock.note(came.at_s)
        if note is None:
            self.came.emit(came, "", "")
        elif note.velocity:
            self.came.emit(came, *self._stroke(came, note, pad_id))
        elif pad_id:
            self._held.discard((pad_id, came.key))
            self._session.let_go.emit(pad_id, came.key)

    def _stroke(self, came: Came, note: Played, pad_id: str) -> tuple[str, str]:
        """What a stroke did, and the pad that it struck."""
        asked = self.teaching.take(came.port, note)
        if asked:
            return asked, ""
        if came.dropped:
            return "dropped", ""
        pad = self._session.kit.pad(pad_id)
        if pad is None:
            if self._session.grooving.answer(note.note):
                return "chooses a pattern", ""
            return "strikes nothing", ""
        self._held.add((pad_id, came.key))
        self._session.renders.note_strike(pad, came.velocity, came.key)
        self._strike(pad, came)
        return pad.name, pad_id

    def _strike(self, pad: Pad, came: Came) -> None:
        """A stroke that the process has made: recorded as it was, with the pedal where it stood."""
        zones = opened_values(pad)
        values = zones[came.zone] if 0 <= came.zone < len(zones) else ()
        self._session.struck.emit(pad.id, came.velocity, came.key, values)

    def _note_turned(self, came: Came, ones: list[Turned]) -> None:
        """A control, pressure or program: what the process did with it, or which gauge it moves."""
        self._session.input_clock.note(came.at_s)
        one, pad_id = ones[-1], self._session.player.pad(came.slot)
        pad = self._session.kit.pad(pad_id)
        if came.velocity and pad is not None:
            self._strike(pad, came)
            self.came.emit(came, f"{pad.name}, by foot", pad_id)
        elif pad is not None:
            self.came.emit(came, f"{pad.name}, choked", "")
        elif one.kind == "program":
            self.came.emit(came, self._choose(came.port, one.number), "")
        elif self._is_pedal(came.port, one):
            self.came.emit(came, "hat pedal" if one.number == HAT_PEDAL else "sustain", "")
        elif one.kind != "key pressure":
            self.came.emit(came, self.moves.moved(came.port, ones), "")

    def _is_pedal(self, port: str, one: Turned) -> bool:
        """Whether a control is a pedal that the process follows, and no gauge was taught it."""
        made = self.maps.of(port)
        if self.moves.asked is not None or gauged_by(made.gauges, one) is not None:
            return False
        pedals = {HAT_PEDAL} | ({SUSTAIN} if made.sustain else set())
        return one.kind == "control" and one.number in pedals

    def _choose(self, port: str, number: int) -> str:
        """A program change: the pattern or alternate of that number."""
        chooses, session = self.maps.of(port).programs, self._session
        kit, pad = session.kit, session.pad
        if chooses == "patterns" and number < len(kit.patterns):
            session.grooving.choose(kit.patterns[number].id)
            return f"pattern {kit.patterns[number].name}"
        if chooses == "alternates" and pad is not None and number < len(pad.alternates):
            name = f"{pad.name}: {pad.alternates[number].name}"
            session.edit(name, lambda kit: choose_alternate(kit, pad.id, number))
            session.settle()
            return name
        return "chooses nothing"
