"""JACK's transport: followed, or led with bars, beats and tempo.

A program that goes with the transport makes, in a cycle, the frames that the transport is at then.
They are heard a card's latency later, as those of all others are.
"""

from __future__ import annotations

import contextlib
import math
import time
from typing import TYPE_CHECKING

import numpy as np

from puddle.midi.engine_time import Card, Runs
from puddle.midi.following import Beat
from puddle.midi.jack_client import JackClient, jack_events
from puddle.midi.ports import PortError

if TYPE_CHECKING:
    from types import ModuleType

JACK = "JACK transport"
_TRIES_S = 2.0
_ROLLING = 1  # JackTransportRolling
_BAR_AND_BEAT = 0x10  # JackPositionBBT
_STARTS_S = 0.3  # a transport takes some periods to start; located meanwhile it begins anew
_AWAY_S = 0.02  # from where the groove is: then it is located anew, some times
_MOST_TRIES = 4


def beat_and_tempo(place: np.void, own_bpm: float) -> tuple[float, float]:
    """The beat, in quarters, and the tempo in bpm of a `kernels.jack_events.POSITION`.

    Where the program that leads tells bar and beat, by those, else by its frame; a tempo that is
    not told, or is none, is our own one.
    """
    told = place["valid"] & _BAR_AND_BEAT
    names = ("beat_type", "beats_per_bar", "ticks_per_beat", "beats_per_minute")
    unit, per_bar, ticks, bpm = (float(place[name]) for name in names)
    if not (told and 0.0 < bpm < math.inf):
        bpm = own_bpm
    if not told or not all(0.0 < one < math.inf for one in (unit, per_bar, ticks)):
        return float(place["frame"]) / float(place["frame_rate"]) * bpm / 60.0, bpm
    in_bar = float(place["beat"]) - 1.0 + float(place["tick"]) / ticks
    return ((float(place["bar"]) - 1.0) * per_bar + in_bar) * 4.0 / unit, bpm


class JackTransport:
    """A client of a JACK server, as soon and as long as one runs."""

    def __init__(self) -> None:
        self._client: JackClient | None = None
        self._events: ModuleType | None = None  # what JACK calls
        self._place = np.zeros(0)  # the last that was told
        self._base = np.array([120.0])  # the tempo that is told to others
        self._tries_at = 0.0
        self._led: tuple[bool, float] | None = None  # whether the groove ran, and at which tempo
        self._located_at = -1e9
        self._start_takes_s = 0.0  # of the transport, as it was seen
        self._tries = 0
        self._is_base = False

    def beat(self, runs: Runs, card: Card, own_bpm: float) -> Beat:
        """Where the transport is, as it is heard; standing where there is no server.

        Where it has no tempo its frames are beats of our own one.
        """
        found = self._query()
        if found is None:
            return Beat(False)
        client, rolling, place = found
        rate = float(place["frame_rate"])
        beat, bpm = beat_and_tempo(place, own_bpm)
        since = float(client.library.jack_frames_since_cycle_start(client.pointer))
        later = card.block + card.latency_frames - since
        return Beat(rolling, beat - later / rate * bpm / 60.0, bpm)

    def lead(self, runs: Runs) -> None:
        """Starts, stops and places the transport as the groove does."""
        found = self._query()
        if found is None:
            return
        client, rolling, place = found
        self._base[0] = runs.bpm
        self._become_base(client)
        rate = float(place["frame_rate"])
        if runs.playing and runs.beat >= 0.0:
            late_s = runs.beat * 60.0 / runs.bpm - float(place["frame"]) / rate
            if runs.at_s - self._located_at > _STARTS_S:
                self._locate(client, runs, rate, late_s if rolling else None)
        elif not runs.playing:
            self._tries = 0
            if rolling and self._led is not None and self._led[0]:
                client.library.jack_transport_stop(client.pointer)
        self._led = (runs.playing, runs.bpm)

    def _locate(self, client: JackClient, runs: Runs, rate_hz: float, late_s: float | None) -> None:
        """Starts it where the groove is; once it rolls, later by what its start took."""
        if late_s is not None:
            if abs(late_s) <= _AWAY_S or self._tries >= _MOST_TRIES:
                return
            self._start_takes_s = max(0.0, min(1.0, self._start_takes_s + late_s))
        self._tries += 1
        self._located_at = runs.at_s
        at_s = runs.beat * 60.0 / runs.bpm + self._start_takes_s
        frame = max(0, round(at_s * rate_hz))
        client.library.jack_transport_locate(client.pointer, frame)
        client.library.jack_transport_start(client.pointer)

    def close(self) -> None:
        """Leaves the server; not while it is sought."""
        client, self._client = self._client, None
        if client is None:
            return
        if self._is_base and not client.lost:
            client.library.jack_release_timebase(client.pointer)
        client.close()

    def seek(self) -> None:
        """Connects to a server if one has come; by one thread, for one that stands still keeps it.

        Without a server it takes some 4 ms.
        """
        client, now = self._client, time.monotonic()
        if (client is not None and not client.lost) or now < self._tries_at:
            return
        self._tries_at = now + _TRIES_S
        with contextlib.suppress(PortError):
            client = JackClient(b"Puddle time")
            events = self._events = jack_events()
            self._place = np.zeros(2, events.POSITION)  # it is longer than what is read
            client.keeps = self._place, self._base
            client.library.jack_activate(client.pointer)
            self._is_base = False
            self._client = client

    def _query(self) -> tuple[JackClient, bool, np.void] | None:
        """The client, whether the transport rolls, and where it is; None without a server."""
        client = self._client
        if client is None or client.lost:
            return None
        state = client.library.jack_transport_query(client.pointer, self._place.ctypes.data)
        place = self._place[0]
        return (client, state == _ROLLING, place) if place["frame_rate"] else None

    def _become_base(self, client: JackClient) -> None:
        """Tells others of bar, beat and tempo, unless another program does."""
        if self._is_base or self._events is None:
            return
        give, memory = self._events.give_position.address, self._base.ctypes.data
        library, only_if_none = client.library, 1
        self._is_base = not library.jack_set_timebase_callback(
            client.pointer, only_if_none, give, memory
        )
