"""What can be recorded: the inputs of sound cards, and a simulated one with hits
of its own.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable
from typing import Any, Protocol

import msgspec
import numpy as np

from puddle.engine.devices import portaudio
from puddle.errors import DeviceError

SIMULATED_INPUT = "Simulated input"
Take = Callable[[np.ndarray], None]  # float32 (frames, channels), on a thread of the input's
Gone = Callable[[str], None]  # why it gives no more
_BLOCK_S = 0.02


class InputInfo(msgspec.Struct, frozen=True):
    """An input that can be chosen: its name is unique."""

    name: str
    index: int | None  # PortAudio's; None for the simulated one
    channels: int
    default: bool = False


class Input(Protocol):
    """Something that gives sound until it is closed."""

    rate_hz: float
    channels: int

    def close(self) -> None:
        """Ends it; nothing comes after it has returned."""


def simulated_hits(rate_hz: float) -> np.ndarray:
    """Two seconds of what the simulated input gives: silence, then three decaying sines."""
    out = np.zeros((round(2.0 * rate_hz), 2), np.float32)
    t = np.arange(round(0.3 * rate_hz)) / rate_hz
    for n, (hz, gain) in enumerate(((180.0, 0.25), (260.0, 0.5), (410.0, 0.7))):
        start = round((0.6 + 0.4 * n) * rate_hz)
        hit = gain * np.sin(2.0 * np.pi * hz * t) * 10.0 ** (-3.0 * t / 0.25)
        out[start : start + t.size] = hit[:, None].astype(np.float32)
    return out


class SimulatedInput:
    """Three hits every two seconds, in real time."""

    def __init__(self, rate_hz: float, take: Take) -> None:
        self.rate_hz, self.channels = rate_hz, 2
        self._audio = simulated_hits(rate_hz)
        self._take = take
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="puddle-input", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        block = round(_BLOCK_S * self.rate_hz)
        due, at = time.monotonic(), 0
        while not self._stop.is_set():
            part = self._audio[at : at + block]
            at = at + block if at + block < self._audio.shape[0] else 0
            self._take(part.copy())
            due += _BLOCK_S
            self._stop.wait(max(0.0, due - time.monotonic()))

    def close(self) -> None:
        self._stop.set()
        self._thread.join()


class CardInput:
    """An input of a sound card."""

    def __init__(self, info: InputInfo, rate_hz: float, take: Take, gone: Gone) -> None:
        """Raises DeviceError."""
        sounddevice = portaudio()
        if sounddevice is None:
            raise DeviceError("PortAudio is not installed: no sound card can be recorded.")
        self.rate_hz, self.channels = rate_hz, min(2, info.channels)
        self._closing = False
        self._gone, self._name = gone, info.name

        def come(data: np.ndarray, frames: int, when: Any, status: Any) -> None:
            take(data.copy())

        try:
            self._stream = sounddevice.InputStream(
                rate_hz, round(_BLOCK_S * rate_hz), info.index, self.channels, "float32",
                callback=come, finished_callback=self._finish,
            )  # fmt: skip
            self._stream.start()
        except sounddevice.PortAudioError as error:
            raise DeviceError(f"“{info.name}” cannot be recorded: {error}.") from None

    def _finish(self) -> None:
        if not self._closing:
            self._gone(f"“{self._name}” gives no more sound: was it unplugged?")

    def close(self) -> None:
        self._closing = True
        self._stream.close(ignore_errors=True)


def inputs() -> list[InputInfo]:
    """Every input of every card, the simulated one last."""
    found = []
    sounddevice = portaudio()
    if sounddevice is not None:
        with contextlib.suppress(sounddevice.PortAudioError):
            default = sounddevice.default.device[0]
            for index, card in enumerate(sounddevice.query_devices()):
                if card["max_input_channels"] >= 1:
                    host = sounddevice.query_hostapis(card["hostapi"])["name"]
                    name = f"{card['name']} ({host})"
                    channels = int(card["max_input_channels"])
                    found.append(InputInfo(name, index, channels, index == default))
    return [*found, InputInfo(SIMULATED_INPUT, None, 2)]


def open_input(info: InputInfo, rate_hz: float, take: Take, gone: Gone) -> Input:
    """Opens an input; `take` is given what comes, `gone` why nothing comes any more.

    Raises DeviceError.
    """
    if info.index is None:
        return SimulatedInput(rate_hz, take)
    return CardInput(info, rate_hz, take, gone)
