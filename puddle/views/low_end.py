"""Who meets in the low end: pads that a pattern plays at once below 250 Hz, and which gives way."""

from __future__ import annotations

import itertools
import math

import msgspec
import numpy as np
import scipy.fft

from puddle.engine.offline import Progress, bounce_beats
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.playing.groove import groove_of
from puddle.kit.playing.schedule import pattern_beats
from puddle.measure.conflicts import crowding, energies
from puddle.measure.levels import peak_dbfs
from puddle.measure.low_shift import low_shift
from puddle.render.take import Takes
from puddle.tasks import report, unshown

HIGHEST_HZ = 250.0
_LEAST_SHARE = 0.25  # of a pad's energy below it: others are not asked
_FALL = 0.1  # of its peak: so long a pad is loud
_WINDOW_S = 0.01
_LEAST_MS, _LONGEST_MS = 30.0, 400.0


class Meeting(msgspec.Struct, frozen=True):
    """Two pads in one band: which stays, which can give way, and by what."""

    stays: str
    gives: str
    low_hz: float
    high_hz: float
    center_hz: float
    cut_db: float  # below zero
    q: float
    peak_db: float  # of the one that stays
    lasts_ms: float  # until the one that stays has fallen by 20 dB
    crowd: float
    shift_ms: float = 0.0  # by which the one that gives way comes later, so that both add up best
    won_db: float = 0.0  # by that, below 250 Hz
    tail_ms: float = 0.0  # until the one that gives way has fallen by 20 dB


class _Heard(msgspec.Struct, frozen=True, eq=False):
    """A pad alone, in a pass of the pattern."""

    audio: np.ndarray
    energies: np.ndarray


def meetings(
    kit: Kit, pattern: Pattern, takes: Takes, progress: Progress = report
) -> list[Meeting]:
    """Of all pads with a low end in a pass of a pattern, the worst first. Raises Cancelled."""
    heard: dict[str, _Heard] = {}
    beats = min(16.0, pattern_beats(pattern))
    dry = msgspec.structs.replace(
        kit,
        pads=tuple(msgspec.structs.replace(p, bus="", sends=(), solo=False) for p in kit.pads),
        buses=(),
        master=msgspec.structs.replace(kit.master, stages=()),
    )
    groove = groove_of(pattern)
    lanes = [lane for lane in pattern.lanes if lane.hits and not lane.mute and kit.pad(lane.pad)]
    for n, lane in enumerate(lanes):
        progress(n / len(lanes))
        audio = bounce_beats(dry, groove, beats, takes, unshown, only=lane.pad).master
        if _low_share(audio, takes.rate_hz) >= _LEAST_SHARE:
            heard[lane.pad] = _Heard(audio, energies(audio, takes.rate_hz, math.inf))
    kicks = {pad.id for pad in kit.pads if pad.role == "kick"}
    found = [
        _meeting(pads, (heard[pads[0]], heard[pads[1]]), _behind(pads, kicks), takes.rate_hz)
        for pads in itertools.combinations(heard, 2)
    ]
    return sorted((one for one in found if one is not None), key=lambda one: -one.crowd)


def _behind(pads: tuple[str, str], kicks: set[str]) -> int | None:
    """Which of two gives way: what meets a kick; None where both are kicks, or neither is."""
    one, other = pads[0] in kicks, pads[1] in kicks
    return None if one == other else int(one)


def _meeting(
    pads: tuple[str, str], heard: tuple[_Heard, _Heard], gives_way: int | None, rate_hz: float
) -> Meeting | None:
    sounds = heard[0].audio, heard[1].audio
    for one in crowding(heard[0].energies, heard[1].energies, gives_way):
        if one.center_hz <= HIGHEST_HZ:
            stays = 1 - one.gives_way
            shift_ms, won_db = low_shift(sounds[stays], sounds[one.gives_way], rate_hz)
            return Meeting(
                shift_ms=shift_ms,
                won_db=won_db,
                tail_ms=_lasts_ms(sounds[one.gives_way], rate_hz),
                stays=pads[stays],
                gives=pads[one.gives_way],
                low_hz=one.low_hz,
                high_hz=one.high_hz,
                center_hz=one.center_hz,
                cut_db=one.cut_db,
                q=one.q,
                peak_db=peak_dbfs(sounds[stays]),
                lasts_ms=_lasts_ms(sounds[stays], rate_hz),
                crowd=one.crowd,
            )
    return None


def _low_share(audio: np.ndarray, rate_hz: float) -> float:
    """The share of energy below 250 Hz."""
    size = scipy.fft.next_fast_len(audio.shape[0], real=True)
    power = np.abs(scipy.fft.rfft(audio[:, 0] + audio[:, 1], size)) ** 2
    hz = scipy.fft.rfftfreq(size, 1.0 / rate_hz)
    total = float(power.sum())
    return float(power[hz <= HIGHEST_HZ].sum()) / total if total > 0.0 else 0.0


def _lasts_ms(audio: np.ndarray, rate_hz: float) -> float:
    """How long after its loudest moment a sound stays within 20 dB of it."""
    size = max(1, round(_WINDOW_S * rate_hz))
    count = audio.shape[0] // size
    levels = np.abs(audio[: count * size]).reshape(count, -1).max(axis=1)
    if not levels.size or levels.max() <= 0.0:
        return _LEAST_MS
    peak = int(np.argmax(levels))
    below = np.flatnonzero(levels[peak:] < _FALL * levels[peak])
    windows = int(below[0]) if below.size else count - peak
    return float(np.clip(windows * _WINDOW_S * 1000.0, _LEAST_MS, _LONGEST_MS))
