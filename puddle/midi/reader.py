"""The process that reads controllers: it strikes pads by itself, whatever the window is doing.

It is told on its input which ports to read and what their notes strike, maps the engine's rings,
and tells on its output what came, after it was struck. It ends with its input.
"""

from __future__ import annotations

import contextlib
import os
import queue
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator
from functools import partial
from typing import BinaryIO

import msgspec
import numpy as np

from puddle import framed
from puddle.engine import layout
from puddle.engine.shared import SharedRings
from puddle.kit.model.tonality import NO_NOTE
from puddle.midi.engine_time import Card
from puddle.midi.hat_pedal import Pedal
from puddle.midi.jack_in import JackPorts
from puddle.midi.jack_names import JackNames
from puddle.midi.jack_out import JackOuts
from puddle.midi.keeping_time import KeepingTime
from puddle.midi.messages import HAT_PEDAL, SUSTAIN, Played, Turned, ends_all, played, turned
from puddle.midi.out_ports import AlsaOuts, Outs, SimulatedOuts
from puddle.midi.ports import (
    AlsaPorts,
    Opened,
    PortError,
    Ports,
    ScriptedPorts,
    SeveralPorts,
    SimulatedPorts,
    of_system,
)
from puddle.midi.table import CHANNELS, NO_SLOT, NOTES, Table
from puddle.midi.triggers import Triggers
from puddle.midi.wishes import (
    Came,
    Failed,
    Followed,
    InTime,
    Leave,
    Lit,
    Missed,
    Names,
    Read,
    Send,
    Simulate,
    Simulated,
    Told,
    Unsend,
    Wish,
)

RING = 1  # the window's is the first
_LOOKS_S = 0.5
_PRESSED = 0.5  # of the way of a pressure: a hand that grabs
_MOST_TOLD = 1000  # messages that wait to be told; of a flood the rest are only counted
_GIVES_WAY_S = 0.0005  # after which a thread lets one in that has a stroke


def table_of(wish: Read) -> Table:
    """The table that a wish carries."""
    shape = (CHANNELS, NOTES)
    return Table(
        np.frombuffer(wish.slots, np.int64).reshape(shape),
        np.frombuffer(wish.as_key, bool).reshape(shape),
        np.frombuffer(wish.velocities, np.float64),
    )


class _Port(msgspec.Struct, eq=False):
    """A port that is wanted."""

    wish: Read
    table: Table
    triggers: Triggers
    opened: Opened | None = None
    refused: str = ""
    # The slot of each held note's pad, and the note that it was struck with.
    held: dict[tuple[int, int], tuple[int, int]] = msgspec.field(default_factory=dict)
    # Those that the sustain pedal holds, of the channels on which it is down.
    kept: list[tuple[int, int, int]] = msgspec.field(default_factory=list)  # channel, slot, note
    sustained: set[int] = msgspec.field(default_factory=set)


Push = Callable[[int, int, int, float, float], bool]  # kind, slot, note, velocity, when it came


