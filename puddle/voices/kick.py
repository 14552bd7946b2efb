"""Kick: a sine whose pitch falls, with click, second partial, noise and drive.

The body is sin(2π φ(t)) under e^(-t ln 1000 / decay), where φ is the exact integral of a pitch
that falls from start to end (see `kernels.oscillators.falling_sine`). The second partial has its
own ratio to the body and falls with it. The click is a sine of its own tone that rings for a few
milliseconds; the noise is white through a two-pole band. Drive is tanh over body and partial,
without aliases (see `voices.skin`).
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Picture
from puddle.units import gain_from_db
from puddle.voices.parts import add_contact, add_ring, longest_ms
from puddle.voices.picture import pitch_picture
from puddle.voices.skin import Partial, driven_tone, tone
from puddle.voices.voice import Voice, finished, length_frames


class Kick(Voice, frozen=True, tag="kick", kw_only=True):
    """A synthesized kick."""

    noun: ClassVar[str] = "kick"
    role: ClassVar[str] = "kick"

    body_on: Annotated[bool, switch("Body", "The pitched thud itself.", part="Body")] = True
    start_hz: Annotated[
        float,
        number(
            "Start",
            30,
            2000,
            "Hz",
            "Where the pitch begins: higher hits harder and brighter, lower is rounder.",
            log=True,
            part="Body",
        ),
    ] = 210.0
    end_hz: Annotated[
        float,
        number(
            "End",
            20,
            400,
            "Hz",
            "Where the pitch settles: the note that the kick is heard to have.",
            log=True,
            part="Body",
        ),
    ] = 46.0
    fall_ms: Annotated[
        float,
        number(
            "Fall",
            1,
            600,
            "ms",
            "How long nine tenths of the pitch fall take: short knocks, long swoops.",
            log=True,
            part="Body",
        ),
    ] = 55.0
    bend: Annotated[
        float,
        number(
            "Curve",
            -100,
            90,
            "%",
            "How the pitch falls: below zero it slides evenly, above "
            "it drops at once and lingers on the way down.",
            decimals=0,
            part="Body",
        ),
    ] = 0.0
    decay_ms: Annotated[
        float,
        number(
            "Decay",
            20,
            4000,
            "ms",
            "How long the body takes to fall by 60 dB: long booms, short thuds.",
            log=True,
            decimals=0,
            part="Body",
        ),
    ] = 420.0
    partial_on: Annotated[
        bool, switch("Second partial", "A second sine over the body.", part="Second partial")
    ] = False
    partial_ratio: Annotated[
        float,
        number(
            "Ratio",
            1.1,
            6,
            "×",
            "The partial's pitch against the body's: 2 is an octave, "
            "uneven ratios sound like a skin.",
            decimals=2,
            part="Second partial",
        ),
    ] = 2.0
    partial_db: Annotated[
        float,
        number(
            "Level",
            -48,
            0,
            "dB",
            "How loud the partial is; small speakers hear a kick by it.",
            part="Second partial",
        ),
    ] = -12.0
    partial_decay_ms: Annotated[
        float,
        number(
            "Decay",
            10,
            2000,
            "ms",
            "How long the partial rings; shorter than the body keeps the tail pure.",
            log=True,
            decimals=0,
            part="Second partial",
        ),
    ] = 160.0
    click_on: Annotated[
        bool, switch("Click", "A short tick that lets the attack through.", part="Click")
    ] = True
    click_hz: Annotated[
        float,
        number(
            "Tone",
            500,
            12000,
            "Hz",
            "The pitch of the click: low is a knuckle, high a fingernail.",
            log=True,
            part="Click",
        ),
    ] = 3200.0
    click_ms: Annotated[
        float,
        number("Length", 0.5, 40, "ms", "How long the click rings.", log=True, part="Click"),
    ] = 6.0
    click_db: Annotated[
        float, number("Level", -48, 0, "dB", "How loud the click is.", part="Click")
    ] = -14.0
    noise_on: Annotated[
        bool, switch("Noise", "Air and beater around the attack.", part="Noise")
    ] = False
    noise_hz: Annotated[
        float,
        number("Tone", 100, 12000, "Hz", "The middle of the noise band.", log=True, part="Noise"),
    ] = 1800.0
    noise_ms: Annotated[
        float,
        number(
            "Decay",
            2,
            1000,
            "ms",
            "How long the noise takes to fall by 60 dB.",
            log=True,
            part="Noise",
        ),
    ] = 60.0
    noise_db: Annotated[
        float, number("Level", -48, 0, "dB", "How loud the noise is.", part="Noise")
    ] = -20.0
    drive_on: Annotated[bool, switch("Drive", "Soft saturation of the body.", part="Drive")] = False
    drive_db: Annotated[
        float,
        number(
            "Amount",
            0,
            24,
            "dB",
            "How hard the body is pushed: adds odd harmonics and thickens the tail.",
            part="Drive",
        ),
    ] = 6.0
    seed: Annotated[
        int,
        number(
            "Seed",
            0,
            9999,
            "",
            "Which of ten thousand noises is used: try others until the attack feels right.",
            decimals=0,
            part="Noise",
        ),
    ] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        frames = length_frames(self._longest_ms(), rate_hz)
        out = self._tone(frames, rate_hz, ratio)
        if self.click_on:
            add_ring(out, rate_hz, self.click_hz * ratio, self.click_ms, self.click_db)
        if self.noise_on:
            add_contact(
                out,
                rate_hz,
                self.seed,
                self.noise_hz,
                self.noise_ms,
                self.noise_db,
                q=0.7,
                rise_ms=0.4,
                gain=2.0,
            )
        return finished(0.8 * out, rate_hz)

    def _longest_ms(self) -> float:
        """The decay of the longest part that is on."""
        return longest_ms(
            (self.body_on, self.decay_ms),
            (self.partial_on, self.partial_decay_ms),
            (self.click_on, self.click_ms),
            (self.noise_on, self.noise_ms),
        )

    def _tone(self, frames: int, rate_hz: float, ratio: float) -> np.ndarray:
        """Body and second partial, driven if asked for: float64 (frames,)."""
        start, end, times = self.start_hz * ratio, self.end_hz * ratio, self.partial_ratio
        fall, bend = self.fall_ms / 1000.0, self.bend / 100.0
        partials = []
        if self.body_on:
            partials.append(Partial(start, end, fall, bend, self.decay_ms / 1000.0, 1.0))
        if self.partial_on:
            decay, gain = self.partial_decay_ms / 1000.0, gain_from_db(self.partial_db)
            partials.append(Partial(start * times, end * times, fall, bend, decay, gain))
        if self.drive_on:
            return driven_tone(partials, frames, rate_hz, self.drive_db)
        return tone(partials, frames, rate_hz)

    def picture(self) -> Picture:
        """The fall of the pitch."""
        start, end = ("start_hz", self.start_hz), ("end_hz", self.end_hz)
        return pitch_picture(start, end, ("fall_ms", self.fall_ms), self.bend)


STARTING_POINTS = {
    "Deep keel": Kick(),
    "Wet rope": Kick(
        start_hz=320,
        end_hz=52,
        fall_ms=34,
        decay_ms=260,
        click_hz=2400,
        click_db=-10,
        noise_on=True,
        noise_ms=30,
        noise_db=-18,
    ),
    "Long harbor": Kick(
        start_hz=140,
        end_hz=38,
        fall_ms=90,
        bend=20,
        decay_ms=1300,
        click_db=-24,
        drive_on=True,
        drive_db=5,
    ),
    "Mallet on hull": Kick(
        start_hz=160,
        end_hz=64,
        fall_ms=22,
        decay_ms=190,
        partial_on=True,
        partial_ratio=1.59,
        partial_db=-9,
        partial_decay_ms=120,
        click_hz=1400,
        click_ms=9,
        click_db=-12,
    ),
    "Short bollard": Kick(
        start_hz=520,
        end_hz=58,
        fall_ms=16,
        bend=-20,
        decay_ms=190,
        click_hz=4200,
        click_ms=3,
        click_db=-8,
        drive_on=True,
        drive_db=9,
    ),
    "Soft tide": Kick(
        start_hz=92,
        end_hz=49,
        fall_ms=110,
        decay_ms=620,
        click_on=False,
        noise_on=True,
        noise_hz=600,
        noise_ms=110,
        noise_db=-26,
    ),
    "Struck anvil post": Kick(
        start_hz=900,
        end_hz=55,
        fall_ms=42,
        decay_ms=330,
        partial_on=True,
        partial_ratio=3.0,
        partial_db=-15,
        partial_decay_ms=90,
        click_hz=6200,
        click_ms=2,
        click_db=-10,
        drive_on=True,
        drive_db=12,
    ),
    "Round fender": Kick(
        start_hz=180,
        end_hz=50,
        fall_ms=70,
        bend=10,
        decay_ms=820,
        click_on=False,
        partial_on=True,
        partial_db=-20,
        partial_decay_ms=300,
    ),
    "Leather boot": Kick(
        start_hz=130,
        end_hz=61,
        fall_ms=30,
        decay_ms=230,
        partial_on=True,
        partial_ratio=1.47,
        partial_db=-12,
        partial_decay_ms=90,
        click_hz=2600,
        click_ms=8,
        noise_on=True,
        noise_hz=1200,
        noise_ms=40,
        noise_db=-14,
    ),
    "Iron ballast": Kick(
        start_hz=1400,
        end_hz=48,
        fall_ms=28,
        bend=-40,
        decay_ms=520,
        click_hz=7000,
        click_ms=1.5,
        click_db=-12,
        drive_on=True,
        drive_db=14,
    ),
    "Dry deck": Kick(
        start_hz=240,
        end_hz=72,
        fall_ms=11,
        decay_ms=190,
        click_hz=4800,
        click_ms=4,
        click_db=-9,
        noise_on=True,
        noise_hz=3000,
        noise_ms=20,
        noise_db=-24,
    ),
    "Rolling barge": Kick(
        start_hz=96,
        end_hz=47,
        fall_ms=90,
        bend=20,
        decay_ms=600,
        click_db=-28,
        drive_on=True,
        drive_db=3,
    ),
}
