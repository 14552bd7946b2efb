"""What a plan of delivery makes, for tests: its files as bytes, read back by libsndfile."""

from __future__ import annotations

import io

import numpy as np
import soundfile

from puddle.deliver.making import Making
from puddle.deliver.options import Options
from puddle.deliver.plan import Plan
from puddle.deliver.whole import plan_of
from puddle.kit import edits
from puddle.kit.edits.patterns import add_pattern
from puddle.render.take import Takes
from tests.support.sampled_kits import SampledKitTest
from tests.support.sounds import RATE, pattern, small_kit
from tests.support.stores import new_folder


def read(data: bytes) -> tuple[np.ndarray, int]:
    audio, rate = soundfile.read(io.BytesIO(data), dtype="float64", always_2d=True)
    return audio, rate


class DeliveryTest(SampledKitTest):
    """What a plan makes."""

    def setUp(self) -> None:
        super().setUp()
        self.folder = self.enterContext(new_folder())

    def plan(self, *what: str, rate: int = RATE, flat: bool = False, **options: object) -> Plan:
        chosen = Options(what=what, rate_hz=rate, **options)  # type: ignore[arg-type]
        takes = Takes(self.store, float(rate))
        return plan_of(Making(self.kit, takes, self.store, chosen), flat=flat)

    def made(self, plan: Plan) -> dict[str, bytes]:
        files = [*(f for f in plan.files if not f.last), *(f for f in plan.files if f.last)]
        return {one.path: one.make() for one in files}


class PatternsTest(DeliveryTest):
    """With a pattern of three pads on two buses."""

    def setUp(self) -> None:
        super().setUp()
        kit = small_kit()
        kit, drums = edits.add_bus(kit, "Drums")
        kit, metal = edits.add_bus(kit, "Metal")
        for pad, bus in (("pad1", drums), ("pad2", drums), ("pad3", metal), ("pad4", metal)):
            kit = edits.set_pad(kit, pad, bus=bus.id)
        made = pattern(("pad1", (0, 8)), ("pad2", (4, 12)), ("pad4", (14,)))
        self.kit, _ = add_pattern(kit, made)
