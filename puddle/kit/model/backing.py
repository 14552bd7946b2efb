"""The rest of the track: files that run under the groove, to judge a sound with them."""

from typing import Annotated

import msgspec

from puddle.parameter import Declared, number, switch


class Backing(Declared, frozen=True):
    """A sound file that stays where it is; it is heard with the groove and never exported."""

    id: str
    name: Annotated[str, msgspec.Meta(max_length=120)]
    path: Annotated[str, msgspec.Meta(min_length=1, max_length=4096)]
    level_db: Annotated[float, number("Level", -60, 12, "dB", "How loud the file is.")] = 0.0
    offset: Annotated[
        float,
        number(
            "Offset",
            -64,
            256,
            "beats",
            "With which beat of the groove the file begins; under zero it has begun before.",
            decimals=2,
        ),
    ] = 0.0
    bpm: Annotated[
        float,
        number(
            "Its tempo",
            0,
            300,
            "bpm",
            "The tempo of the file, as it was measured; type it where that is wrong.",
            zero="unknown",
        ),
    ] = 0.0
    follows: Annotated[
        bool,
        switch("At the kit's tempo", "Stretches the file to the kit's tempo; its pitch stays."),
    ] = True
    loops: Annotated[bool, switch("Loop", "Begins again when it has ended.")] = True
    mute: Annotated[bool, switch("Mute", "The file is not heard.")] = False
