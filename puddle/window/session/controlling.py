"""Controllers for the window: which are there, which map each has, what came in, and teaching.

Strokes do not pass through here: a process of its own strikes the engine. What it tells is shown,
and remembered by Groove as played by hand.
"""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from puddle.errors import PuddleError
from puddle.home.controllers import SHIPPED, is_shipped, keep_map, known_maps
from puddle.kit.model.document import Pad
from puddle.kit.playing.key_tracking import NO_NOTE
from puddle.midi.controller_map import ControllerMap, measured_curve, table_of, teach
from puddle.midi.link import Link, read_wish
from puddle.midi.messages import Played, played
from puddle.midi.reader import Came, Failed, Missed, Names, Told
from puddle.parameter import changed
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after

_NO_START = "Controllers cannot be read: {}."
_KIT_MS = 40
STRENGTHS = ("softly", "medium", "hard")
_STROKES = 4  # of each strength, to measure a hand


class Controlling(QObject):
    """The controllers of this machine."""

    changed = pyqtSignal()  # what is there, what is read, the maps, or what is taught
    came = pyqtSignal(object, str, str)  # a message, what it did, and to which pad

    _told = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._link: Link | None = None
        self._wanted = False
        self._rings: object = None  # of the engine that the process strikes
        self._pads: tuple[Pad, ...] = ()
        self._sent: tuple[str, ...] = ()  # the ids of the kit's pads, as the process knows them
        self.maps: dict[str, ControllerMap] = {made.name: made for made in SHIPPED}
        self.there: tuple[str, ...] = ()
        self.read: tuple[str, ...] = ()
        self.refused: dict[str, str] = {}
        self.simulates = False
        self.teaching = False
        self.measuring: dict[str, list[list[int]]] = {}  # strokes so far, by controller
        self._told.connect(self._take_in)
        self._resend = once_after(self, _KIT_MS, self._send_maps)
        session.player.device_changed.connect(self._follow_engine)
        session.kit_changed.connect(self._follow_kit)

    # The process.

    @property
    def started(self) -> bool:
        """Whether controllers are read."""
        return self._link is not None

    def start(self) -> None:
        """Looks for controllers from now on, or from when there is an engine for them to strike."""
        self._wanted = True
        engine = self._session.player.engine
        if self._link is not None or engine is None:
            return
        self.maps = known_maps()
        rings = engine.sender.rings
        try:
            self._link = Link(rings.handle, self._told.emit)
        except OSError as error:
            self._session.told.emit(_NO_START.format(error.strerror))
            return
        self._rings = rings
        self._link.simulate(self.simulates)
        self.changed.emit()

    def close(self) -> None:
        """Ends the process; held notes are let go."""
        self._wanted = False
        link, self._link = self._link, None
        if link is not None:
            link.close()

    def _follow_engine(self) -> None:
        engine = self._session.player.engine
        if not self._wanted or engine is None or engine.sender.rings is self._rings:
            return
        if self._link is not None:  # another engine: what reads must find its rings
            self._link.close()
            self._link, self.there, self.read = None, (), ()
        self.start()

    # Maps.

    def map_of(self, port: str) -> ControllerMap:
        """The map that a controller has."""
        name = self._session.settings.controllers.get(port, SHIPPED[0].name)
        return self.maps.get(name, SHIPPED[0])

    def choose(self, port: str, name: str) -> None:
        """Another map for a controller; it has it again whenever it comes back."""
        self._session.settings.controllers[port] = name
        self._send_map(port)
        self.changed.emit()

    def set(self, port: str, field: str, value: object) -> None:
        """Another value of a controller's map, kept by `settle`; one that ships is copied first."""
        made = changed(self.map_of(port), **{field: value})
        if is_shipped(made.name):
            made = changed(made, name=self._own_name(port))
        self._use(port, made)

    def settle(self, port: str) -> None:
        """Keeps a controller's map as a file, as it stands."""
        made = self.map_of(port)
        if is_shipped(made.name):
            return
        try:
            keep_map(made)
        except PuddleError as error:
            self._session.told.emit(str(error))

    def keep_as(self, port: str, name: str) -> None:
        """A copy of a controller's map under a name of its own."""
        if is_shipped(name):
            self._session.told.emit(f"{name} ships with Puddle. Choose another name.")
            return
        self._use(port, changed(self.map_of(port), name=name))
        self.settle(port)

    def _use(self, port: str, made: ControllerMap) -> None:
        self.maps[made.name] = made
        self.choose(port, made.name)
        for other in self.there:
            if other != port and self.map_of(other) is made:
                self._send_map(other)

    def _own_name(self, port: str) -> str:
        name, count = port[:100], 1
        while name in self.maps:
            count += 1
            name = f"{port[:100]} {count}"
        return name

    def _follow_kit(self) -> None:
        if self._link is not None and self._session.kit.pads is not self._pads:
            self._resend.start()

    def _send_maps(self) -> None:
        for port in self.there:
            self._send_map(port)

    def _send_map(self, port: str) -> None:
        kit = self._session.kit
        self._pads, self._sent = kit.pads, tuple(pad.id for pad in kit.pads)
        if self._link is not None:
            made = self.map_of(port)
            self._link.read(read_wish(port, made, table_of(made, kit), len(kit.pads)))

    # Teaching and measuring.

    def set_teaching(self, on: bool) -> None:
        """What is struck next strikes the selected pad from then on, and the next pad is asked."""
        self.teaching = on
        self.changed.emit()

    def measure(self, port: str) -> None:
        """Asks for soft, medium and hard strokes, and bends the controller's curve by them."""
        self.measuring[port] = [[]]
        self.changed.emit()

    def asked_for(self, port: str) -> str:
        """How the next stroke shall be while a hand is measured; or nothing."""
        strokes = self.measuring.get(port)
        return STRENGTHS[len(strokes) - 1] if strokes is not None else ""

    def _teach(self, port: str, note: Played) -> str:
        pad = self._session.pad
        if pad is None:
            self._session.told.emit("Select a pad first: it is taught what is struck next.")
            return "nothing is selected"
        taught = teach(self.map_of(port), pad.place, note.note)
        if is_shipped(taught.name):
            taught = changed(taught, name=self._own_name(port))
        self._use(port, taught)
        self.settle(port)
        following = sorted(
            (p for p in self._session.kit.pads if p.place > pad.place), key=lambda p: p.place
        )
        if following:
            self._session.selection.select_pad(following[0].id)
        else:
            self.set_teaching(False)
        return f"strikes {pad.name} from now on"

    def _measure(self, port: str, velocity: int) -> str:
        strokes = self.measuring[port]
        asked = self.asked_for(port)
        strokes[-1].append(velocity)
        if len(strokes[-1]) >= _STROKES:
            if len(strokes) < len(STRENGTHS):
                strokes.append([])
            else:
                del self.measuring[port]
                try:
                    self.set(port, "curve", measured_curve(*strokes))
                    self.settle(port)
                except ValueError as error:
                    self._session.told.emit(str(error))
        self.changed.emit()
        return f"measured, {asked}"

    # The simulated controller.

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

    # What comes in.

    def _take_in(self, told: Told) -> None:
        if self._link is None:
            return
        if isinstance(told, Names):
            new = [name for name in told.there if name not in self.there]
            self.there, self.read = told.there, told.read
            for name in new:
                self.refused.pop(name, None)
                self._send_map(name)
            self.changed.emit()
        elif isinstance(told, Failed):
            self.refused[told.port] = told.reason
            self.changed.emit()
        elif isinstance(told, Came):
            self._hear(told)
        elif isinstance(told, Missed):
            self._session.told.emit(f"{told.count:,} messages came too fast to be shown.")

    def _hear(self, came: Came) -> None:
        note = played(came.message)
        pad_id = self._sent[came.pad] if 0 <= came.pad < len(self._sent) else ""
        if note is None:
            self.came.emit(came, "", "")
        elif not note.velocity:
            if pad_id:
                self._session.let_go.emit(pad_id, NO_NOTE)
        else:
            did, struck = self._stroke(came, note, pad_id)
            self.came.emit(came, did, struck)

    def _stroke(self, came: Came, note: Played, pad_id: str) -> tuple[str, str]:
        """What a stroke did, and the pad that it struck."""
        if came.port in self.measuring:
            return self._measure(came.port, note.velocity), ""
        if self.teaching:
            return self._teach(came.port, note), ""
        if came.dropped:
            return "dropped", ""
        pad = next((p for p in self._session.kit.pads if p.id == pad_id), None)
        if pad is None:
            return "strikes nothing", ""
        self._session.renders.note_strike(pad, came.velocity)
        self._session.struck.emit(pad_id, came.velocity, NO_NOTE)
        return pad.name, pad_id
