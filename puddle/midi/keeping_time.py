"""One thread that keeps time with others: it follows a clock or JACK's transport, and sends.

It looks every two milliseconds, and sleeps until just when something is due in between; while
nothing is followed and nothing leaves, it hardly looks at all.
"""

from __future__ import annotations

import contextlib
import logging
import os
import threading
import time
from collections.abc import Callable, Sequence

from puddle.engine.shared import Shown
from puddle.midi.engine_time import Card, EngineTime, Runs
from puddle.midi.following import Beat, Follower, Push
from puddle.midi.incoming_clock import IncomingClock
from puddle.midi.jack_transport import JACK, JackTransport
from puddle.midi.out_ports import OpenedOut, Outs
from puddle.midi.outgoing import Note, Output
from puddle.midi.ports import PortError

log = logging.getLogger(__name__)

_LOOKS_S = 0.002
_RESTS_S = 0.1  # while time is kept with nobody: the card's clock is still seen
_FOLLOWS_S = 0.01
_TELLS_S = 0.25
_OPENS_S = 0.5
_AGAIN_S = 0.5  # after an error
_PRIORITY = 10  # of real time, where the system lets us
Followed = tuple[bool, bool, float, float]  # running, locked, bpm, how late in ms


class _Wanted:
    """What shall leave by a port, whether it is there or not."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.clock = False
        self.notes: tuple[Note, ...] = ()
        self.opened: OpenedOut | None = None
        self.output: Output | None = None

    def take(self, opened: OpenedOut) -> None:
        """It leaves by this from now on."""
        self.opened, self.output = opened, Output(opened.send)
        self.tell()

    def tell(self) -> None:
        """Has the port send what is wanted."""
        if self.output is not None:
            self.output.clock = self.clock
            self.output.play(self.notes)

    def let_go(self) -> OpenedOut | None:
        """Ends what sounds; gives the port, to be closed."""
        opened = self.opened
        if self.output is not None:
            self.output.end()
        self.output = self.opened = None
        return opened


class KeepingTime:
    """Follows and sends; told on any thread."""

    def __init__(
        self,
        shown: Callable[[], Shown],
        push: Push,
        outs: Sequence[Outs],
        tell: Callable[[Followed], None],
    ) -> None:
        self._time = EngineTime(shown)
        self._push, self._follower = push, Follower(push)
        self._outs, self._tell = outs, tell
        self._lock = threading.Lock()
        self._wanted: dict[str, _Wanted] = {}
        self._follows, self._leads, self._bpm = "", False, 120.0
        self._clock = IncomingClock()
        self._jack: JackTransport | None = None
        self._next_follow = self._next_tell = 0.0
        self._ended, self._asked = threading.Event(), threading.Event()
        self._woken = threading.Event()
        self._threads = [
            threading.Thread(target=run, name=name, daemon=True)
            for run, name in ((self._run, "time"), (self._open_ports, "opening"))
        ]
        for thread in self._threads:
            thread.start()

    # Told.

    def names(self) -> list[str]:
        """The ports that can be sent to."""
        return [name for kind in self._outs for name in kind.names()]

    def take(self, port: str, message: bytes, at_s: float) -> bool:
        """Takes in what a port sends of time; whether it was of time."""
        if not message or message[0] < 0xF0:
            return False
        with self._lock:
            if port == self._follows:
                self._clock.take(message, at_s)
        return True

    def follow(self, follows: str, leads: bool, bpm: float, card: Card) -> None:
        """Whose time the groove follows, and whether it leads JACK's transport."""
        gone: JackTransport | None = None
        with self._lock:
            self._time.card = card
            if follows != self._follows:
                self._clock, self._follower = IncomingClock(bpm), Follower(self._push)
            self._follows, self._leads, self._bpm = follows, leads, bpm
            wants_jack = leads or follows == JACK
            if wants_jack and self._jack is None:
                self._jack = JackTransport()
            elif not wants_jack:
                gone, self._jack = self._jack, None
        if gone is not None:
            gone.close()
        self._asked.set()
        self._woken.set()

    def send(self, port: str, clock: bool, notes: tuple[Note, ...]) -> None:
        """What leaves by a port from now on."""
        with self._lock:
            wanted = self._wanted.setdefault(port, _Wanted(port))
            wanted.clock, wanted.notes = clock, notes
            wanted.tell()
        self._asked.set()

    def unsend(self, port: str) -> None:
        """Nothing leaves by a port any more."""
        with self._lock:
            wanted = self._wanted.pop(port, None)
            opened = None if wanted is None else wanted.let_go()
        if opened is not None:
            opened.close()

    def close(self) -> None:
        """Ends all."""
        self._ended.set()
        self._asked.set()
        self._woken.set()
        for thread in self._threads:
            thread.join(1.0)
        for port in list(self._wanted):
            self.unsend(port)
        with self._lock:
            if self._jack is not None:
                self._jack.close()

    # The thread that opens ports and closes them: a system may take its time.

    def _open_ports(self) -> None:
        while not self._ended.is_set():
            with self._lock:
                wanted, jack = list(self._wanted.values()), self._jack
            for one in wanted:
                self._open(one)
            if jack is not None:
                jack.seek()
                if jack is not self._jack:  # left meanwhile
                    jack.close()
            self._asked.wait(_OPENS_S)
            self._asked.clear()

    def _open(self, one: _Wanted) -> None:
        """Opens a port that has come, closes one that has gone."""
        kind = next((kind for kind in self._outs if one.name in kind.names()), None)
        opened: OpenedOut | None = None
        if kind is None:
            with self._lock:
                opened = one.let_go()
        elif one.opened is None:
            with contextlib.suppress(PortError):
                opened = kind.open(one.name)
            with self._lock:
                if opened is not None and self._wanted.get(one.name) is one:
                    one.take(opened)
                    self._woken.set()
                    return
        if opened is not None:
            opened.close()

    # The thread that keeps time.

    def _run(self) -> None:
        with contextlib.suppress(OSError, AttributeError):  # where it is not allowed
            os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(_PRIORITY))
        while not self._ended.is_set():
            due = time.monotonic() + _AGAIN_S
            try:
                with self._lock:
                    due = self._look(time.monotonic())
            except Exception:
                log.exception("time is kept on")
            left = max(0.0, due - time.monotonic())
            if left > _LOOKS_S:
                self._woken.wait(left)
                self._woken.clear()
            else:
                time.sleep(left)

    def _look(self, now: float) -> float:
        """Does what is due; when to look again."""
        runs = self._time.see()
        if now >= self._next_follow:
            self._next_follow = now + _FOLLOWS_S
            self._follow(runs)
        due = now + (_LOOKS_S if self._follows or self._leads else _RESTS_S)
        for wanted in self._wanted.values():
            if wanted.output is not None and wanted.opened is not None:
                ahead = wanted.opened.ahead_s
                then = runs.later(ahead) if ahead else runs
                wanted.output.send_due(then)
                due = min(due, wanted.output.due_s(then) - ahead)
        return due

    def _follow(self, runs: Runs) -> None:
        outside, locked = self._outside(runs)
        if outside is not None:
            self._follower.follow(outside, runs)
            if runs.at_s >= self._next_tell:
                self._next_tell = runs.at_s + _TELLS_S
                self._tell((outside.running, locked, outside.bpm, self._follower.off_ms))
        if self._leads and self._jack is not None:
            self._jack.lead(runs)

    def _outside(self, runs: Runs) -> tuple[Beat | None, bool]:
        if self._follows == JACK and self._jack is not None:
            return self._jack.beat(runs, self._time.card, self._bpm), True
        if self._follows:
            return self._clock.beat(runs.at_s), self._clock.locked
        return None, False
