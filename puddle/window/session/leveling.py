"""Pads as loud as their roles' sounds are: measured on a worker, leveled in one step."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial

from puddle.kit import edits
from puddle.kit.edits.levels import missing_db, raised, raised_db
from puddle.kit.model.document import Kit, Pad, Sound
from puddle.kit.model.roles import with_article
from puddle.units import THIN, with_unit
from puddle.window.session.measuring import full_loudness
from puddle.window.session.session import Session

_SAME_DB = 0.05  # a difference that is shown as none
_LACKS_DB = 0.5
_Measured = dict[str, tuple[Sound, float | None]]


def level_by_role(session: Session, pads: Sequence[Pad]) -> None:
    """Brings each of some pads to its own role's level."""
    takes = session.renders.takes

    def work() -> _Measured:
        return {pad.id: (pad.sound, full_loudness(takes, pad.sound)) for pad in pads}

    session.background.start(work, partial(_raise_measured, session), key="role levels")


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
    if all(abs(by) < _SAME_DB for by in missing.values()):
        session.told.emit(f"{_whose(before, missing)} as loud as wanted already.")
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
    moved = {key: raised_db(before, session.kit, key) for key in missing}
    told = [_moved(before, moved)] if len(missing) > 1 else []
    told += _lacking(before, {key: by - moved[key] for key, by in missing.items()})
    if told:
        session.told.emit(" ".join(told))


def _whose(kit: Kit, pads: Mapping[str, float]) -> str:
    """Whose level it is, and the verb."""
    if len(pads) == 1:
        return f"{edits.pad_of(kit, next(iter(pads))).name} is"
    return f"All {len(pads)} pads are"


def _moved(kit: Kit, by_db: Mapping[str, float]) -> str:
    """How many became louder, how many softer, and which the most."""
    parts = []
    for sign, word in ((1.0, "louder"), (-1.0, "softer")):
        some = {key: by for key, by in by_db.items() if sign * by >= _SAME_DB}
        if some:
            key = max(some, key=lambda k: abs(some[k]))
            most = with_unit(abs(some[key]), "dB", 1).removeprefix("+")
            parts.append(f"{len(some)} {word}, {edits.pad_of(kit, key).name} by {most}")
    return f"Leveled by role: {'; '.join(parts)}."


def _lacking(kit: Kit, left_db: Mapping[str, float]) -> list[str]:
    """What could not be reached, of the pad that lacks the most."""
    key = max(left_db, key=lambda k: left_db[k])
    if left_db[key] <= _LACKS_DB:
        return []
    lacks = with_unit(left_db[key], "dB", 1).removeprefix("+")
    return [f"{edits.pad_of(kit, key).name} lacks {lacks} still: levels end at 12{THIN}dB."]
