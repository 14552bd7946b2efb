"""Tests on Compare, with the demo."""

import tempfile
from pathlib import Path

import numpy as np

from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.stages import Gain
from puddle.window.session.shelf import Entry
from tests.support.windows import DemoTest, put


class CompareTest(DemoTest):
    def setUp(self) -> None:
        super().setUp()
        self.comparer = self.shell.comparer
        self.told: list[str] = []
        self.session.told.connect(self.told.append)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def entry(self, kind: str) -> Entry:
        return next(e for e in self.comparer.shelf.entries if e.kind == kind)

    def compared(self, key: str) -> None:
        """Chooses an entry, and waits until it is measured with its pitch."""
        self.comparer.choose(key)
        self.until(lambda: self.ready)

    @property
    def ready(self) -> bool:
        found, entry, pad = self.comparer.result, self.comparer.chosen, self.session.pad
        if found is None or entry is None or found.other is not entry.sound:
            return False
        return found.pitch_known and (bool(entry.beats) or found.own is (pad and pad.sound))

    def played_take(self) -> np.ndarray:
        """What the engine has on the selected pad at full strength."""
        pad = self.session.heard.pad(self.session.pad_id)
        assert pad is not None
        self.until(lambda: self.session.renders.can_play(pad))
        return self.session.renders.audio[pad.id]

    def louder(self, db: float) -> None:
        kit, stage = rows.add_stage(self.session.kit, RowPath(pad="pad1"), Gain())
        kit = rows.set_process(kit, RowPath(pad="pad1"), stage.id, level_db=db)
        put(self.session, "louder", kit)
        self.settle()
