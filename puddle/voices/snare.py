"""Snare: two tuned partials over wires.

Each partial is a falling sine (see `kernels.oscillators.falling_sine`) with its own decay; the
upper one stands at a ratio to the lower and is detuned in cents. The wires are white noise through
a high-pass at the bottom of their band and a low-pass at its top, decaying, with a snap that adds
a faster burst at the start. The balance blends skin and wires at equal power; drive is tanh over
the skin, without aliases (see `voices.skin`).
"""

import math
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Picture
from puddle.units import gain_from_db, ratio_from_semitones
from puddle.voices.parts import longest_ms
from puddle.voices.picture import Fall, decay_picture
from puddle.voices.skin import Partial, driven_tone, tone
from puddle.voices.voice import Voice, finished, length_frames


class Snare(Voice, frozen=True, tag="snare", kw_only=True):
    """A synthesized snare drum."""

    noun: ClassVar[str] = "snare"
    role: ClassVar[str] = "snare"

    low_on: Annotated[bool, switch("Low partial", "The note of the skin.", part="Low partial")] = (
        True
    )
    low_hz: Annotated[
        float,
        number(
            "Pitch",
            60,
            600,
            "Hz",
            "The note that the snare is tuned to.",
            log=True,
            part="Low partial",
        ),
    ] = 186.0
    low_decay_ms: Annotated[
        float,
        number(
            "Decay",
            10,
            1500,
            "ms",
            "How long the low partial rings.",
            log=True,
            decimals=0,
            part="Low partial",
        ),
    ] = 180.0
    high_on: Annotated[
        bool, switch("High partial", "The ring over the note.", part="High partial")
    ] = True
    high_ratio: Annotated[
        float,
        number(
            "Ratio",
            1.05,
            4,
            "×",
            "The upper partial's pitch against the lower: 1.59 is the first overtone of a skin.",
            decimals=2,
            part="High partial",
        ),
    ] = 1.78
    detune_ct: Annotated[
        float,
        number(
            "Detune",
            -100,
            100,
            "ct",
            "Moves the upper partial off its ratio, for beating and roughness.",
            decimals=0,
            part="High partial",
        ),
    ] = 0.0
    high_db: Annotated[
        float, number("Level", -48, 6, "dB", "How loud the upper partial is.", part="High partial")
    ] = -4.0
    high_decay_ms: Annotated[
        float,
        number(
            "Decay",
            10,
            1500,
            "ms",
            "How long the upper partial rings; shorter is drier.",
            log=True,
            decimals=0,
            part="High partial",
        ),
    ] = 110.0
    fall_st: Annotated[
        float,
        number(
            "Pitch fall",
            0,
            36,
            "st",
            "How far the skin's pitch falls after the hit.",
            part="Low partial",
        ),
    ] = 5.0
    fall_ms: Annotated[
        float,
        number(
            "Fall time",
            1,
            300,
            "ms",
            "How long nine tenths of the fall take.",
            log=True,
            part="Low partial",
        ),
    ] = 25.0
    wires_on: Annotated[bool, switch("Wires", "The rattle under the skin.", part="Wires")] = True
    wires_low_hz: Annotated[
        float,
        number(
            "Bottom",
            100,
            8000,
            "Hz",
            "Where the wires' band begins: higher is thinner.",
            log=True,
            part="Wires",
        ),
    ] = 1400.0
    wires_high_hz: Annotated[
        float,
        number(
            "Top",
            1000,
            20000,
            "Hz",
            "Where the wires' band ends: lower is duller.",
            log=True,
            part="Wires",
        ),
    ] = 11000.0
    wires_ms: Annotated[
        float,
        number(
            "Decay",
            10,
            2000,
            "ms",
            "How long the wires take to fall by 60 dB.",
            log=True,
            decimals=0,
            part="Wires",
        ),
    ] = 240.0
    snap_db: Annotated[
        float,
        number(
            "Snap",
            -48,
            12,
            "dB",
            "A faster burst of the wires at the start: how it cracks.",
            part="Wires",
        ),
    ] = -4.0
    balance: Annotated[
        float,
        number(
            "Balance",
            0,
            100,
            "%",
            "Skin against wires: 0 is skin alone, 100 wires alone.",
            decimals=0,
            part="Wires",
        ),
    ] = 50.0
    drive_on: Annotated[bool, switch("Drive", "Soft saturation of the skin.", part="Drive")] = False
    drive_db: Annotated[
        float,
        number(
            "Amount", 0, 24, "dB", "How hard the skin is pushed: fuller and louder.", part="Drive"
        ),
    ] = 6.0
    seed: Annotated[
        int,
        number(
            "Seed", 0, 9999, "", "Which of ten thousand rattles is used.", decimals=0, part="Wires"
        ),
    ] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        longest = longest_ms(
            (self.low_on, self.low_decay_ms),
            (self.high_on, self.high_decay_ms),
            (self.wires_on, self.wires_ms),
        )
        frames = length_frames(longest, rate_hz)
        place = self.balance / 100.0 * math.pi / 2.0
        out = math.sqrt(2.0) * math.cos(place) * 0.6 * self._skin(frames, rate_hz, ratio)
        if self.wires_on:
            out += math.sqrt(2.0) * math.sin(place) * 0.5 * self._wires(frames, rate_hz)
        return finished(0.76 * out, rate_hz)

    def _skin(self, frames: int, rate_hz: float, ratio: float) -> np.ndarray:
        """Both partials, driven if asked for: float64 (frames,)."""
        rise, fall = ratio_from_semitones(self.fall_st), self.fall_ms / 1000.0
        low = self.low_hz * ratio
        high = low * self.high_ratio * ratio_from_semitones(self.detune_ct / 100.0)
        partials = []
        if self.low_on:
            partials.append(Partial(low * rise, low, fall, 0.0, self.low_decay_ms / 1000.0, 1.0))
        if self.high_on:
            decay, gain = self.high_decay_ms / 1000.0, gain_from_db(self.high_db)
            partials.append(Partial(high * rise, high, fall, 0.0, decay, gain))
        if self.drive_on:
            return driven_tone(partials, frames, rate_hz, self.drive_db)
        return tone(partials, frames, rate_hz)

    def _wires(self, frames: int, rate_hz: float) -> np.ndarray:
        """The rattle with its snap: float64 (frames,)."""
        from puddle.kernels.envelopes import decay_in_place
        from puddle.kernels.filters import HIGH, LOW, state_variable
        from puddle.kernels.noise import white

        noise = white(self.seed, frames)
        state_variable(noise, rate_hz, self.wires_low_hz, 0.8, HIGH)
        state_variable(noise, rate_hz, self.wires_high_hz, 0.7, LOW)
        snap = noise.copy()
        decay_in_place(noise, rate_hz, 0.0004, self.wires_ms / 1000.0)
        decay_in_place(snap, rate_hz, 0.0004, 0.25 * self.wires_ms / 1000.0)
        found: np.ndarray = noise + gain_from_db(self.snap_db) * snap
        return found

    def picture(self) -> Picture:
        """Skin and wires in time."""
        skin = math.cos(self.balance / 100.0 * math.pi / 2.0)
        wires = math.sin(self.balance / 100.0 * math.pi / 2.0)
        snap = wires * gain_from_db(self.snap_db)
        return decay_picture(
            [
                Fall("skin", skin * self.low_on, self.low_decay_ms, "low_decay_ms"),
                Fall("wires", wires * self.wires_on, self.wires_ms, "wires_ms"),
                Fall("snap", snap * self.wires_on, 0.25 * self.wires_ms),
            ]
        )


