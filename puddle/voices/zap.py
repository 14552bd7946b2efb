"""Zap: a tone that sweeps far up or down, and noise through a resonance that sweeps along.

The sweep goes from start to end along the q-exponential of `kernels.oscillators.falling_sine`, on a
scale of frequency: c = 0 is exponential, below zero even, above zero lingering. The tone's phase is
its exact integral. The resonance is white noise through a two-pole band-pass of the given width
whose middle takes the same way.
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Picture
from puddle.units import gain_from_db
from puddle.voices.parts import longest_ms
from puddle.voices.picture import pitch_picture
from puddle.voices.skin import Partial, driven_tone, tone
from puddle.voices.voice import Voice, decay, finished, length_frames, level, seed_of


class Zap(Voice, frozen=True, tag="zap", kw_only=True):
    """A synthesized sweep."""

    noun: ClassVar[str] = "zap"
    role: ClassVar[str] = "effect"

    start_hz: Annotated[
        float,
        number(
            "Start", 20, 16000, "Hz", "Where the sweep begins.", log=True, decimals=0, part="Sweep"
        ),
    ] = 6000.0
    end_hz: Annotated[
        float,
        number(
            "End",
            20,
            16000,
            "Hz",
            "Where it ends; above the start it goes up.",
            log=True,
            decimals=0,
            part="Sweep",
        ),
    ] = 80.0
    sweep_ms: Annotated[
        float,
        number(
            "Time",
            2,
            3000,
            "ms",
            "How long nine tenths of the way take.",
            log=True,
            decimals=0,
            part="Sweep",
        ),
    ] = 120.0
    bend: Annotated[
        float,
        number(
            "Curve",
            -100,
            90,
            "%",
            "Below zero it goes evenly, above at once and then lingers.",
            decimals=0,
            part="Sweep",
        ),
    ] = 0.0
    tone_on: Annotated[bool, switch("Tone", "A sine along the sweep.", part="Tone")] = True
    decay_ms: Annotated[float, decay("How long the tone lasts.", "Tone", 5, 6000)] = 320.0
    drive_db: Annotated[
        float,
        number("Drive", 0, 24, "dB", "How far the sine is pushed towards a square.", part="Tone"),
    ] = 0.0
    tone_db: Annotated[float, level("How loud the tone is.", "Tone")] = 0.0
    noise_on: Annotated[
        bool, switch("Resonance", "Noise through a resonance.", part="Resonance")
    ] = False
    noise_q: Annotated[
        float,
        number(
            "Width",
            0.5,
            60,
            "Q",
            "How narrow the resonance is.",
            log=True,
            decimals=2,
            part="Resonance",
        ),
    ] = 8.0
    noise_ms: Annotated[float, decay("How long the noise lasts.", "Resonance", 5, 6000)] = 300.0
    noise_db: Annotated[float, level("How loud the noise is.", "Resonance", -48, 12)] = -6.0
    seed: Annotated[int, seed_of("Which noise is swept.", "Resonance")] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        from puddle.kernels.envelopes import decay_in_place
        from puddle.kernels.filters import swept_band
        from puddle.kernels.noise import white

        longest = longest_ms((self.tone_on, self.decay_ms), (self.noise_on, self.noise_ms))
        frames = length_frames(longest, rate_hz)
        start, end = self.start_hz * ratio, self.end_hz * ratio
        fall, bend = self.sweep_ms / 1000.0, self.bend / 100.0
        out = np.zeros(frames)
        if self.tone_on:
            sine = [Partial(start, end, fall, bend, self.decay_ms / 1000.0, 1.0)]
            made = (
                driven_tone(sine, frames, rate_hz, self.drive_db)
                if self.drive_db > 0.0
                else tone(sine, frames, rate_hz)
            )
            out += 0.85 * gain_from_db(self.tone_db) * made
        if self.noise_on:
            span = min(frames, length_frames(self.noise_ms, rate_hz))
            noise = white(self.seed, span)
            swept_band(noise, rate_hz, start, end, fall, bend, self.noise_q)
            decay_in_place(noise, rate_hz, 0.0005, self.noise_ms / 1000.0)
            out[:span] += 1.2 * gain_from_db(self.noise_db) * noise
        return finished(out, rate_hz)

    def picture(self) -> Picture:
        """The sweep."""
        start, end = ("start_hz", self.start_hz), ("end_hz", self.end_hz)
        return pitch_picture(start, end, ("sweep_ms", self.sweep_ms), self.bend)


STARTING_POINTS = {
    "Snapped line": Zap(),
    "Rocket over water": Zap(
        start_hz=180, end_hz=5200, sweep_ms=420, bend=-60, decay_ms=700, noise_on=True, noise_ms=700
    ),
    "Short spark": Zap(start_hz=14000, end_hz=240, sweep_ms=24, decay_ms=70, bend=30),
    "Gust": Zap(
        tone_on=False,
        start_hz=300,
        end_hz=3800,
        sweep_ms=500,
        noise_on=True,
        noise_q=3,
        noise_ms=900,
        noise_db=3,
    ),
    "Rusty winch": Zap(start_hz=900, end_hz=60, sweep_ms=600, bend=60, decay_ms=900, drive_db=18),
    "Drowned siren": Zap(
        start_hz=420,
        end_hz=1200,
        sweep_ms=260,
        bend=-100,
        decay_ms=520,
        noise_on=True,
        noise_q=22,
        noise_db=6,
    ),
    "Falling star": Zap(
        start_hz=3600, end_hz=180, sweep_ms=1100, bend=50, decay_ms=1200, tone_db=-3
    ),
}
