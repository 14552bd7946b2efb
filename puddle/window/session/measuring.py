"""What is measured of the selected pad's sound, as it is heard."""

from __future__ import annotations

from collections.abc import Sequence

from puddle.kit.model.document import Pad, Sound
from puddle.kit.playing.velocity import hardest
from puddle.measure.levels import loudness_lufs
from puddle.render.take import Takes
from puddle.units import db_from_gain, note_from_hz, pan_gains
from puddle.window.session.session import Session

_HIGHEST_NOTE = 127


def is_heard(session: Session, sound: Sound) -> bool:
    """Whether a sound that was drawn or measured is the selected pad's as it is heard now.

    At the kit's tempo, with what is tried in its place; or as the kit has it.
    """
    heard = session.heard.pad(session.pad_id)
    own = session.pad
    return (heard is not None and sound is heard.sound) or (own is not None and sound is own.sound)


def out_peak_db(pad: Pad, side_peaks_db: Sequence[float]) -> float:
    """The peak of a sound in dBFS as its pad puts it out: through its own level and pan."""
    gains = [db_from_gain(gain) for gain in pan_gains(pad.pan)]
    return pad.level_db + max(map(sum, zip(side_peaks_db, gains, strict=True)))


def full_loudness(takes: Takes, sound: Sound) -> float | None:
    """A sound at full strength, in LUFS and before its pad's level, as Shape shows it.

    None where it is silent.
    """
    return loudness_lufs(takes.sound(hardest(sound)).audio, takes.rate_hz)


def measured_note(session: Session) -> float | None:
    """The settled pitch of the selected pad's sound as a note; None while there is none."""
    pitches = session.looks.pitches
    if pitches is None or pitches.whole.hz is None or not is_heard(session, pitches.sound):
        return None
    return note_from_hz(pitches.whole.hz)


def measured_root(session: Session) -> int | None:
    """The same as the key that it is the root of."""
    note = measured_note(session)
    return None if note is None else min(_HIGHEST_NOTE, max(0, round(note)))
