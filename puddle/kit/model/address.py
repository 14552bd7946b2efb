"""The address of a control: which field, of what, and where that is in a kit.

Kit gauges, context menus and the finder name a control by it. `edits.address` finds,
reads and sets it.
"""

from typing import Literal

from puddle.parameter import Declared

Of = Literal[
    "kit", "pad", "sound", "layer", "source", "envelope", "band", "stage", "process", "bus",
    "master", "send",
]  # fmt: skip


class Address(Declared, frozen=True, kw_only=True):
    """One control. What does not belong to its place is empty."""

    of: Of
    field: str = ""
    pad: str = ""
    layer: str = ""
    bus: str = ""
    live: bool = False  # of a pad's own stages, not its sound's
    branches: tuple[str, ...] = ()
    stage: str = ""
    to: str = ""  # of a send: the bus that the pad, or the bus, is sent to

    @property
    def runs_live(self) -> bool:
        """Whether it is of what runs on while pads are struck, and is not rendered into takes."""
        return self.live or not self.pad or self.of == "send"
