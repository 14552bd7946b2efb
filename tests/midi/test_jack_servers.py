"""A JACK server that stands still, ends, and comes again: what others do then and later."""

import contextlib
import os
import subprocess
import sys
import time
import unittest
from collections.abc import Callable
from typing import TypeVar
from unittest import mock

import numpy as np

from puddle.engine.engine import Engine
from puddle.midi.jack_names import JackNames
from puddle.midi.jack_out import JackOuts
from puddle.midi.jack_transport import JACK
from puddle.midi.link import Link
from puddle.midi.ports import SIMULATED
from puddle.midi.wishes import Came, Ended, InTime, Lit, Names, Send, Told
from tests.midi.test_reading import on, wish
from tests.support.engines import RATE
from tests.support.jack_server import JackServer, leave
from tests.support.waiting import until

BLOCK, PERIOD = 128, 512
_OTHER = """
import sys, time
import jack
client = jack.Client("Other", no_start_server=True, servername=sys.argv[1])
pads, lights = client.midi_outports.register("pads"), client.midi_inports.register("lights")
count, calls = [0], [0]
def process(frames):
    calls[0] += 1
    pads.clear_buffer()
    if count[0] % 20 == 0:
        pads.write_midi_event(0, (0x99, 37, 90))
    count[0] += sum(bytes(data) == bytes([0xF8]) for _, data in lights.incoming_midi_events())
client.set_process_callback(process)
client.activate()
while True:
    time.sleep(0.1)
    print(count[0], calls[0], client.last_frame_time, flush=True)
"""
_STANDS_S = 3.0


class StoodStillError(Exception):
    """The server's driver sleeps on: on a machine that others use too it does now and then."""


class GoesOn:
    """Sees a server's frames again and again."""

    def __init__(self) -> None:
        self._frame, self._at_s = -1, time.monotonic()

    def see(self, frame: int) -> None:
        """Raises StoodStillError where it has been the same for long."""
        now = time.monotonic()
        if frame != self._frame:
            self._frame, self._at_s = frame, now
        elif now - self._at_s > _STANDS_S:
            raise StoodStillError


T = TypeVar("T")


def of_a_server_that_goes_on(tried: Callable[[], T]) -> T:
    """What comes of a trial with a server, or of another one, where its driver went to sleep."""
    for left in reversed(range(5)):
        try:
            return tried()
        except StoodStillError:
            if not left:
                raise
    raise AssertionError


class Servers(unittest.TestCase):
    """Servers that come, stand still and end."""

    def test_a_server_that_stands_still_holds_up_no_other_port(self) -> None:
        """Neither what is read of them nor a clock that leaves by them."""
        server = JackServer(PERIOD)
        self.addCleanup(server.close)
        server.client("waits until it answers").close()
        engine, told = Engine(RATE), list[Told]()
        with server.standing_still():
            link = Link(engine.sender.rings.handle, told.append)
            self.addCleanup(link.close)
            link.simulate(True)
            link.read(wish(SIMULATED))
            link.keep_time(InTime(follows=JACK, block=BLOCK))
            link.send(Send(SIMULATED, True, ()))
            until(lambda: sum(isinstance(one, Lit) for one in told) >= 100, 20.0, lambda: told[-3:])
            link.play_simulated(on(37, 90))
            until(lambda: any(isinstance(one, Came) for one in told), 20.0, lambda: told[-3:])

    def test_what_is_sent_after_a_server_stood_still_leaves_at_once(self) -> None:
        """For a while its own time is seconds ahead of the frames that it plays."""
        late = of_a_server_that_goes_on(self._after_it_stood_still)
        self.assertLess(np.median(late), 0.1)

    def _after_it_stood_still(self) -> list[float]:
        """How late each of some messages leaves, in seconds. Raises StoodStillError."""
        with contextlib.ExitStack() as after:
            server = JackServer(PERIOD)
            after.callback(server.close)
            other = server.client("Other")
            after.callback(leave, other)
            lights, heard = other.midi_inports.register("lights"), list[float]()
            other.set_process_callback(
                lambda _: heard.extend(time.monotonic() for _ in lights.incoming_midi_events())
            )
            other.activate()
            looks = JackNames()
            after.callback(looks.close)
            looks.seek()
            out = JackOuts(looks).open("Other:lights")
            after.callback(out.close)
            late = list[float]()
            for _ in range(6):
                with server.standing_still():
                    time.sleep(1.0)
                time.sleep(0.1)
                goes_on = GoesOn()
                sent, count = time.monotonic(), len(heard)
                out.send(on(37, 90))
                while len(heard) == count:
                    goes_on.see(other.last_frame_time)
                    self.assertLess(time.monotonic(), sent + 20.0)
                    time.sleep(0.005)
                late.append(heard[-1] - sent)
            return late

    def test_a_server_that_ends_and_one_that_comes_are_the_same_to_the_reader(self) -> None:
        """What is read and what leaves goes on, by the ports' names."""
        engine, told = Engine(RATE), list[Told]()
        name = {"JACK_DEFAULT_SERVER": f"puddle{os.getpid()}"}  # of a server that is still to come
        self.enterContext(mock.patch.dict(os.environ, name))
        link = Link(engine.sender.rings.handle, told.append)
        self.addCleanup(link.close)
        link.keep_time(InTime(block=BLOCK))
        link.send(Send("Other:lights", True, ()))
        link.read(wish("Other:pads"))
        for _ in range(2):
            of_a_server_that_goes_on(lambda: self._round(told))
        self.assertFalse([one for one in told if isinstance(one, Ended)], "the process lives")

    def _round(self, told: list[Told]) -> None:
        server = JackServer(PERIOD)
        try:
            # Stays until the end: libjack misses that a client goes while another one opens, here
            # the reader's, and takes the next one, the other program, for the one that has gone.
            waits = server.client("waits until it answers")
            self.assertFalse([one for one in told if isinstance(one, Ended)], "the process lives")
            told.clear()
            self._ticks_and_strokes(server, told)
            leave(waits)
        finally:
            server.close()
        until(
            lambda: any(isinstance(one, Names) and not one.outs for one in told[-3:]),
            20.0,
            lambda: told[-3:],
        )

    def _ticks_and_strokes(self, server: JackServer, told: list[Told]) -> None:
        """Until both have come; the other program is killed in the midst of it."""
        command = [sys.executable, "-c", _OTHER, server.name]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as other:
            try:
                self._until_both_came(other, told)
            finally:
                other.kill()

    def _until_both_came(self, other: subprocess.Popen[str], told: list[Told]) -> None:
        ticks, calls, frame, goes_on = 0, 0, -1, GoesOn()
        end = time.monotonic() + 30.0
        assert other.stdout is not None
        while not (ticks > 20 and any(isinstance(one, Came) for one in told)):
            self.assertLess(time.monotonic(), end, (ticks, calls, frame, told[-3:]))
            line = other.stdout.readline() or "0 0 0"
            ticks, calls, frame = map(int, line.split())
            goes_on.see(frame)


if __name__ == "__main__":
    unittest.main()