class Reader:
    """Reads ports and strikes pads. Told on any thread; one lock, held for microseconds."""

    def __init__(
        self,
        ports: Callable[[], Ports],
        push: Push,
        tell: Callable[[Told], None],
        keeps_time: Callable[[str, bytes, float], bool] = lambda port, message, at_s: False,
        outs: Callable[[], list[str]] = list,
    ) -> None:
        """`keeps_time` takes messages of time; it tells whether one was."""
        self._ports, self._outs = ports, outs
        self._keeps_time = keeps_time
        self._push = push
        self._tell = tell
        self._lock = threading.Lock()
        self._looking = threading.Lock()
        self._wanted: dict[str, _Port] = {}
        self._told: Names | None = None
        self._pedal = Pedal()

    def read(self, wish: Read) -> None:
        """Reads a port as wished, as soon as it is there. What is held stays held: it has slots."""
        with self._lock:
            known = self._wanted.get(wish.port)
            if known is None:
                triggers = Triggers(wish.double_ms, wish.crosstalk_ms)
                self._wanted[wish.port] = _Port(wish, table_of(wish), triggers)
            else:
                before = known.wish
                if before.sustain and not wish.sustain:
                    self._let_go(known)
                if (before.double_ms, before.crosstalk_ms) != (wish.double_ms, wish.crosstalk_ms):
                    known.triggers = Triggers(wish.double_ms, wish.crosstalk_ms)
                known.wish, known.table = wish, table_of(wish)
        self.look()

    def leave(self, name: str) -> None:
        """Reads a port no more; what it holds is let go."""
        with self._looking:  # else a look that is under way opens it again, for nobody to close
            with self._lock:
                port = self._wanted.pop(name, None)
            if port is not None:
                self._close(port)
            self._look()

    def look(self) -> None:
        """Opens what has come, lets go of what has gone, and tells where that differs."""
        with self._looking:
            self._look()

    def _look(self) -> None:
        ports = self._ports()
        there = ports.names()
        for name, port in list(self._wanted.items()):
            if name not in there:
                port.refused = ""
                self._close(port)
            elif port.opened is None and not port.refused:
                self._open(ports, name, port)
        read = tuple(n for n, port in self._wanted.items() if port.opened is not None)
        names = Names(tuple(there), read, tuple(self._outs()))
        if names != self._told:
            self._told = names
            self._tell(names)

    def close(self) -> None:
        """Leaves all ports."""
        for name in list(self._wanted):
            self.leave(name)

    def _open(self, ports: Ports, name: str, port: _Port) -> None:
        try:
            port.opened = ports.open(name, lambda at, message: self._receive(port, at, message))
        except PortError as error:
            port.refused = str(error)
            self._tell(Failed(name, str(error)))

    def _close(self, port: _Port) -> None:
        opened, port.opened = port.opened, None
        if opened is not None:
            opened.close()
        with self._lock:
            self._let_go(port)

    def _let_go(self, port: _Port) -> None:
        """Releases all that a port holds, after what it has struck just now."""
        now = time.monotonic()
        for slot, note in port.held.values():
            self._push(layout.RELEASE, slot, note, 0.0, now)
        for _, slot, note in port.kept:
            self._push(layout.RELEASE, slot, note, 0.0, now)
        port.held.clear()
        port.kept.clear()
        port.sustained.clear()

    # What comes in.

    def _receive(self, port: _Port, at_s: float, message: bytes) -> None:
        if self._keeps_time(port.wish.port, message, at_s):
            return
        came = Came(port.wish.port, at_s, at_s, message)
        note, one = played(message), turned(message)
        with self._lock:
            if note is not None:
                came = self._play(port, came, note)
            elif ends_all(message):
                self._let_go(port)
            elif one is not None:
                came = self._turn(port, came, one)
        self._tell(msgspec.structs.replace(came, done_s=time.monotonic()))

    def _play(self, port: _Port, came: Came, note: Played) -> Came:
        held = (note.channel, note.note)
        if not note.velocity:
            slot, struck = port.held.pop(held, (NO_SLOT, NO_NOTE))
            if slot != NO_SLOT and note.channel in port.sustained:
                port.kept.append((note.channel, slot, struck))
                return msgspec.structs.replace(came, dropped=True)
            if slot != NO_SLOT:
                self._push(layout.RELEASE, slot, struck, 0.0, came.at_s)
            return msgspec.structs.replace(came, slot=slot, key=struck)
        slot = int(port.table.slots[held])
        if slot == NO_SLOT:
            return came
        velocity = float(port.table.velocities[note.velocity])
        if not port.triggers.is_stroke(slot, velocity, came.at_s):
            return msgspec.structs.replace(came, slot=slot, dropped=True)
        struck = note.note if port.table.as_key[held] else NO_NOTE
        plays, zone = self._opening(port, slot)
        self._push(layout.STRIKE, plays, struck, velocity, came.at_s)
        port.held[held] = slot, struck
        return msgspec.structs.replace(came, slot=slot, velocity=velocity, key=struck, zone=zone)

    def _opening(self, port: _Port, slot: int) -> tuple[int, int]:
        """The slot that a strike of a pad plays, and the pedal's zone where it has one."""
        openings = next((hat.openings for hat in port.wish.hats if hat.slot == slot), ())
        if not openings:
            return slot, -1
        zone = self._pedal.zone(len(openings))
        return openings[zone], zone

    # What is no note.

    def _turn(self, port: _Port, came: Came, one: Turned) -> Came:
        if (one.kind, one.number) == ("control", HAT_PEDAL):
            return self._press_hat(port, came, one.share)
        if (one.kind, one.number) == ("control", SUSTAIN) and port.wish.sustain:
            self._sustain(port, one, came.at_s)
        elif port.wish.pressure_chokes and one.kind in ("pressure", "key pressure"):
            return self._choke(port, came, one)
        return came

    def _sustain(self, port: _Port, one: Turned, at_s: float) -> None:
        if one.share >= 0.5:
            port.sustained.add(one.channel)
            return
        port.sustained.discard(one.channel)
        for channel, slot, note in port.kept:
            if channel == one.channel:
                self._push(layout.RELEASE, slot, note, 0.0, at_s)
        port.kept = [kept for kept in port.kept if kept[0] != one.channel]

    def _choke(self, port: _Port, came: Came, one: Turned) -> Came:
        """A pad that is pressed falls silent; of a whole channel all that it holds."""
        if one.share < _PRESSED:
            return came
        if one.kind == "key pressure":
            slots = {int(port.table.slots[one.channel, one.number])} - {NO_SLOT}
        else:
            slots = {
                slot for (channel, _), (slot, _) in port.held.items() if channel == one.channel
            }
        for slot in slots:
            self._push(layout.CHOKE, slot, NO_NOTE, 0.0, came.at_s)
        return msgspec.structs.replace(came, slot=min(slots)) if slots else came

    def _press_hat(self, port: _Port, came: Came, share: float) -> Came:
        """The pedal is elsewhere: a hat that closes chokes what rings of it, and may be struck."""
        stroke = self._pedal.moved(share, came.at_s)
        if stroke is None:
            return came
        for hat in port.wish.hats:
            if stroke.closes:
                self._push(layout.CHOKE, hat.slot, NO_NOTE, 0.0, came.at_s)
            if port.wish.foot and stroke.velocity > 0.0:
                zone = 0 if stroke.closes else len(hat.openings) - 1
                velocity = stroke.velocity
                self._push(layout.STRIKE, hat.openings[zone], NO_NOTE, velocity, came.at_s)
                came = msgspec.structs.replace(came, slot=hat.slot, velocity=velocity, zone=zone)
        return came


