"""What a pad plays, rendered and measured for the rules."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np

from puddle.kit.edits.velocities import rungs
from puddle.kit.model.document import Pad, Sound
from puddle.kit.playing.velocity import lows_of, step_of, struck, turns_by_place
from puddle.measure.envelope import outline
from puddle.measure.levels import loudness_lufs, true_peak_dbtp
from puddle.measure.pitch import Pitch, fundamental
from puddle.render.take import Takes
from puddle.render.takeset import Key, take_of
from puddle.units import db_from_gain

_MOST_SOFTER = 4  # strengths of a sound that only grows softer: it does so evenly
_FLOOR_DB = -200.0
_ONSET, _BEGUN, _RISEN = (10.0 ** (db / 20.0) for db in (-48.0, -110.0, -6.0))  # of the peak
_SWELLS_S = 0.015  # what takes longer from onset to body begins softly, not late
_BEFORE_END_S, _ENDS_S = 0.008, 0.003  # a short fade at the very end hides no cut
_SILENT = 10.0 ** (-100.0 / 20.0)


class Take(msgspec.Struct, frozen=True):
    """What one strength and turn plays, before the pad's level: levels in dB, times in ms."""

    key: Key
    loudness_lufs: float
    peak: float
    digest: int  # equal for equal samples


class Heard(msgspec.Struct, frozen=True, eq=False):
    """A pad's takes, and what is asked of the hardest."""

    pad: Pad
    takes: tuple[Take, ...]  # soft to hard, turn by turn
    audio: np.ndarray  # of the hardest, the first turn: float32 (frames, 2)
    rate_hz: float
    true_peak_dbtp: float
    onset_ms: float
    first_db: float  # its first sample beside its peak
    rises_ms: float  # from the first frame until half of the peak
    end_db: float  # the level before its end beside its peak
    silent_end_ms: float
    mean: float
    pitch: Pitch | None  # None where nobody asks for it

    @property
    def hardest(self) -> Take:
        """The take of full strength, its first turn."""
        step = max(take.key[0] for take in self.takes)
        return next(take for take in self.takes if take.key[0] == step)

    def of_turn(self, turn: int = 0) -> list[Take]:
        """The takes of one turn, soft to hard."""
        return [take for take in self.takes if take.key[1] == turn]


def steps_asked(sound: Sound) -> list[int]:
    """The steps that are listened to: of each rung its hardest, and some where gauges move."""
    lows = lows_of(sound)
    last = len(lows) - 1
    found = {step_of(max(g[0].softest, g[0].hardest), lows) for g in rungs(sound)}
    found |= {step_of(min(g[0].softest, g[0].hardest), lows) for g in rungs(sound)}
    found |= {round(n * last / _MOST_SOFTER) for n in range(_MOST_SOFTER + 1)}
    return sorted(found)


def heard_of(pad: Pad, takes: Takes, *, pitched: bool) -> Heard | None:
    """Renders and measures a pad; None where it has no layers that are on."""
    sound = pad.sound
    if not any(layer.on for layer in sound.layers):
        return None
    found = tuple(_takes_of(pad, takes))
    lows = lows_of(sound)
    audio = take_of(takes, sound, (len(lows) - 1, 0, 0))
    rate = takes.rate_hz
    level = outline(audio)
    peak = float(level.max(initial=0.0))
    return Heard(
        pad=pad,
        takes=found,
        audio=audio,
        rate_hz=rate,
        true_peak_dbtp=true_peak_dbtp(audio),
        onset_ms=_onset_ms(level, peak, rate),
        first_db=_beside(float(level[0]) if level.size else 0.0, peak),
        rises_ms=1000.0 * float(np.argmax(level > 0.5 * peak)) / rate if peak > 0.0 else 0.0,
        end_db=_end_db(level, peak, rate),
        silent_end_ms=_silent_end_ms(level, rate),
        mean=float(np.abs(np.mean(audio, axis=0, dtype=np.float64)).max(initial=0.0)),
        pitch=fundamental(audio, rate) if pitched else None,
    )


def _takes_of(pad: Pad, takes: Takes) -> Iterator[Take]:
    for step in steps_asked(pad.sound):
        for turn in sorted(turns_by_place(pad.sound)):
            audio = takes.sound(struck(pad.sound, step, turn)).audio
            loud = loudness_lufs(audio, takes.rate_hz)
            yield Take(
                (step, turn, 0),
                _FLOOR_DB if loud is None else loud,
                float(np.abs(audio).max(initial=0.0)),
                hash(audio.tobytes()),
            )


def _beside(value: float, peak: float) -> float:
    return db_from_gain(value / peak) if value > 0.0 and peak > 0.0 else _FLOOR_DB


def _onset_ms(level: np.ndarray, peak: float, rate_hz: float) -> float:
    """Where it first comes within 48 dB of its peak; of a swell, within 110 dB."""
    if peak <= 0.0:
        return 0.0
    onset, risen = (int(np.argmax(level > share * peak)) for share in (_ONSET, _RISEN))
    if risen - onset > _SWELLS_S * rate_hz:
        onset = int(np.argmax(level > _BEGUN * peak))
    return 1000.0 * onset / rate_hz


def _end_db(level: np.ndarray, peak: float, rate_hz: float) -> float:
    """The loudest of the 5 ms that end 3 ms before the end, beside the peak."""
    first, last = (max(1, level.size - round(s * rate_hz)) for s in (_BEFORE_END_S, _ENDS_S))
    return _beside(float(level[first - 1 : last].max(initial=0.0)), peak)


def _silent_end_ms(level: np.ndarray, rate_hz: float) -> float:
    """For how long nothing over -100 dBFS is heard at the end."""
    loud = np.flatnonzero(level > _SILENT)
    if not loud.size:
        return 0.0
    return 1000.0 * float(level.size - 1 - loud[-1]) / rate_hz
