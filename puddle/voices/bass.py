"""Bass: a long tuned sine, its harmonics locked to it, and a click.

The fundamental falls from its start to its note and holds it: its phase is the exact integral of
the pitch (see `kernels.oscillators.falling_sine`). The harmonics are what the Chebyshev polynomials
T_n make of a cosine, T_n(cos φ) = cos nφ (M. Le Brun, *Digital Waveshaping Synthesis*, JAES 27,
1979): they follow every bend of the fundamental, leave its own level as it is, and end where the
band ends, so that none of them folds back. Their levels fall by the slope for each octave; even
ones are warm, odd ones hollow. They have a decay of their own.
"""

import math
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Picture
from puddle.units import gain_from_db, ratio_from_semitones
from puddle.voices.parts import add_ring, longest_ms
from puddle.voices.picture import pitch_picture
from puddle.voices.skin import Partial, tone
from puddle.voices.voice import Voice, decay, finished, length_frames, level

_HARMONICS = 8


class Bass(Voice, frozen=True, tag="bass", kw_only=True):
    """A synthesized bass hit."""

    noun: ClassVar[str] = "bass"
    role: ClassVar[str] = "bass"

    tone_on: Annotated[bool, switch("Tone", "The fundamental.", part="Tone")] = True
    pitch_hz: Annotated[
        float,
        number(
            "Pitch", 20, 400, "Hz", "The note that it holds.", log=True, decimals=2, part="Tone"
        ),
    ] = 48.999
    fall_st: Annotated[
        float,
        number("Fall", 0, 48, "st", "How much higher it starts: the knock in front.", part="Tone"),
    ] = 14.0
    fall_ms: Annotated[
        float,
        number("Time", 1, 400, "ms", "How long the pitch takes to settle.", log=True, part="Tone"),
    ] = 28.0
    attack_ms: Annotated[
        float,
        number("Attack", 0.1, 100, "ms", "How softly it begins.", log=True, part="Tone"),
    ] = 0.5
    decay_ms: Annotated[
        float, decay("How long the note takes to fall by 60 dB.", "Tone", 60, 12000)
    ] = 2400.0
    harmonics_on: Annotated[
        bool, switch("Harmonics", "What small speakers hear it by.", part="Harmonics")
    ] = True
    harmonics_db: Annotated[float, level("How loud the second harmonic is.", "Harmonics")] = -16.0
    slope_db: Annotated[
        float,
        number(
            "Slope", -24, 0, "dB", "How much each octave of harmonics is weaker.", part="Harmonics"
        ),
    ] = -9.0
    odd: Annotated[
        float,
        number(
            "Odd",
            0,
            100,
            "%",
            "Even harmonics against odd ones: 0 is warm, 100 hollow.",
            decimals=0,
            part="Harmonics",
        ),
    ] = 50.0
    harmonics_ms: Annotated[
        float, decay("How long the harmonics last.", "Harmonics", 20, 12000)
    ] = 900.0
    click_on: Annotated[bool, switch("Click", "A short tick in front.", part="Click")] = True
    click_hz: Annotated[
        float,
        number("Tone", 200, 10000, "Hz", "The click's pitch.", log=True, decimals=0, part="Click"),
    ] = 1800.0
    click_ms: Annotated[float, decay("How long the click rings.", "Click", 0.5, 60)] = 7.0
    click_db: Annotated[float, level("How loud the click is.", "Click")] = -24.0

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        longest = longest_ms(
            (self.tone_on, self.decay_ms),
            (self.harmonics_on, self.harmonics_ms),
            (self.click_on, self.click_ms),
        )
        frames = length_frames(longest, rate_hz)
        out = tone(self._partials(rate_hz, ratio), frames, rate_hz)
        rise = max(1, round(self.attack_ms / 1000.0 * rate_hz))
        head = min(rise, frames)
        out[:head] *= 0.5 - 0.5 * np.cos(np.pi * np.arange(head) / rise)
        if self.click_on:
            add_ring(out, rate_hz, self.click_hz * ratio, self.click_ms, self.click_db)
        return finished(out, rate_hz)

    def _partials(self, rate_hz: float, ratio: float) -> list[Partial]:
        hz, rise, fall = (
            self.pitch_hz * ratio,
            ratio_from_semitones(self.fall_st),
            self.fall_ms / 1000.0,
        )
        made = []
        if self.tone_on:
            made.append(Partial(hz * rise, hz, fall, 0.0, self.decay_ms / 1000.0, 0.8))
        if self.harmonics_on:
            share = self.odd / 100.0 * math.pi / 2.0
            for n in range(2, _HARMONICS + 1):
                way = math.cos(share) if n % 2 == 0 else math.sin(share)
                gain = gain_from_db(self.harmonics_db + self.slope_db * math.log2(n / 2.0)) * way
                if hz * n < 0.45 * rate_hz and gain > 1e-5:
                    seconds = self.harmonics_ms / 1000.0
                    made.append(Partial(hz * n * rise, hz * n, fall, 0.0, seconds, gain))
        return made

    def picture(self) -> Picture:
        """The fall of the pitch."""
        start = self.pitch_hz * ratio_from_semitones(self.fall_st)
        end, fall = ("pitch_hz", self.pitch_hz), ("fall_ms", self.fall_ms)
        return pitch_picture(("", start), end, fall, 0.0)


STARTING_POINTS = {
    "Bilge pump": Bass(),
    "Dry dock": Bass(
        pitch_hz=55.0, fall_st=24, fall_ms=14, decay_ms=900, harmonics_ms=260, click_db=-16
    ),
    "Fog signal": Bass(
        pitch_hz=36.708,
        fall_st=3,
        fall_ms=90,
        attack_ms=6,
        decay_ms=6000,
        harmonics_ms=4200,
        click_on=False,
    ),
    "Hollow pontoon": Bass(
        pitch_hz=65.406, odd=100, harmonics_db=-10, slope_db=-6, harmonics_ms=600, decay_ms=1500
    ),
    "Warm ballast": Bass(
        pitch_hz=41.203,
        odd=8,
        harmonics_db=-9,
        slope_db=-14,
        harmonics_ms=2400,
        decay_ms=3200,
        click_db=-34,
    ),
    "Pure plumb line": Bass(
        pitch_hz=43.654, fall_st=0, harmonics_on=False, click_on=False, attack_ms=3, decay_ms=4000
    ),
    "Round hull": Bass(
        pitch_hz=48.999, fall_st=6, decay_ms=1600, harmonics_db=-24, harmonics_ms=500, click_db=-34
    ),
    "Growling chain": Bass(
        pitch_hz=43.654,
        fall_st=10,
        fall_ms=30,
        decay_ms=1800,
        harmonics_db=-9,
        odd=70,
        slope_db=-7,
        harmonics_ms=1200,
    ),
}
