"""Membrane: the modes of a round skin, struck at a place, with air and a shell.

An ideal membrane rings at the zeros z_mn of the Bessel functions J_m: f_mn = f_01 z_mn / z_01. A
strike at the distance r from the middle excites mode mn by J_m(z_mn r) / |J_m+1(z_mn)|, less
what the beater's width wipes out: a contact of width c weakens it by 1 / (1 + (c z_mn)²). Air
on the skin lowers the modes, the lowest most; it draws the modes 11, 21, 31, 41 towards 2 : 3 : 4
: 5, which is why a kettle has a note (N. Fletcher and T. Rossing, *The Physics of Musical
Instruments*, 2nd ed., ch. 18). Every mode decays by its own share of the damping. A tight skin
falls in pitch as its stretch dies away. The shell is a resonance that rings along.
"""

import math
from functools import lru_cache
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Handle, Picture, Pull
from puddle.units import db_from_gain, gain_from_db, ratio_from_semitones
from puddle.voices.parts import add_contact, add_ring, longest_ms
from puddle.voices.picture import partial_picture, shell_handle
from puddle.voices.skin import Partial, tone
from puddle.voices.voice import Voice, decay, finished, length_frames, level, seed_of

# (m, zero of J_m), in the order of the zeros.
ZEROS = (
    (0, 2.404826),
    (1, 3.831706),
    (2, 5.135622),
    (0, 5.520078),
    (3, 6.380162),
    (1, 7.015587),
    (4, 7.588342),
    (2, 8.417244),
    (0, 8.653728),
    (5, 8.771484),
    (3, 9.761023),
    (6, 9.936110),
    (1, 10.173468),
    (4, 11.064709),
    (7, 11.086370),
    (2, 11.619841),
)
# Where loaded diametrical modes go, against the ideal 01: 2, 3, 4 and 5 halves of mode 11.
_LOADED = {1: 1.0, 2: 1.5, 3: 2.0, 4: 2.5, 5: 3.0, 6: 3.5, 7: 4.0}


@lru_cache(4096)  # the same places are struck again and again
def bessel(order: int, x: float) -> float:
    """J_m(x) by Bessel's integral, a mean over half a turn that the trapezoid rule makes exact."""
    steps = 64
    total = 0.0
    for k in range(steps):
        tau = math.pi * (k + 0.5) / steps
        total += math.cos(order * tau - x * math.sin(tau))
    return total / steps


