"""Bar: struck bars and plates of wood, glass and metal.

A free bar rings at f_n = f_1 ((2n + 1) / 3.0112)², n from 2 up (1, 2.76, 5.40, 8.93, ...); one
whose belly is cut away so that it has a note rings at 1, 4, 10, 20; a square plate with free
edges at 1, 1.47, 1.80, 2.57, ... (N. Fletcher and T. Rossing, *The Physics of Musical
Instruments*, 2nd ed., ch. 2, 3 and 19). A mallet touches for a time; modes that turn several times
meanwhile are not excited: each is weakened by 1 / (1 + (f / f_c)²), with f_c from the hardness. A
strike at the place x excites a mode by its shape there, |cos((n + 1/2) π x)| from the end inwards.
A mode decays by 1 / (1 + damping · (f / f_1 - 1)): wood damps its highs, metal hardly. The knock is
the noise of the contact.
"""

import math
from typing import Annotated, ClassVar, Literal

import numpy as np

from puddle.parameter import choice, number, switch
from puddle.picture import Handle, Picture, Pull
from puddle.units import db_from_gain
from puddle.voices.parts import add_contact, longest_ms
from puddle.voices.picture import partial_picture
from puddle.voices.voice import Voice, decay, finished, length_frames, level, seed_of

Shape = Literal["bar", "tuned bar", "plate"]
RATIOS: dict[str, tuple[float, ...]] = {
    "bar": tuple(((2 * n + 1) / 3.0112) ** 2 if n > 1 else 1.0 for n in range(1, 9)),
    "tuned bar": (1.0, 4.0, 10.0, 20.1, 32.0),
    "plate": (1.0, 1.47, 1.80, 2.57, 2.57, 4.51, 4.74, 4.74, 5.15, 5.62, 6.9, 7.4),
}


class Bar(Voice, frozen=True, tag="bar", kw_only=True):
    """A synthesized bar or plate."""

    noun: ClassVar[str] = "bar"

    body_on: Annotated[bool, switch("Body", "The modes of the bar.", part="Body")] = True
    shape: Annotated[
        Shape,
        choice("Shape", "What is struck: its shape decides how its modes lie.", part="Body"),
    ] = "bar"
    pitch_hz: Annotated[
        float,
        number("Pitch", 60, 6000, "Hz", "The lowest mode: the note.", log=True, part="Body"),
    ] = 880.0
    place: Annotated[
        float,
        number(
            "Place",
            0,
            50,
            "%",
            "Where it is struck, from the end to the middle: some modes fall silent there.",
            decimals=0,
            part="Body",
        ),
    ] = 42.0
    hardness: Annotated[
        float,
        number(
            "Hardness",
            0,
            100,
            "%",
            "The mallet: yarn lets only the note through, brass everything.",
            decimals=0,
            part="Body",
        ),
    ] = 60.0
    decay_ms: Annotated[
        float, decay("How long the note takes to fall by 60 dB.", "Body", 5, 8000)
    ] = 180.0
    damping: Annotated[
        float,
        number(
            "Damping",
            0,
            100,
            "%",
            "How much sooner high modes die: wood much, glass some, metal little.",
            decimals=0,
            part="Body",
        ),
    ] = 60.0
    detune: Annotated[
        float,
        number(
            "Grain",
            0,
            20,
            "%",
            "How far the modes lie from where they should: real wood is never even.",
            part="Body",
        ),
    ] = 0.0
    knock_on: Annotated[bool, switch("Knock", "The noise of the contact.", part="Knock")] = True
    knock_hz: Annotated[
        float,
        number(
            "Tone", 200, 12000, "Hz", "The middle of the noise.", log=True, decimals=0, part="Knock"
        ),
    ] = 2400.0
    knock_ms: Annotated[float, decay("How long the contact is heard.", "Knock", 1, 200)] = 9.0
    knock_db: Annotated[float, level("How loud the contact is.", "Knock")] = -16.0
    seed: Annotated[int, seed_of("Which grain and which noise.", "Knock")] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        from puddle.kernels.modes import add_modes

        longest = longest_ms((self.body_on, self.decay_ms), (self.knock_on, self.knock_ms))
        out = np.zeros(length_frames(longest, rate_hz))
        if self.body_on:
            hz, decays, gains = self.modes()
            add_modes(out, rate_hz, hz * ratio, decays, gains)
        if self.knock_on:
            add_contact(
                out,
                rate_hz,
                self.seed,
                self.knock_hz,
                self.knock_ms,
                self.knock_db,
                rise_ms=0.2,
            )
        return finished(out, rate_hz)

    def modes(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Frequencies in Hz, decays in seconds and gains; the lowest mode is the pitch."""
        from puddle.kernels.noise import white

        ratios = np.array(RATIOS[self.shape])
        count = ratios.shape[0]
        grain = white(self.seed + 40000, count)
        grain[0] = 0.0
        ratios = ratios * (1.0 + self.detune / 100.0 * grain)
        # A contact of 4 ms for the softest, 0.05 ms for the hardest.
        touch_s = 0.004 * (0.05 / 4.0) ** (self.hardness / 100.0)
        hz = self.pitch_hz * ratios
        order = np.arange(count) + 1.5
        shape = np.abs(np.cos(order * math.pi * self.place / 100.0))
        shape[0] = max(shape[0], 0.3)  # held so that the note always speaks
        gains = shape / (1.0 + (hz * touch_s) ** 2) / np.sqrt(order / 1.5)
        decays = self.decay_ms / 1000.0 / (1.0 + self.damping / 100.0 * 1.5 * (ratios - 1.0))
        return hz, decays, 0.9 * gains / np.sum(np.abs(gains))

    def picture(self) -> Picture:
        """The modes of the bar."""
        hz, _, gains = self.modes()
        note = Handle("pitch", float(hz[0]), db_from_gain(abs(gains[0])), Pull("pitch_hz"))
        return partial_picture(zip(hz.tolist(), gains.tolist(), strict=True), [note])


STARTING_POINTS = {
    "Boat rib": Bar(),
    "Rim of the hatch": Bar(
        shape="plate",
        pitch_hz=590,
        place=18,
        decay_ms=190,
        damping=55,
        detune=4,
        hardness=70,
        knock_db=-12,
    ),
    "Oak block": Bar(pitch_hz=640, decay_ms=110, damping=80, hardness=75, knock_hz=1800),
    "Cabin glass": Bar(
        shape="plate", pitch_hz=1480, decay_ms=700, damping=14, hardness=85, knock_db=-22
    ),
    "Keel plate": Bar(
        shape="plate", pitch_hz=190, decay_ms=2400, damping=6, hardness=80, detune=4, knock_hz=3600
    ),
    "Dinner chime": Bar(
        shape="tuned bar",
        pitch_hz=523.25,
        decay_ms=1500,
        damping=10,
        hardness=55,
        place=50,
        knock_db=-26,
    ),
    "Rosewood steps": Bar(
        shape="tuned bar", pitch_hz=261.63, decay_ms=420, damping=30, hardness=40, place=50
    ),
    "Two pegs": Bar(
        pitch_hz=1250, decay_ms=80, damping=65, hardness=88, knock_hz=4200, knock_db=-20
    ),
    "Bent rod": Bar(
        pitch_hz=1650, decay_ms=3200, damping=3, hardness=92, detune=6, place=20, knock_db=-26
    ),
}