# The process.


class _Telling:
    """Tells on a thread of its own: whoever strikes does not wait for who reads."""

    def __init__(self, target: BinaryIO) -> None:
        self._target = target
        self._waiting: queue.SimpleQueue[Told] = queue.SimpleQueue()
        self._missed = 0
        threading.Thread(target=self._run, name="telling", daemon=True).start()

    def tell(self, told: Told) -> None:
        """Says it soon; of a flood of messages only how much was left out."""
        if isinstance(told, Came) and self._waiting.qsize() >= _MOST_TOLD:
            self._missed += 1
        else:
            self._waiting.put(told)

    def _run(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                framed.send(self._target, msgspec.msgpack.encode(self._waiting.get()))
                if self._missed and self._waiting.empty():
                    missed, self._missed = self._missed, 0
                    framed.send(self._target, msgspec.msgpack.encode(Missed(missed)))


def _wishes(source: BinaryIO) -> Iterator[Wish]:
    with contextlib.suppress(EOFError):
        while True:
            yield msgspec.msgpack.decode(framed.received(source), type=Wish)


def _system() -> tuple[list[Ports], list[Outs]]:
    """What comes in and what leaves by the system: nothing where it has no MIDI."""
    looks = of_system([JackNames])
    ins: list[Callable[[], Ports]] = [AlsaPorts]
    outs: list[Callable[[], Outs]] = [AlsaOuts]
    for one in looks:
        ins.append(partial(JackPorts, one))
        outs.append(partial(JackOuts, one))
    found = of_system(ins), of_system(outs)
    for one in looks:
        one.watch()
    return found


def main() -> None:
    """Reads what it is told to until there is no more to be told."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever started this one ends it
    sys.setswitchinterval(_GIVES_WAY_S)
    source, target = sys.stdin.buffer, os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # so that nothing that a library prints comes between
    rings = SharedRings(int(sys.argv[1]))
    (system, leaving), scripted, simulated = _system(), ScriptedPorts({}), SimulatedPorts()

    def push(kind: int, slot: int, note: int, velocity: float, at_s: float = 0.0) -> bool:
        return rings.push(RING, kind, slot, note, velocity, at_s)

    tell = _Telling(target).tell
    lit = SimulatedOuts(lambda at, message: tell(Lit(at, message)))
    time_keeper = KeepingTime(
        rings.shown,
        lambda kind, value: push(kind, 0, 0, value),
        [*leaving, lit],
        lambda followed: tell(Followed(*followed)),
    )
    reader = Reader(
        lambda: SeveralPorts([*system, scripted, simulated]),
        push,
        tell,
        time_keeper.take,
        time_keeper.names,
    )
    ended = threading.Event()

    def look() -> None:
        while not ended.wait(_LOOKS_S):
            reader.look()

    reader.look()
    threading.Thread(target=look, name="looking", daemon=True).start()
    for wish in _wishes(source):
        if isinstance(wish, Read):
            reader.read(wish)
        elif isinstance(wish, Leave):
            reader.leave(wish.port)
        elif isinstance(wish, Simulated):
            simulated.send(wish.message)
        elif isinstance(wish, Simulate):
            simulated.on = lit.on = wish.on
            reader.look()
        elif isinstance(wish, InTime):
            card = Card(wish.block, wish.latency_frames)
            time_keeper.follow(wish.follows, wish.leads, wish.bpm, card)
        elif isinstance(wish, Send):
            time_keeper.send(wish.port, wish.clock, wish.notes)
        elif isinstance(wish, Unsend):
            time_keeper.unsend(wish.port)
        else:
            scripted.scripts = dict(wish.scripts)
            reader.look()
    ended.set()
    time_keeper.close()
    reader.close()


if __name__ == "__main__":
    main()
