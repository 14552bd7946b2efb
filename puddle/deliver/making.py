"""What all parts of a delivery are made from: the kit, its takes, and what was measured."""

from __future__ import annotations

import threading

import numpy as np

from puddle.deliver.names import Taken, named
from puddle.deliver.options import Options
from puddle.deliver.strikes import Heard, Strike
from puddle.files import writable
from puddle.formats.store import SampleStore
from puddle.kit.model.document import Kit, Pad
from puddle.kit.playing.key_tracking import pad_tune_st
from puddle.kit.playing.tempo import paced
from puddle.kit.playing.velocity import steps_of, struck
from puddle.measure.pitch import fundamental
from puddle.render.take import Takes
from puddle.tasks import check_cancelled, in_parallel
from puddle.units import ascii_note_name, note_from_hz

_SURE = 0.8


class Making:
    """A kit that is delivered; safe to use from several threads."""

    def __init__(self, kit: Kit, takes: Takes, store: SampleStore, options: Options) -> None:
        self.kit, self.takes, self.store, self.options = kit, takes, store, options
        self.taken = Taken()
        self.timed = paced(kit)
        self._pitches: dict[str, float | None] = {}
        self._frames: dict[str, int] = {}
        self._lock = threading.Lock()

    def pads(self) -> list[Pad]:
        """The pads that have something to play, by their place."""
        found = [pad for pad in self.timed.pads if any(layer.on for layer in pad.sound.layers)]
        return sorted(found, key=lambda pad: pad.place)

    def learn(self, jobs: int | None = None) -> None:
        """Renders every pad's hardest strike and finds its pitch, on several threads."""
        for _ in in_parallel(self._learn, self.pads(), jobs, "puddle-deliver"):
            pass

    def _learn(self, pad: Pad) -> None:
        check_cancelled()
        self.pitch(pad)
        with self._lock:
            self._frames[pad.id] = self.hardest(pad).shape[0]

    def hardest(self, pad: Pad) -> np.ndarray:
        """The take of full strength, the first turn: float32 (frames, 2)."""
        sound = struck(pad.sound, steps_of(pad.sound) - 1, 0)
        return self.takes.sound(sound).audio

    def heard(self) -> Heard:
        """Strikes on the way that the options say."""
        return Heard(self.timed, self.takes, self.options.source)

    def pitch(self, pad: Pad) -> float | None:
        """The note that a pad sounds at full strength, a MIDI number with its fraction."""
        with self._lock:
            if pad.id in self._pitches:
                return self._pitches[pad.id]
        found = fundamental(self.hardest(pad), self.takes.rate_hz)
        note = None
        if found.hz is not None and found.confidence >= _SURE:
            note = note_from_hz(found.hz) + pad_tune_st(pad)
        with self._lock:
            self._pitches[pad.id] = note
        return note

    def frames_about(self, pad: Pad) -> int:
        """The length of its hardest strike, without what rings on in the mix."""
        with self._lock:
            known = self._frames.get(pad.id)
        return int(self.hardest(pad).shape[0]) if known is None else known

    def name_of(self, pad: Pad, alternate: str, strike: Strike, turns: int) -> str:
        """A file's name by the scheme, with its folder, without a suffix."""
        options = self.options
        note = self.pitch(pad) if "{note}" in options.scheme else None
        values = {
            "kit": self.kit.name,
            "pad": pad.name,
            "number": f"{pad.place + 1:02d}",
            "role": pad.role,
            "note": ascii_note_name(round(note)) if note is not None else "",
            "key": ascii_note_name(pad.notes[0]) if pad.notes else "",
            "velocity": f"{strike.strength.high:03d}",
            "turn": str(strike.place + 1) if turns > 1 else "",
            "alternate": alternate,
            "tempo": f"{self.kit.tempo_bpm:.0f}",
        }
        scheme = options.scheme
        if alternate and "{alternate}" not in scheme:
            scheme += " {alternate}"
        name = named(scheme, values)
        return _folder(pad, options) + name


def _folder(pad: Pad, options: Options) -> str:
    if options.folders == "by role":
        return f"{pad.role.capitalize()}/"
    if options.folders == "by pad":
        return f"{writable(pad.name)}/"
    return ""
