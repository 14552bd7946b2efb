"""Pictures of voices: a pitch or a level in time, or partials as stems."""

import math
from collections.abc import Iterable, Sequence

import msgspec

from puddle.picture import Axis, Handle, Picture, Pull
from puddle.units import db_from_gain

_POINTS = 120
_STEMS_DB = 48.0
_FALL_DB = 60.0
_HEADROOM_DB = 3.0


class Fall(msgspec.Struct, frozen=True):
    """A part that dies away: its linear level, the time to fall by 60 dB, and what sets that."""

    name: str
    level: float
    ms: float
    field: str = ""


def pitch_picture(
    start: tuple[str, float], end: tuple[str, float], fall: tuple[str, float], bend: float
) -> Picture:
    """Pitch against time, in octaves: the fall of `kernels.oscillators.falling_sine`.

    Start, end (Hz) and the time of nine tenths of the way (ms) come with their field's name; with
    an empty name they cannot be moved.
    """
    start_hz, end_hz, fall_ms = start[1], end[1], fall[1]
    whole_ms = max(2.0, 2.5 * fall_ms)
    points = []
    for n in range(_POINTS):
        t = whole_ms * n / (_POINTS - 1)
        left = _left(t, fall_ms, bend / 100.0)
        points.append((t, end_hz + (start_hz - end_hz) * left))
    low, high = sorted((start_hz, end_hz))
    handles = [
        Handle("start", 0.0, start_hz, upwards=Pull(start[0])),
        Handle("fall", fall_ms, end_hz + 0.1 * (start_hz - end_hz), across=Pull(fall[0])),
        Handle("end", whole_ms, end_hz, upwards=Pull(end[0])),
    ]
    named = [name for name, _ in (start, fall, end)]
    return Picture(
        "curve",
        "pitch",
        tuple(points),
        Axis(0.0, whole_ms, "ms"),
        Axis(low / 1.06, high * 1.06, "Hz", log=True),
        handles=tuple(h for h, name in zip(handles, named, strict=True) if name),
    )


def _left(t: float, fall: float, c: float) -> float:
    """What is left of a fall after a time; see `kernels.oscillators`."""
    if abs(c) < 1e-3:
        return math.exp(-t * math.log(10.0) / fall)
    base = 1.0 + (10.0**c - 1.0) * t / fall
    return float(base ** (-1.0 / c)) if base > 0.0 else 0.0


def partial_picture(
    partials: Iterable[tuple[float, float]], handles: Sequence[Handle] = ()
) -> Picture:
    """Partials as (frequency in Hz, linear gain): stems along octaves, 48 dB high."""
    found = [(hz, db_from_gain(abs(gain))) for hz, gain in partials if hz > 0.0 and gain != 0.0]
    top = max((db for _, db in found), default=0.0)
    floor = top - _STEMS_DB
    low = min((hz for hz, _ in found), default=100.0) / 1.3
    high = max((hz for hz, _ in found), default=1000.0) * 1.3
    return Picture(
        "stems",
        "partials",
        tuple((hz, db) for hz, db in found if db > floor),
        Axis(low, high, "Hz", log=True),
        Axis(floor, top + _HEADROOM_DB, "dB"),
        handles=tuple(h for h in handles if h.y > floor),
    )


def level_picture(
    levels: Sequence[float], whole_ms: float, handles: Sequence[Handle] = ()
) -> Picture:
    """A linear level at even steps of a time, as a share of its highest in %."""
    top = max(levels, default=1.0) or 1.0
    count = max(1, len(levels) - 1)
    points = tuple((whole_ms * n / count, 100.0 * v / top) for n, v in enumerate(levels))
    across, upwards = Axis(0.0, whole_ms, "ms"), Axis(0.0, 100.0, "%")
    return Picture("curve", "level", points, across, upwards, handles=tuple(handles))


def decay_picture(
    falls: Sequence[Fall],
    *,
    rise: tuple[str, float] = ("", 0.0),
    hold: tuple[str, float] = ("", 0.0),
) -> Picture:
    """Decays in dB, each a straight line, after a common rise and hold: the sum, and its parts.

    A part's handle is where its line has come down to the foot of the picture.
    """
    begin_ms = rise[1] + hold[1]
    audible = [f for f in falls if f.level > 0.0]
    levels_db = [db_from_gain(f.level) for f in audible]
    top = db_from_gain(sum(f.level for f in audible)) if audible else 0.0
    foot = top - _FALL_DB
    lines, handles = [], []
    for f, db in zip(audible, levels_db, strict=True):
        share = (db - foot) / _FALL_DB  # how much of its own fall the picture shows
        if share > 0.0:
            gone_ms = begin_ms + f.ms * share
            lines.append(((begin_ms, db), (gone_ms, foot)))
            if f.field:
                pull = Pull(f.field, begin_ms, 1.0 / share)
                handles.append(Handle(f.name, gone_ms, foot, across=pull))
    ends_ms = max([begin_ms + 1.0, *(line[1][0] for line in lines)])
    whole_ms = 1.08 * ends_ms
    points = []
    for n in range(_POINTS):
        t = whole_ms * n / (_POINTS - 1)
        points.append((t, max(foot, _sum_db(audible, t, rise[1], begin_ms))))
    if hold[0]:
        handles.append(Handle("hold", begin_ms, top, across=Pull(hold[0], rise[1])))
    if rise[0]:
        handles.append(Handle("rise", rise[1], top, across=Pull(rise[0])))
    return Picture(
        "curve",
        "level",
        tuple(points),
        Axis(0.0, whole_ms, "ms"),
        Axis(foot, top + _HEADROOM_DB, "dB"),
        parts=tuple(lines) if len(lines) > 1 else (),
        handles=tuple(handles),
    )


def _sum_db(falls: Sequence[Fall], t: float, rise_ms: float, begin_ms: float) -> float:
    past = max(0.0, t - begin_ms)
    level = sum(f.level * 10.0 ** (-3.0 * past / f.ms) for f in falls)
    if rise_ms > 0.0:
        level *= min(1.0, t / rise_ms)
    return db_from_gain(level)


def shell_handle(hz: float, db: float) -> Handle:
    """The stem of a shell: its pitch across, its level upwards."""
    return Handle("shell", hz, db, Pull("shell_hz"), Pull("shell_db"))
