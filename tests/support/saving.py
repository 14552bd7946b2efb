"""Tests of saving: a folder, and kits in it."""

import tempfile
import threading
from pathlib import Path

from puddle.formats.kitfile import open_kit
from puddle.formats.store import SampleStore
from puddle.kit import edits
from puddle.kit.model.document import Kit
from tests.support.windows import WindowTest, put


class SavingTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.told: list[str] = []
        self.session.told.connect(self.told.append)
        self.path = self.folder / "storm.puddle"

    def tempo(self, bpm: float) -> None:
        kit = edits.set_kit(self.session.kit, tempo_bpm=bpm)
        put(self.session, f"Tempo {bpm:g}", kit)

    def on_disk(self, path: Path) -> Kit:
        store = SampleStore(self.folder / "store")
        try:
            return open_kit(path, store).kit
        finally:
            store.close()

    def fill_workers(self) -> threading.Event:
        """All workers busy until the event is set."""
        gate = threading.Event()
        self.addCleanup(gate.set)
        for n in range(8):
            self.session.background.start(lambda: gate.wait(30.0), key=("busy", n))
            self.session.background.start(lambda: gate.wait(30.0), key=("spare", n), priority="low")
        return gate
