"""Sound cards: real ones through PortAudio, and a simulated one with a real clock.

Both are equals, chosen by name. PortAudio calls the compiled callback directly, by its address:
no interpreter stands between the engine and the card.
"""

from __future__ import annotations

import contextlib
import ctypes
import threading
import time
from typing import TYPE_CHECKING, Any, Protocol

import msgspec
import numpy as np

from puddle.engine.jack_ports import introduce
from puddle.engine.layout import MOST_PAIRS
from puddle.errors import DeviceError

if TYPE_CHECKING:
    from puddle.engine.engine import Engine

SIMULATED = "Simulated sound card"
RATES = (44100, 48000, 88200, 96000)
BLOCKS = (32, 64, 128, 256, 512, 1024)
_ALSA, _JACK = 8, 12  # PortAudio's numbers of these hosts
_MOST_RECORDED_S = 600.0


class DeviceInfo(msgspec.Struct, frozen=True):
    """A card that can be chosen: its name is unique."""

    name: str
    index: int | None  # PortAudio's; None for the simulated one
    default: bool = False
    channels: int = 2  # how many outputs it has


class Device(Protocol):
    """Something that plays an engine until it is closed."""

    name: str
    rate_hz: float
    block: int
    channels: int  # that it was opened with

    def close(self) -> None:
        """Stops; the engine is not touched after it has returned."""

    @property
    def late_blocks(self) -> int:
        """Blocks that were not there in time."""

    @property
    def latency_frames(self) -> float:
        """How long after it was asked for a block's first frame is heard."""


class SimulatedDevice:
    """Plays to nobody, in real time; keeps what it played when asked to."""

    def __init__(
        self, engine: Engine, block: int, *, record: bool = False, channels: int = 2
    ) -> None:
        from puddle.engine import card_loop

        self.channels = channels
        self.name = SIMULATED
        self.rate_hz = engine.rate_hz
        self.block = block
        self._engine = engine  # kept: the loop reads its memory until it has ended
        most = round(_MOST_RECORDED_S * engine.rate_hz) if record else 0
        self._out = np.zeros((block, channels), np.float32)
        self._kept = np.empty((most, channels), np.float32)  # memory is taken as it is written
        self._cells = cells = np.zeros(card_loop.CELLS, np.int64)
        cells[card_loop.STOP] = 1
        card_loop.run_card(int(cells.ctypes.data))  # loads it, which takes longer than a block
        cells[card_loop.STOP] = 0
        self.began_s = time.monotonic()  # when it asks for the first frame
        cells[card_loop.ENGINE], cells[card_loop.BLOCK] = engine.address, block
        cells[card_loop.CHANNELS] = channels
        cells[card_loop.PERIOD_NS] = round(block / engine.rate_hz * 1e9 * 2**20)
        cells[card_loop.BEGAN_NS] = round(self.began_s * 1e9)
        cells[card_loop.OUT] = self._out.ctypes.data
        cells[card_loop.KEPT], cells[card_loop.MOST_KEPT] = self._kept.ctypes.data, most
        self._thread = threading.Thread(
            target=card_loop.run_card,
            args=(int(cells.ctypes.data),),
            name="puddle-simulated",
            daemon=True,
        )
        self._thread.start()

    def recorded(self) -> np.ndarray:
        """What was played so far, float32 (frames, channels)."""
        from puddle.engine import card_loop

        return self._kept[: int(self._cells[card_loop.FRAMES])].copy()

    @property
    def late_blocks(self) -> int:
        """How often it fell behind by a quarter of a second."""
        from puddle.engine import card_loop

        return int(self._cells[card_loop.LATE])

    @property
    def latency_frames(self) -> float:
        """None: what was asked for is heard at once."""
        return 0.0

    def close(self) -> None:
        """Stops the clock."""
        from puddle.engine import card_loop

        self._cells[card_loop.STOP] = 1
        self._thread.join()


