"""How loud a voice is as it starts, so that voices are heard and put on pads at like levels."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

from puddle.kit.model.roles import ROLES, Role
from puddle.measure.levels import loudness_lufs, peak_dbfs
from puddle.tasks import check_cancelled
from puddle.voices import AnyVoice
from puddle.voices.voice import HOME_HZ

HEARD_LUFS = -23.0  # of every voice in the chooser
_ROOM_DB = -1.0  # no sound is lifted until its peak is over that
_MOST_DB = 12.0


@lru_cache(1024)
def _levels(voice: AnyVoice) -> tuple[float, float] | None:
    """Loudness in LUFS and peak in dBFS at full strength; None in silence."""
    audio = voice.render(HOME_HZ, 1.0)
    loud = loudness_lufs(audio, HOME_HZ)
    return None if loud is None else (loud, peak_dbfs(audio))


def learn(voices: Iterable[AnyVoice]) -> None:
    """Measures voices before their levels are asked for; may be left between two of them."""
    for voice in voices:
        check_cancelled()
        _levels(voice)


def lift_db(voice: AnyVoice, wanted_lufs: float) -> float:
    """What brings a voice to a loudness, as far as its peak and a pad's level let it; to 0.1 dB."""
    found = _levels(voice)
    if found is None:
        return 0.0
    loud, peak = found
    lift = min(wanted_lufs - loud, max(0.0, _ROOM_DB - peak), _MOST_DB)
    return round(lift, 1)


def role_lift_db(voice: AnyVoice, role: Role) -> float:
    """What brings a voice to the level of its role."""
    return lift_db(voice, ROLES[role].loudness_lufs)
