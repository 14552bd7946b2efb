"""Shaker: grains that fall at random, through the body that they strike.

Beans, sand and jingles are many small collisions: each is an impulse of random strength, and they
come at a mean density that follows how hard the hand moves (P. Cook, *Physically Informed Sonic
Modeling (PhISM)*, Computer Music Journal 21, 1997). The swing is a stroke out and a stroke back,
each a hump of sin² in time, the second of its own level. Impulses pass a two-pole band of the
body; the jingles are a few narrow resonances that the same grains strike.
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Handle, Picture, Pull
from puddle.units import gain_from_db
from puddle.voices.picture import level_picture
from puddle.voices.voice import Voice, decay, finished, level, seed_of

_JINGLE_RATIOS = (1.0, 1.31, 1.77, 2.23, 2.86)


class Shaker(Voice, frozen=True, tag="shaker", kw_only=True):
    """A synthesized shaker."""

    noun: ClassVar[str] = "shaker"

    grains_on: Annotated[bool, switch("Grains", "What is inside, on the body.", part="Grains")] = (
        True
    )
    density: Annotated[
        float,
        number(
            "Density",
            20,
            12000,
            "/s",
            "How many grains strike in a second: few rattle, many hiss.",
            log=True,
            decimals=0,
            part="Grains",
        ),
    ] = 2200.0
    band_hz: Annotated[
        float,
        number(
            "Body",
            400,
            12000,
            "Hz",
            "What the body lets through.",
            log=True,
            decimals=0,
            part="Grains",
        ),
    ] = 5200.0
    band_q: Annotated[
        float,
        number(
            "Width", 0.4, 12, "Q", "How narrow the body rings.", log=True, decimals=2, part="Grains"
        ),
    ] = 1.2
    grain_ms: Annotated[float, decay("How long a single grain rings.", "Grains", 0.5, 100)] = 6.0
    swing_ms: Annotated[
        float,
        number(
            "Stroke",
            15,
            600,
            "ms",
            "How long one stroke of the hand takes.",
            log=True,
            decimals=0,
            part="Swing",
        ),
    ] = 85.0
    lean: Annotated[
        float,
        number(
            "Lean",
            5,
            95,
            "%",
            "Where in the stroke it is strongest: early is a tap, late a swell.",
            decimals=0,
            part="Swing",
        ),
    ] = 30.0
    back_on: Annotated[bool, switch("Back", "The stroke back.", part="Back")] = True
    back_db: Annotated[float, level("How loud the stroke back is.", "Back")] = -9.0
    jingle_on: Annotated[bool, switch("Jingles", "Small plates on the rim.", part="Jingles")] = (
        False
    )
    jingle_hz: Annotated[
        float,
        number(
            "Tone", 1000, 9000, "Hz", "Their lowest pitch.", log=True, decimals=0, part="Jingles"
        ),
    ] = 3900.0
    jingle_ms: Annotated[float, decay("How long they ring.", "Jingles", 10, 1500)] = 140.0
    jingle_db: Annotated[float, level("How loud they are.", "Jingles")] = -8.0
    seed: Annotated[int, seed_of("Which grains fall.", "Grains")] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        from puddle.kernels.filters import BAND, state_variable
        from puddle.kernels.grains import impulses, rung

        strokes = 2 if self.back_on else 1
        rest_ms = 1.7 * max(self.grain_ms, self.jingle_ms if self.jingle_on else 0.0)
        frames = max(64, round((strokes * self.swing_ms + rest_ms + 12.0) / 1000.0 * rate_hz))
        struck = impulses(self.seed, self.swing(frames, rate_hz), self.density / rate_hz)
        out = np.zeros(frames)
        if self.grains_on:
            body = struck.copy()
            band_hz = min(self.band_hz * ratio, 0.45 * rate_hz)
            q = max(self.band_q, 0.25 * self.grain_ms / 1000.0 * band_hz)
            state_variable(body, rate_hz, band_hz, q, BAND)
            out += body * (1.1 / max(1e-9, float(np.max(np.abs(body), initial=0.0))))
        if self.jingle_on:
            ratios = np.array(_JINGLE_RATIOS)
            heard = ratios[self.jingle_hz * ratio * ratios < 0.45 * rate_hz]
            decays = np.full(heard.shape, self.jingle_ms / 1000.0)
            hz = self.jingle_hz * ratio * heard
            jingles = rung(struck, rate_hz, hz, decays, 1.0 / heard)
            top = max(1e-9, float(np.max(np.abs(jingles), initial=0.0)))
            out += jingles * (gain_from_db(self.jingle_db) / top)
        return finished((0.55 if self.grains_on and self.jingle_on else 0.8) * out, rate_hz)

    def swing(self, frames: int, rate_hz: float) -> np.ndarray:
        """How hard the hand moves, 0 to 1, at every frame."""
        t = np.arange(frames) / rate_hz / (self.swing_ms / 1000.0)
        lean = self.lean / 100.0

        def stroke(u: np.ndarray) -> np.ndarray:
            rise = np.where(u < lean, u / lean, 1.0 - (u - lean) / (1.0 - lean))
            return np.where((u > 0.0) & (u < 1.0), np.sin(0.5 * np.pi * rise) ** 2, 0.0)

        out = stroke(t)
        if self.back_on:
            out = out + gain_from_db(self.back_db) * stroke(t - 1.0)
        return np.asarray(out)

    def picture(self) -> Picture:
        """The strokes of the hand in time."""
        whole_ms = self.swing_ms * (2.0 if self.back_on else 1.0)
        swing = self.swing(160, 160.0 / (whole_ms / 1000.0))
        lean_ms = self.swing_ms * self.lean / 100.0
        handles = [
            Handle("hardest", lean_ms, 100.0, Pull("lean", factor=100.0 / self.swing_ms)),
            Handle("stroke", self.swing_ms, 0.0, Pull("swing_ms")),
        ]
        return level_picture(swing.tolist(), whole_ms, handles)


STARTING_POINTS = {
    "Dry barley": Shaker(),
    "Sand in a tin": Shaker(density=9000, band_hz=7200, band_q=0.8, grain_ms=2, swing_ms=70),
    "Gravel box": Shaker(
        density=240, band_hz=1700, band_q=2.5, grain_ms=14, swing_ms=130, back_db=-5
    ),
    "Ring of keys": Shaker(
        density=130,
        band_hz=6200,
        grain_ms=9,
        swing_ms=120,
        jingle_on=True,
        jingle_hz=3300,
        jingle_ms=320,
        jingle_db=0,
    ),
    "Sleigh rail": Shaker(
        grains_on=False,
        density=900,
        swing_ms=90,
        lean=12,
        jingle_on=True,
        jingle_ms=190,
        jingle_db=0,
    ),
    "Short tick": Shaker(swing_ms=28, lean=15, back_on=False, density=4000, band_hz=8200),
    "Long tide": Shaker(swing_ms=420, lean=70, back_db=-3, density=6000, band_hz=3600, band_q=0.7),
    "Rice in a cup": Shaker(
        density=5200, band_hz=6000, band_q=1.5, grain_ms=3, swing_ms=95, lean=50
    ),
}
