"""What is listened to beside the kit: nothing of it is in a bounce."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from typing import Literal

import numpy as np

from puddle.engine import layout
from puddle.engine.graph import address
from puddle.engine.sending import Sender, Table
from puddle.kit.model.document import Kit
from puddle.kit.model.pattern import Meter
from puddle.render.backing import Track


class Monitoring:
    """Monitor switches, the metronome, and audio that runs with the groove."""

    rate_hz: float
    monitor: np.ndarray
    sender: Sender
    voices: np.ndarray
    _lock: threading.Lock
    _kit: Kit | None

    def set_listening(self, *, mono: bool, small_speaker: bool) -> None:
        """Switches the monitor to mono, and to a small speaker's response."""
        monitor = self.monitor[0]
        monitor["mono"], monitor["speaker"] = float(mono), float(small_speaker)

    def set_metronome(
        self, when: Literal["off", "on", "count-in"], gain: float, meter: Meter, origin: float
    ) -> None:
        """Clicks on the beats of a meter, whose bars begin with a beat of the groove.

        Of a count-in only before the first beat. They are never exported.
        """
        monitor = self.monitor[0]
        count, unit = meter.split("/")
        monitor["click_unit"], monitor["click_count"] = 4.0 / int(unit), int(count)
        monitor["click_origin"], monitor["click_gain"] = origin, gain
        monitor["click_on"] = {"off": 0.0, "on": 1.0, "count-in": 2.0}[when]

    def set_under(self, takes: Sequence[Track]) -> None:
        """What runs under the groove while it plays; it is never exported."""
        rows = np.zeros(max(1, len(takes)), layout.UNDER_TAKE)
        for row, take in zip(rows, takes, strict=False):
            row["audio"], row["frames"] = address(take.audio), take.audio.shape[0]
            row["offset"], row["length"], row["gain"] = take.offset, take.length, take.gain
        with self._lock:
            memory = (rows, [take.audio for take in takes])
            self.sender.publish([Table(layout.UNDER, address(rows), memory, count=len(takes))])
            self.sender.free(self.voices)

    def set_reference(self, audio: np.ndarray | None, beats: float = 0.0) -> None:
        """A loop, float32 (frames, 2), that runs with the groove, at its tempo; None for none.

        Its frames are those of so many beats at the tempo of now, to the nearest.
        """
        with self._lock:
            if audio is None:
                audio, length = np.zeros((0, 2), np.float32), 0.0
            else:
                bpm = self._kit.tempo_bpm if self._kit is not None else 120.0
                length = beats * 60.0 / bpm * self.rate_hz
            loop = Table(layout.LOOP, address(audio), audio, count=len(audio), value=length)
            self.sender.publish([loop])
            self.sender.free(self.voices)

    def listen_to_reference(
        self, reference: bool, own_gain: float = 1.0, reference_gain: float = 1.0
    ) -> None:
        """Whether the loop is heard instead of the master; gains are linear, for both to match."""
        monitor = self.monitor[0]
        monitor["own_gain"], monitor["reference_gain"] = own_gain, reference_gain
        monitor["reference"] = float(reference)
