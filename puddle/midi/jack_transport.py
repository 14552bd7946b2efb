"""JACK's transport: followed, or led with bars, beats and tempo.

A program that goes with the transport makes, in a cycle, the frames that the transport is at then.
They are heard a card's latency later, as those of all others are.
"""

from __future__ import annotations

import contextlib
import os
from typing import Any

from puddle.midi.engine_time import Card, Runs
from puddle.midi.following import Beat
from puddle.midi.ports import quiet

JACK = "JACK transport"
_TRIES_S = 2.0
_BEATS_PER_BAR, _TICKS = 4.0, 1920.0
_STARTS_S = 0.3  # a transport takes some periods to start; located meanwhile it begins anew
_AWAY_S = 0.02  # from where the groove is: then it is located anew, some times
_MOST_TRIES = 4


class JackTransport:
    """A client of a JACK server, as soon and as long as one runs."""

    def __init__(self) -> None:
        self._client: Any = None
        self._jack: Any = None
        self._tries_at = 0.0
        self._led: tuple[bool, float] | None = None  # whether the groove ran, and at which tempo
        self._bpm = 120.0
        self._located_at = -1e9
        self._start_takes_s = 0.0  # of the transport, as it was seen
        self._tries = 0
        self._is_base = False

    def beat(self, runs: Runs, card: Card, own_bpm: float) -> Beat:
        """Where the transport is, as it is heard; standing where there is no server.

        Where it has no tempo its frames are beats of our own one.
        """
        found = self._query(runs.at_s)
        if found is None:
            return Beat(False)
        state, place = found
        rate = float(place["frame_rate"])
        bpm = float(place.get("beats_per_minute", 0.0)) or own_bpm
        beat = self._beat_of(place, bpm)
        since = float(self._client.frames_since_cycle_start)
        later = card.block + card.latency_frames - since
        running = bool(state == self._jack.ROLLING)
        return Beat(running, beat - later / rate * bpm / 60.0, bpm)

    def lead(self, runs: Runs) -> None:
        """Starts, stops and places the transport as the groove does."""
        found = self._query(runs.at_s)
        if found is None:
            return
        self._bpm = runs.bpm
        self._become_base()
        state, place = found
        rolling = state == self._jack.ROLLING
        rate = float(place["frame_rate"])
        with contextlib.suppress(Exception):
            if runs.playing and runs.beat >= 0.0:
                late_s = runs.beat * 60.0 / runs.bpm - float(place["frame"]) / rate
                if runs.at_s - self._located_at > _STARTS_S:
                    self._place(runs, rate, late_s if rolling else None)
            elif not runs.playing:
                self._tries = 0
                if rolling and self._led is not None and self._led[0]:
                    self._client.transport_stop()
        self._led = (runs.playing, runs.bpm)

    def _place(self, runs: Runs, rate_hz: float, late_s: float | None) -> None:
        """Starts it where the groove is; once it rolls, later by what its start took."""
        if late_s is not None:
            if abs(late_s) <= _AWAY_S or self._tries >= _MOST_TRIES:
                return
            self._start_takes_s = max(0.0, min(1.0, self._start_takes_s + late_s))
        self._tries += 1
        self._located_at = runs.at_s
        at_s = runs.beat * 60.0 / runs.bpm + self._start_takes_s
        self._client.transport_frame = max(0, round(at_s * rate_hz))
        self._client.transport_start()

    def close(self) -> None:
        """Leaves the server."""
        if self._client is not None:
            with contextlib.suppress(Exception):
                if self._is_base:
                    self._client.release_timebase()
                self._client.deactivate()
                self._client.close()
        self._client = None

    def _beat_of(self, place: dict[str, Any], bpm: float) -> float:
        """In quarters; by bar and beat where the transport has them, else by its frame."""
        if "bar" in place:
            unit = 4.0 / float(place["beat_type"])
            whole = float(place["bar"] - 1) * float(place["beats_per_bar"])
            in_bar = float(place["beat"] - 1) + float(place["tick"]) / place["ticks_per_beat"]
            return float(whole + in_bar) * unit
        return float(place["frame"]) / float(place["frame_rate"]) * bpm / 60.0

    def _query(self, now_s: float) -> tuple[Any, dict[str, Any]] | None:
        if self._client is None and now_s >= self._tries_at:
            self._tries_at = now_s + _TRIES_S
            self._connect()
        if self._client is None:
            return None
        try:
            state, place = self._client.transport_query()
        except Exception:
            self.close()
            return None
        return state, place

    def _connect(self) -> None:
        os.environ["JACK_NO_START_SERVER"] = "1"
        with contextlib.suppress(Exception), quiet():
            import jack

            for mute in (jack.set_error_function, jack.set_info_function):
                mute(lambda message: None)  # that there is no server is nothing to be printed
            self._jack = jack
            client = jack.Client("Puddle time", no_start_server=True)
            client.set_shutdown_callback(self._lost)
            client.activate()
            self._client, self._is_base = client, False

    def _lost(self, *_: Any) -> None:
        self._client = None

    def _become_base(self) -> None:
        if self._is_base or self._client is None:
            return
        with contextlib.suppress(Exception):
            self._client.set_timebase_callback(self._fill, conditional=True)
            self._is_base = True

    def _fill(self, state: Any, block: int, place: Any, is_new: bool) -> None:
        """Bar, beat and tempo of a frame, in quarters of four to the bar."""
        beats = place.frame / place.frame_rate * self._bpm / 60.0
        bar = int(beats // _BEATS_PER_BAR)
        in_bar = beats - bar * _BEATS_PER_BAR
        place.bar, place.beat = bar + 1, int(in_bar) + 1
        place.tick = int((in_bar % 1.0) * _TICKS)
        place.bar_start_tick = bar * _BEATS_PER_BAR * _TICKS
        place.beats_per_bar, place.beat_type = _BEATS_PER_BAR, 4.0
        place.ticks_per_beat, place.beats_per_minute = _TICKS, self._bpm
        place.valid = 0x10  # JackPositionBBT
        del state, block, is_new
