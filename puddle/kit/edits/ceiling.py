"""The ceiling of the master: its last limiter, as one gauge."""

from __future__ import annotations

import msgspec

from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Kit, Stage
from puddle.stages import Limiter

_MASTER = RowPath()


def ceiling_of(kit: Kit) -> Stage | None:
    """The stage that holds the ceiling; None where the master has no limiter."""
    found = [stage for stage in kit.master.stages if isinstance(stage.process, Limiter)]
    return found[-1] if found else None


def set_ceiling(kit: Kit, ceiling_db: float) -> Kit:
    """The ceiling at another level, in dBTP; a limiter is put last where there is none."""
    stage = ceiling_of(kit)
    if stage is None:
        return rows.add_stage(kit, _MASTER, Limiter(ceiling_db=ceiling_db))[0]
    kit = rows.set_process(kit, _MASTER, stage.id, ceiling_db=ceiling_db)
    return kit if stage.on else rows.set_stage(kit, _MASTER, stage.id, on=True)


def switch_ceiling(kit: Kit, *, on: bool) -> Kit:
    """The limiter on or off; one is put last where there is none and it is wanted."""
    stage = ceiling_of(kit)
    if stage is None:
        return set_ceiling(kit, Limiter().ceiling_db) if on else kit
    stages = tuple(
        msgspec.structs.replace(s, on=on) if s is stage else s for s in kit.master.stages
    )
    return rows.with_stages(kit, _MASTER, stages)
