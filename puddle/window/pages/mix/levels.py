"""Every pad as loud as its role's sounds are, measured on a worker, in one step."""

from __future__ import annotations

from puddle.kit.edits.levels import missing_db, raised
from puddle.kit.model.document import Kit, Sound
from puddle.window.session.measuring import full_loudness
from puddle.window.session.session import Session

_ENOUGH_DB = 0.05


class Leveler:
    """Levels all pads of the open kit."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def level_all(self) -> None:
        """Measures every pad, then brings each to its role's loudness."""
        session, takes = self._session, self._session.renders.takes
        pads = [pad for pad in session.kit.pads if pad.sound.layers]

        def work() -> dict[str, tuple[Sound, float | None]]:
            return {pad.id: (pad.sound, full_loudness(takes, pad.sound)) for pad in pads}

        session.background.ask("role levels", work, self._take_in)

    def _take_in(self, found: dict[str, tuple[Sound, float | None]]) -> None:
        session = self._session
        missing = {}
        for key, (sound, loud) in found.items():
            pad = session.kit.pad(key)
            if pad is not None and pad.sound is sound and loud is not None:
                by = missing_db(session.kit, key, loud)
                if abs(by) > _ENOUGH_DB:
                    missing[key] = by
        if not missing:
            session.told.emit("Every pad is as loud as its role's sounds are.")
            return

        def leveled(kit: Kit) -> Kit:
            for key, by in missing.items():
                kit = raised(kit, key, by)
            return kit

        session.edit(f"{len(missing)} pads: level as their roles'", leveled)
        session.settle()
