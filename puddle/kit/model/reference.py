"""What a sound or a groove is compared with: files that stay where they are, and other pads."""

from typing import Annotated

import msgspec

from puddle.parameter import Declared, number

LONGEST_MS = 600000.0
Name = Annotated[str, msgspec.Meta(max_length=120)]


class FileReference(Declared, frozen=True, tag="file"):
    """A region of a sound file that is not in the kit: only where it lies is kept."""

    id: str
    name: Name
    path: Annotated[str, msgspec.Meta(min_length=1, max_length=4096)]
    start_ms: Annotated[
        float,
        number("From", 0, LONGEST_MS, "ms", "What lies before it is not compared."),
    ] = 0.0
    end_ms: Annotated[
        float, number("To", 0, LONGEST_MS, "ms", "What lies after it is not compared.")
    ] = LONGEST_MS
    beats: Annotated[
        int,
        number(
            "Beats",
            0,
            128,
            "",
            "How many beats the region has, if it is a loop: it is then compared with the groove, "
            "at the kit's tempo.",
            decimals=0,
            zero="a hit",
        ),
    ] = 0


class PadReference(Declared, frozen=True, tag="pad"):
    """Another pad's sound, as it is at the time."""

    id: str
    pad: str


Reference = FileReference | PadReference