class Membrane(Voice, frozen=True, tag="membrane", kw_only=True):
    """A synthesized round skin."""

    noun: ClassVar[str] = "membrane"

    skin_on: Annotated[bool, switch("Skin", "The modes of the skin.", part="Skin")] = True
    pitch_hz: Annotated[
        float,
        number("Pitch", 25, 800, "Hz", "The lowest mode of the skin.", log=True, part="Skin"),
    ] = 98.0
    place: Annotated[
        float,
        number(
            "Place",
            0,
            95,
            "%",
            "Where it is struck: the middle is round and low, the rim thin and bright.",
            decimals=0,
            part="Skin",
        ),
    ] = 30.0
    hardness: Annotated[
        float,
        number(
            "Hardness",
            0,
            100,
            "%",
            "What strikes it: a fist is soft, a stick hard; hard excites high modes.",
            decimals=0,
            part="Skin",
        ),
    ] = 55.0
    decay_ms: Annotated[
        float, decay("How long the lowest mode takes to fall by 60 dB.", "Skin", 20, 5000)
    ] = 600.0
    damping: Annotated[
        float,
        number(
            "Damping",
            0,
            100,
            "%",
            "How much sooner higher modes die: a pillow, a hand, old calfskin.",
            decimals=0,
            part="Skin",
        ),
    ] = 50.0
    air: Annotated[
        float,
        number(
            "Air",
            0,
            100,
            "%",
            "How much air the skin carries: draws its modes together into a note.",
            decimals=0,
            part="Skin",
        ),
    ] = 0.0
    tension_st: Annotated[
        float,
        number("Tension", 0, 18, "st", "How much higher the pitch starts.", part="Skin"),
    ] = 1.5
    fall_ms: Annotated[
        float,
        number("Fall", 2, 400, "ms", "How long the pitch takes to settle.", log=True, part="Skin"),
    ] = 40.0
    shell_on: Annotated[bool, switch("Shell", "The body under the skin.", part="Shell")] = True
    shell_hz: Annotated[
        float,
        number("Tone", 40, 1500, "Hz", "The body's pitch.", log=True, decimals=0, part="Shell"),
    ] = 190.0
    shell_ms: Annotated[float, decay("How long the body rings.", "Shell", 10, 1500)] = 140.0
    shell_db: Annotated[float, level("How loud the body is.", "Shell")] = -18.0
    touch_on: Annotated[bool, switch("Touch", "The noise of the contact.", part="Touch")] = True
    touch_hz: Annotated[
        float,
        number(
            "Tone",
            200,
            10000,
            "Hz",
            "Skin on skin is low, wood high.",
            log=True,
            decimals=0,
            part="Touch",
        ),
    ] = 1500.0
    touch_ms: Annotated[float, decay("How long the contact is heard.", "Touch", 2, 200)] = 16.0
    touch_db: Annotated[float, level("How loud the contact is.", "Touch")] = -18.0
    seed: Annotated[int, seed_of("Which noise the contact makes.", "Touch")] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        frames = length_frames(self._longest_ms(), rate_hz)
        rise = ratio_from_semitones(self.tension_st)
        partials = [
            Partial(hz * ratio * rise, hz * ratio, self.fall_ms / 1000.0, 0.0, seconds, gain)
            for hz, seconds, gain in (self.modes() if self.skin_on else [])
        ]
        out = tone(partials, frames, rate_hz)
        if self.shell_on:
            add_ring(out, rate_hz, self.shell_hz * ratio, self.shell_ms, self.shell_db)
        if self.touch_on:
            add_contact(out, rate_hz, self.seed, self.touch_hz, self.touch_ms, self.touch_db, q=0.7)
        return finished(out, rate_hz)

    def modes(self) -> list[tuple[float, float, float]]:
        """(frequency in Hz, decay in seconds, gain) of every mode that is heard."""
        first = ZEROS[0][1]
        width = 0.5 * (1.0 - self.hardness / 100.0) ** 1.5
        found = []
        for order, zero in ZEROS:
            ideal = zero / first
            is_lowest_of_order = zero == next(z for m, z in ZEROS if m == order)
            loaded = ideal
            if is_lowest_of_order and order in _LOADED:
                loaded = 1.594 * _LOADED[order]
            ratio = ideal + self.air / 100.0 * (loaded - ideal)
            reach = bessel(order, zero * self.place / 100.0) / abs(bessel(order + 1, zero))
            gain = reach / (1.0 + (width * zero) ** 2)
            seconds = self.decay_ms / 1000.0 / (1.0 + 5.0 * self.damping / 100.0 * (ratio - 1.0))
            found.append((self.pitch_hz * ratio, seconds, gain))
        total = sum(abs(gain) for _, _, gain in found)
        return [(hz, s, 1.05 * g / total) for hz, s, g in found if abs(g) > 1e-4 * total]

    def _longest_ms(self) -> float:
        return longest_ms(
            (self.skin_on, self.decay_ms),
            (self.shell_on, self.shell_ms),
            (self.touch_on, self.touch_ms),
        )

    def picture(self) -> Picture:
        """The modes of the skin, and the shell."""
        partials, handles = [], []
        if self.skin_on:
            partials = [(hz, gain) for hz, _, gain in self.modes()]
            hz, gain = partials[0]
            pull = Pull("pitch_hz", factor=self.pitch_hz / hz)
            handles.append(Handle("pitch", hz, db_from_gain(abs(gain)), pull))
        if self.shell_on:
            partials.append((self.shell_hz, gain_from_db(self.shell_db)))
            handles.append(shell_handle(self.shell_hz, self.shell_db))
        return partial_picture(partials, handles)


STARTING_POINTS = {
    "Ship's drum": Membrane(),
    "Pillowed hull": Membrane(
        pitch_hz=54,
        place=8,
        hardness=35,
        decay_ms=420,
        damping=90,
        tension_st=3,
        shell_hz=82,
        shell_db=-10,
        touch_hz=2400,
        touch_db=-12,
    ),
    "Open hand": Membrane(
        pitch_hz=196, place=62, hardness=45, decay_ms=340, damping=35, shell_hz=300, touch_hz=900
    ),
    "Fingertip": Membrane(
        pitch_hz=330,
        place=58,
        hardness=55,
        decay_ms=340,
        damping=30,
        shell_hz=520,
        shell_db=-20,
        touch_hz=2400,
        touch_db=-20,
    ),
    "Copper kettle": Membrane(
        pitch_hz=110,
        place=72,
        hardness=40,
        decay_ms=1900,
        damping=30,
        air=100,
        tension_st=0.3,
        shell_db=-30,
    ),
    "Frame skin": Membrane(
        pitch_hz=82, place=45, hardness=30, decay_ms=1100, damping=60, air=30, shell_on=False
    ),
    "Small goatskin": Membrane(
        pitch_hz=410,
        place=55,
        hardness=62,
        decay_ms=170,
        damping=40,
        shell_hz=640,
        shell_db=-22,
        touch_hz=2600,
        touch_db=-16,
    ),
    "Tall drum": Membrane(
        pitch_hz=175,
        place=50,
        hardness=42,
        decay_ms=520,
        damping=40,
        air=20,
        shell_hz=260,
        touch_hz=1100,
    ),
}