STARTING_POINTS = {
    "Fresh plank": Snare(),
    "Low deck": Snare(
        low_hz=142,
        high_ratio=1.59,
        low_decay_ms=320,
        high_decay_ms=220,
        wires_low_hz=900,
        wires_high_hz=8000,
        wires_ms=330,
        snap_db=-10,
        balance=46,
    ),
    "Dry slat": Snare(
        low_hz=228,
        low_decay_ms=90,
        high_decay_ms=60,
        fall_st=9,
        fall_ms=14,
        wires_ms=110,
        snap_db=2,
        balance=58,
        wires_low_hz=2200,
    ),
    "Loose gravel": Snare(
        low_hz=170,
        high_db=-14,
        wires_low_hz=700,
        wires_high_hz=15000,
        wires_ms=520,
        snap_db=-18,
        balance=70,
    ),
    "Ringing hatch": Snare(
        low_hz=204,
        high_ratio=2.14,
        detune_ct=18,
        low_decay_ms=420,
        high_decay_ms=560,
        high_db=-2,
        wires_ms=190,
        balance=36,
        drive_on=True,
        drive_db=4,
    ),
    "Tuned stave": Snare(
        low_hz=220,
        high_ratio=2.0,
        high_db=-9,
        low_decay_ms=380,
        high_decay_ms=190,
        fall_st=3,
        wires_ms=260,
        wires_low_hz=1800,
        balance=38,
    ),
    "Short crack": Snare(
        low_hz=265,
        low_decay_ms=55,
        high_decay_ms=40,
        fall_st=14,
        fall_ms=9,
        wires_ms=70,
        snap_db=6,
        wires_low_hz=2600,
        wires_high_hz=13000,
        balance=62,
    ),
    "Sailcloth": Snare(
        low_hz=168,
        low_decay_ms=150,
        high_ratio=1.59,
        high_db=-8,
        wires_low_hz=600,
        wires_high_hz=9000,
        wires_ms=380,
        snap_db=-6,
        balance=55,
    ),
    "Tin chart": Snare(
        low_hz=292,
        low_decay_ms=110,
        high_ratio=1.9,
        high_decay_ms=140,
        wires_low_hz=3000,
        wires_high_hz=16000,
        wires_ms=200,
        snap_db=-7,
        balance=50,
    ),
    "Loose rivet": Snare(
        low_hz=175,
        fall_st=12,
        fall_ms=40,
        high_on=False,
        wires_low_hz=2500,
        wires_high_hz=18000,
        wires_ms=160,
        snap_db=-8,
        balance=50,
        drive_on=True,
        drive_db=8,
    ),
    "Stick on the rail": Snare(
        low_hz=338,
        low_decay_ms=70,
        high_ratio=2.7,
        high_decay_ms=45,
        high_db=-3,
        fall_st=1,
        wires_ms=60,
        balance=22,
        snap_db=-4,
    ),
}
