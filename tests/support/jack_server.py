"""A JACK server without a card, for a test: real ports, real transport."""

import contextlib
import os
import shutil
import signal
import subprocess
import threading
import time
import unittest
from collections.abc import Iterator
from typing import Any

_CLOSES_S = 5.0
_NOTICES_S = 0.3  # a server that is ended before it knows that a client was killed waits for it


class JackServer:
    """`jackd` with its dummy driver, under a name of its own; `close` ends it."""

    def __init__(self, period: int = 512, channels: int = 2) -> None:
        """Raises SkipTest where Debian's jackd2 is not installed."""
        program = shutil.which("jackd")
        if program is None:
            raise unittest.SkipTest("jackd2 is not installed (tools/setup installs it as root)")
        self.name = f"puddle{os.getpid()}"
        os.environ["JACK_DEFAULT_SERVER"] = self.name
        os.environ["JACK_NO_START_SERVER"] = "1"
        out = ["-C", str(channels), "-P", str(channels)]
        self._process = subprocess.Popen(
            [program, "-r", "-n", self.name, "-d", "dummy", "-r", "48000", "-p", str(period), *out],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )

    def client(self, name: str) -> Any:
        """A client of it, as soon as the server answers; to be activated by whoever has it."""
        import jack

        for mute in (jack.set_error_function, jack.set_info_function):
            mute(lambda message: None)
        end = time.monotonic() + 20.0
        while True:
            try:
                return jack.Client(name, no_start_server=True, servername=self.name)
            except jack.JackOpenError:
                if self._process.poll() is not None:
                    raise unittest.SkipTest("jackd ends at once here") from None
                if time.monotonic() > end:
                    raise
                time.sleep(0.1)

    @contextlib.contextmanager
    def standing_still(self) -> Iterator[None]:
        """The server does nothing meanwhile."""
        self._process.send_signal(signal.SIGSTOP)
        try:
            yield
        finally:
            self._process.send_signal(signal.SIGCONT)

    def close(self) -> None:
        """Ends the server.

        One that has to be killed keeps its place among the few that this system may ever have.
        """
        time.sleep(_NOTICES_S)
        self._process.terminate()
        try:
            self._process.wait(5.0)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        os.environ.pop("JACK_DEFAULT_SERVER", None)


def leave(client: Any) -> None:
    """Closes a client; one that libjack does not let go of is left where it stands.

    On a machine that others use too a server that stood still can leave the shared state of its
    ports half written: whoever reads it then spins for ever, and so does who waits for that one.
    """
    closing = threading.Thread(target=client.close, name="closing", daemon=True)
    closing.start()
    closing.join(_CLOSES_S)


def jack_card(test: unittest.TestCase, server: JackServer) -> str:
    """The name of the server's card as PortAudio has it, until the test ends.

    PortAudio looks for servers when it begins, and has to let go before they end: where it does
    not know of JACK the test is skipped. To be asked for right after the server was made.
    """
    import sounddevice

    from puddle.engine.devices import devices
    from puddle.engine.jack_ports import introduce

    test.addCleanup(sounddevice._initialize)
    test.addCleanup(server.close)
    server.client("waits until it answers").close()
    sounddevice._terminate()
    introduce(again=True)
    sounddevice._initialize()
    test.addCleanup(sounddevice._terminate)
    known = [card.name for card in devices() if "JACK" in card.name]
    if not known:
        raise unittest.SkipTest("PortAudio was built without JACK here")
    return known[0]
