"""A crowded band cleared: a cut on a layer, or on a whole sound, in an equalizer that has room."""

from __future__ import annotations

from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Kit
from puddle.stages import Equalizer

_BELLS = (1, 2, 3, 4)


def with_cut(kit: Kit, path: RowPath, hz: float, cut_db: float, q: float) -> Kit:
    """The kit with a bell at a frequency: the last equalizer's flat one, else a new one's."""
    stages = rows.stages_at(kit, path)
    for stage in reversed(stages):
        process = stage.process
        if isinstance(process, Equalizer) and stage.on:
            flat = [n for n in _BELLS if getattr(process, f"bell{n}_db") == 0.0]
            if flat:
                return rows.set_process(kit, path, stage.id, **_bell(flat[-1], hz, cut_db, q))
            break
    kit, stage = rows.add_stage(kit, path, Equalizer())
    kit = rows.set_process(kit, path, stage.id, **_bell(1, hz, cut_db, q))
    # Before what is there: compressors and limiters then work on what is left.
    return rows.move_stage(kit, path, stage.id, 0)


def _bell(n: int, hz: float, cut_db: float, q: float) -> dict[str, float]:
    return {f"bell{n}_hz": hz, f"bell{n}_db": cut_db, f"bell{n}_q": q}
