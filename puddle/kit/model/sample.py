"""A sample as a layer's source: a region of a recording, and what is done to it in time."""

from typing import Annotated

from puddle.parameter import Declared, number, switch


class Sample(Declared, frozen=True, tag="sample"):
    """A region of a recording."""

    content: str
    start_ms: Annotated[
        float,
        number(
            "Start",
            0,
            600000,
            "ms",
            "What lies before it is not heard: trim to where the hit begins. In the recording's "
            "own time, before it is tuned or stretched.",
        ),
    ] = 0.0
    end_ms: Annotated[
        float,
        number(
            "End",
            0,
            600000,
            "ms",
            "What lies after it is not heard. In the recording's own time, before it is tuned or "
            "stretched.",
        ),
    ] = 600000.0
    fade_in_ms: Annotated[
        float,
        number(
            "Fade in",
            0,
            2000,
            "ms",
            "Softens the start; a few tenths of a millisecond take a click away.",
        ),
    ] = 0.0
    fade_out_ms: Annotated[float, number("Fade out", 0, 5000, "ms", "Softens the end.")] = 2.0
    reverse: Annotated[bool, switch("Reverse", "Plays the region backwards.")] = False
    stretch: Annotated[
        float,
        number(
            "Stretch",
            25,
            400,
            "%",
            "How long it takes, at the same pitch: attacks stay as they are.",
            log=True,
            decimals=0,
            part="Time",
        ),
    ] = 100.0
    pitch_st: Annotated[
        float,
        number(
            "Pitch", -24, 24, "st", "Moves the pitch at the same length.", decimals=2, part="Time"
        ),
    ] = 0.0
    kept_ms: Annotated[
        float,
        number(
            "Attack kept",
            0,
            100,
            "ms",
            "How much of each attack is left as it is; with none, all is stretched.",
            decimals=0,
            part="Time",
        ),
    ] = 20.0
    loop: Annotated[
        bool,
        switch("Loop", "Goes round for as long as it lasts: for pads that are held.", part="Loop"),
    ] = False
    loop_start_ms: Annotated[
        float,
        number("Start", 0, 600000, "ms", "From the region's start: where it begins.", part="Loop"),
    ] = 50.0
    loop_end_ms: Annotated[
        float,
        number("End", 0, 600000, "ms", "From the region's start: where it goes back.", part="Loop"),
    ] = 250.0
    loop_fade_ms: Annotated[
        float,
        number(
            "Crossfade",
            0,
            1000,
            "ms",
            "How softly the end goes over into the start.",
            part="Loop",
        ),
    ] = 10.0
    loop_for_ms: Annotated[
        float,
        number(
            "Lasts",
            10,
            30000,
            "ms",
            "How long it sounds altogether; a pad that gates lets go earlier.",
            log=True,
            decimals=0,
            part="Loop",
        ),
    ] = 4000.0

    @property
    def longer(self) -> float:
        """By what the region is stretched: for the length, and to make up for the pitch."""
        return self.stretch / 100.0 * self.pitch_ratio

    @property
    def stretching(self) -> tuple[object, ...]:
        """All that the stretched region depends on."""
        ends = self.start_ms, self.end_ms
        return "stretched", self.content, ends, self.longer, self.pitch_ratio, self.kept_ms

    @property
    def pitch_ratio(self) -> float:
        """By what it is then played faster, for the pitch."""
        return float(2.0 ** (self.pitch_st / 12.0))
