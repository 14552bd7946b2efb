"""What a kit knows of a sample's file, and the recipe that it was printed from."""

from typing import Annotated

import msgspec

from puddle.kit.model.layer import Node
from puddle.kit.model.pad import Sound


class Content(Node, frozen=True):
    """What is known of a sample's file, which lies in the store under `hash`."""

    hash: Annotated[str, msgspec.Meta(pattern="^[0-9a-f]{64}$")]
    name: Annotated[str, msgspec.Meta(max_length=255)]
    suffix: Annotated[str, msgspec.Meta(pattern=r"^\.[a-z0-9]{1,5}$")]
    rate_hz: Annotated[float, msgspec.Meta(gt=0)]
    channels: Annotated[int, msgspec.Meta(ge=1)]
    frames: Annotated[int, msgspec.Meta(ge=1)]
    printed: "Print | None" = None  # the recipe that it was rendered from, if it was

    @property
    def length_ms(self) -> float:
        """Length of the whole file."""
        return 1000.0 * self.frames / self.rate_hz


class Print(Node, frozen=True):
    """The recipe of a printed sample: a whole sound, or one of its layers by itself."""

    sound: Sound
    layer: str = ""  # its id; empty for the whole sound
