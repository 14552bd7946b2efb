"""Pads as loud as their roles' sounds are: measured on a worker, leveled in one step."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from puddle.kit import edits
from puddle.kit.edits.levels import missing_db, raised, raised_db
from puddle.kit.model.document import Kit, Pad, Sound
from puddle.kit.model.roles import with_article
from puddle.units import THIN, with_unit
from puddle.window.session.measuring import full_loudness
from puddle.window.session.session import Session

_Measured = dict[str, tuple[Sound, float | None]]


def level_by_role(session: Session, pads: Sequence[Pad]) -> None:
    """Brings each of some pads to its own role's level."""
    takes = session.renders.takes

    def work() -> _Measured:
        return {pad.id: (pad.sound, full_loudness(takes, pad.sound)) for pad in pads}

    session.background.ask("role levels", work, partial(_raise_measured, session))


def _raise_measured(session: Session, found: _Measured) -> None:
    """The pads that still sound as they were measured."""
    before = session.kit
    missing: dict[str, float] = {}
    for key, (sound, loud) in found.items():
        pad = before.pad(key)
        if pad is not None and pad.sound is sound and loud is not None:
            missing[key] = missing_db(before, key, loud, session.settings.role_lufs)
    if not missing:
        session.told.emit("There is no sound to bring to a level.")
        return
    pad = edits.pad_of(before, next(iter(missing)))
    by = with_unit(missing[pad.id], "dB", 1)
    done = f"{pad.name}: level as {with_article(pad.role)}, {by}"
    if len(missing) > 1:
        done = f"{len(missing)} pads: level as their roles'"

    def louder(kit: Kit) -> Kit:
        for key, by in missing.items():
            kit = raised(kit, key, by)
        return kit

    session.edit(done, louder)
    left = max(by - raised_db(before, session.kit, key) for key, by in missing.items())
    if left > 0.5:
        told = with_unit(left, "dB", 1).removeprefix("+")
        session.told.emit(f"{told} are missing: its levels end at 12{THIN}dB.")