class PortAudioDevice:
    """A sound card, its stream opened on the compiled callback."""

    def __init__(self, engine: Engine, info: DeviceInfo, block: int, channels: int = 2) -> None:
        import sounddevice

        from puddle.engine.mixer import callback

        self.name, self.channels = info.name, channels
        self.rate_hz = engine.rate_hz
        self.block = block
        self._index = info.index
        self._engine = engine  # kept: the card reads its memory until the stream is closed
        self._cells = np.array([engine.address, 0, channels], np.int64)
        self._lib, self._ffi = sounddevice._lib, sounddevice._ffi
        try:
            card = sounddevice.query_devices(info.index)
        except sounddevice.PortAudioError as error:  # it went since it was listed
            raise DeviceError(f"The sound card “{self.name}” is not there: {error}.") from error
        parameters = self._ffi.new(
            "PaStreamParameters*",
            {
                "device": info.index,
                "channelCount": channels,
                "sampleFormat": 1,  # paFloat32
                "suggestedLatency": card["default_low_output_latency"],
                "hostApiSpecificStreamInfo": self._ffi.NULL,
            },
        )
        self._stream = self._ffi.new("PaStream**")
        self._callback = self._ffi.cast("PaStreamCallback*", int(callback.address))
        self._check(
            self._lib.Pa_OpenStream(
                self._stream,
                self._ffi.NULL,
                parameters,
                float(engine.rate_hz),
                block,
                1,  # paClipOff: the safety limiter has seen to it
                self._callback,
                self._ffi.cast("void*", int(self._cells.ctypes.data)),
            )
        )
        self._ask_for_priority(sounddevice._libname)
        try:
            self._check(self._lib.Pa_StartStream(self._stream[0]))
        except DeviceError:
            self._lib.Pa_CloseStream(self._stream[0])
            raise

    def _ask_for_priority(self, library: str) -> None:
        """Real-time scheduling for ALSA's callback thread, where the system grants it.

        Where it does not, PortAudio goes on without. JACK's thread has its priority from JACK.
        """
        ask = getattr(ctypes.CDLL(library), "PaAlsa_EnableRealtimeScheduling", None)
        info = self._lib.Pa_GetDeviceInfo(self._index)
        if ask is not None and self._lib.Pa_GetHostApiInfo(info.hostApi).type == _ALSA:
            ask.argtypes, ask.restype = [ctypes.c_void_p, ctypes.c_int], None
            ask(int(self._ffi.cast("intptr_t", self._stream[0])), 1)

    def _check(self, code: int) -> None:
        if code < 0:
            text = self._ffi.string(self._lib.Pa_GetErrorText(code)).decode()
            raise DeviceError(f"The sound card “{self.name}” cannot be opened: {text}.")

    @property
    def is_jack(self) -> bool:
        """Whether its outputs are ports of JACK."""
        info = self._lib.Pa_GetDeviceInfo(self._index)
        return bool(self._lib.Pa_GetHostApiInfo(info.hostApi).type == _JACK)

    @property
    def late_blocks(self) -> int:
        """Underflows that the card reported."""
        return int(self._cells[1])

    @property
    def latency_frames(self) -> float:
        """As the card's driver tells it."""
        info = self._lib.Pa_GetStreamInfo(self._stream[0])
        return float(info.outputLatency) * self.rate_hz if info else 0.0

    def close(self) -> None:
        """Stops the stream; the callback has ended when this returns."""
        self._lib.Pa_StopStream(self._stream[0])
        self._lib.Pa_CloseStream(self._stream[0])


def devices() -> list[DeviceInfo]:
    """Every card with two outputs, and the simulated one last."""
    found = []
    sounddevice = portaudio()
    if sounddevice is not None:
        with contextlib.suppress(sounddevice.PortAudioError):
            default = sounddevice.default.device[1]
            for index, card in enumerate(sounddevice.query_devices()):
                if card["max_output_channels"] >= 2:
                    host = sounddevice.query_hostapis(card["hostapi"])["name"]
                    name = f"{card['name']} ({host})"
                    outs = int(card["max_output_channels"])
                    found.append(DeviceInfo(name, index, index == default, outs))
    return [*found, DeviceInfo(SIMULATED, None, channels=2 * MOST_PAIRS)]


def portaudio() -> Any:
    """The sounddevice module, or None where PortAudio is not installed."""
    introduce()
    try:
        import sounddevice
    except OSError:
        return None
    return sounddevice


def open_device(engine: Engine, wanted: str, block: int, pairs: int = 0) -> tuple[Device, str]:
    """The wanted card, else the default one, else the simulated one; and a sentence on why.

    With as many pairs of outputs beside the first as are wanted, or as it has: the engine is told.
    The sentence is empty where the choice needs no explaining.
    """
    device, note = _opened(engine, wanted, block, pairs)
    has = device.channels // 2 - 1
    engine.set_pairs(has)
    if has < pairs:
        lacks = f"{device.name} has {device.channels} outputs: what is to leave on others flows on."
        note = f"{note} {lacks}".strip()
    return device, note


def _opened(engine: Engine, wanted: str, block: int, pairs: int) -> tuple[Device, str]:
    known = devices()
    cards = [d for d in known if d.index is not None]
    chosen = next((d for d in known if d.name == wanted), None)
    missing = f"“{wanted}” is not there. " if wanted and chosen is None else ""
    chosen = chosen or next((d for d in cards if d.default), None) or (cards or known)[0]
    channels = min(chosen.channels // 2, 1 + pairs, MOST_PAIRS) * 2
    if chosen.index is not None:
        try:
            return PortAudioDevice(engine, chosen, block, channels), missing
        except DeviceError as error:
            return SimulatedDevice(engine, block), f"{error} Playing to a simulated one."
    if wanted == SIMULATED:
        return SimulatedDevice(engine, block, channels=channels), ""
    return SimulatedDevice(engine, block, channels=channels), (
        f"{missing}No sound card was found: playing to a simulated one, which is silent."
    )
