"""Hat: a bank of inharmonic squares and noise, through a band and a high-pass.

Six squares without aliases (`kernels.oscillators.add_square`) stand at ratios to the tone that no
harmonic series has; spread draws the ratios together or apart. Their sum and white noise go
through a two-pole band and a high-pass, and decay; ring adds a second, slower decay of the metal
alone.
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Picture
from puddle.units import gain_from_db
from puddle.voices.picture import Fall, decay_picture
from puddle.voices.voice import Voice, finished, length_frames

# Successive powers of an irrational step, shuffled off any harmonic series: (k φ mod 1) octaves.
_OCTAVES = tuple((k * 0.6180339887498949) % 1.0 + 0.31 * k for k in range(6))


_OPEN_MS = 300.0  # of the longer of its decays: from there it is an open hat
_RINGS_DB = -24.0  # a softer ring is not heard for so long


class Hat(Voice, frozen=True, tag="hat", kw_only=True):
    """A synthesized hi-hat."""

    noun: ClassVar[str] = "hat"
    role: ClassVar[str] = "hat"

    @property
    def is_open(self) -> bool:
        """Whether it rings on, as an open hat does."""
        return max(self.decay_ms, self.ring_ms if self.ring_db > _RINGS_DB else 0.0) >= _OPEN_MS

    metal_on: Annotated[bool, switch("Metal", "The inharmonic bank.", part="Metal")] = True
    tone_hz: Annotated[
        float,
        number(
            "Tone",
            150,
            3000,
            "Hz",
            "The lowest square of the bank: low is a heavy sheet, high a thin one.",
            log=True,
            part="Metal",
        ),
    ] = 420.0
    spread: Annotated[
        float,
        number(
            "Spread",
            10,
            150,
            "%",
            "How far apart the squares stand: narrow beats, wide shimmers.",
            decimals=0,
            part="Metal",
        ),
    ] = 100.0
    metal_db: Annotated[
        float, number("Level", -48, 0, "dB", "How loud the metal is.", part="Metal")
    ] = -6.0
    ring_db: Annotated[
        float,
        number("Ring", -60, 0, "dB", "How loud the metal rings on after the hit.", part="Metal"),
    ] = -24.0
    ring_ms: Annotated[
        float,
        number(
            "Ring decay",
            20,
            6000,
            "ms",
            "How long that ringing takes to fall by 60 dB.",
            log=True,
            decimals=0,
            part="Metal",
        ),
    ] = 500.0
    noise_on: Annotated[bool, switch("Noise", "The hiss over the metal.", part="Noise")] = True
    noise_db: Annotated[
        float, number("Level", -48, 0, "dB", "How loud the hiss is.", part="Noise")
    ] = -10.0
    band_hz: Annotated[
        float,
        number("Band", 1000, 16000, "Hz", "Where the sound is brightest.", log=True, part="Shape"),
    ] = 9000.0
    band_q: Annotated[
        float,
        number(
            "Width",
            0.3,
            8,
            "Q",
            "How narrow that bright band is: high values whistle.",
            log=True,
            decimals=2,
            part="Shape",
        ),
    ] = 0.8
    low_cut_hz: Annotated[
        float,
        number(
            "Low cut",
            200,
            14000,
            "Hz",
            "What lies under it is taken away: higher is thinner.",
            log=True,
            part="Shape",
        ),
    ] = 5200.0
    decay_ms: Annotated[
        float,
        number(
            "Decay",
            10,
            6000,
            "ms",
            "How long the hit takes to fall by 60 dB: short is closed, long is open.",
            log=True,
            decimals=0,
            part="Shape",
        ),
    ] = 130.0
    seed: Annotated[
        int,
        number(
            "Seed", 0, 9999, "", "Which of ten thousand hisses is used.", decimals=0, part="Noise"
        ),
    ] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        from puddle.kernels.envelopes import decay_in_place
        from puddle.kernels.filters import BAND, HIGH, state_variable
        from puddle.kernels.noise import white

        ringing = self.metal_on and self.ring_db > -60.0
        longest = max(self.decay_ms, self.ring_ms if ringing else 0.0)
        frames = length_frames(longest, rate_hz)
        out = np.zeros(frames)
        hit = min(frames, length_frames(self.decay_ms, rate_hz))
        metal = self._metal(frames if ringing else hit, rate_hz, ratio)
        if ringing:
            ring = metal.copy()
            decay_in_place(ring, rate_hz, 0.0005, self.ring_ms / 1000.0)
            out[: ring.shape[0]] += gain_from_db(self.ring_db) * ring
        body = metal[:hit] if metal.shape[0] >= hit else np.zeros(hit)
        if self.noise_on:
            body = body + gain_from_db(self.noise_db) * 1.6 * white(self.seed, hit)
        decay_in_place(body, rate_hz, 0.0005, self.decay_ms / 1000.0)
        out[:hit] += body
        state_variable(out, rate_hz, self.band_hz, self.band_q, BAND)
        state_variable(out, rate_hz, self.low_cut_hz, 0.7, HIGH)
        return finished(out * 1.4, rate_hz)

    def _metal(self, frames: int, rate_hz: float, ratio: float) -> np.ndarray:
        """The bank of squares: float64 (frames,)."""
        from puddle.kernels.oscillators import add_square

        out = np.zeros(frames)
        if self.metal_on:
            gain = gain_from_db(self.metal_db) / 3.0
            highest = min(20000.0, 0.47 * rate_hz)
            for k, octaves in enumerate(_OCTAVES):
                pitch = self.tone_hz * ratio * 2.0 ** (octaves * self.spread / 100.0)
                add_square(out, rate_hz, pitch, highest, 0.137 + 0.171 * k, gain)
        return out

    def picture(self) -> Picture:
        """The hit, metal and noise, and the ring after it."""
        metal = gain_from_db(self.metal_db) * self.metal_on
        noise = gain_from_db(self.noise_db) * self.noise_on
        ring = gain_from_db(self.metal_db + self.ring_db) * self.metal_on
        return decay_picture(
            [
                Fall("hit", metal + noise, self.decay_ms, "decay_ms"),
                Fall("ring", ring, self.ring_ms, "ring_ms"),
            ]
        )


STARTING_POINTS = {
    "Drizzle": Hat(),
    "Downpour": Hat(decay_ms=900, ring_db=-14, ring_ms=1400, metal_db=-8, noise_db=-9),
    "Tin roof": Hat(
        tone_hz=610,
        spread=72,
        band_hz=6800,
        band_q=2.2,
        low_cut_hz=4200,
        decay_ms=190,
        noise_db=-22,
        ring_db=-16,
        ring_ms=700,
    ),
    "Dry reeds": Hat(metal_on=False, noise_db=-4, band_hz=11000, low_cut_hz=7000, decay_ms=70),
    "Wide sheet": Hat(
        tone_hz=260,
        spread=128,
        band_hz=5200,
        band_q=0.5,
        low_cut_hz=2400,
        decay_ms=2400,
        ring_db=-10,
        ring_ms=3200,
        noise_db=-14,
    ),
    "Foot on the pedal": Hat(tone_hz=380, decay_ms=60, band_hz=7400, low_cut_hz=3600, ring_db=-40),
    "Loose hatch": Hat(
        tone_hz=470, decay_ms=340, spread=110, ring_db=-20, ring_ms=520, noise_db=-12, seed=5
    ),
    "Wet shingle": Hat(
        tone_hz=340,
        spread=90,
        metal_db=-9,
        noise_db=-8,
        band_hz=8000,
        band_q=0.6,
        low_cut_hz=4000,
        decay_ms=90,
        ring_db=-30,
    ),
    "Pin point": Hat(
        tone_hz=820, metal_db=-3, noise_db=-24, band_hz=10500, band_q=1.2, decay_ms=38
    ),
    "Open vent": Hat(
        metal_on=False, noise_db=-10, band_hz=9500, band_q=0.5, low_cut_hz=6000, decay_ms=720
    ),
    "Long swash": Hat(
        tone_hz=520,
        spread=118,
        band_hz=7600,
        band_q=0.6,
        low_cut_hz=3600,
        decay_ms=1500,
        noise_db=-12,
        ring_db=-12,
        ring_ms=2100,
        seed=3,
    ),
}
