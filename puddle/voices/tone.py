"""Tone: one plain partial, for filling in a bottom or a gap.

gain · sin(2π f t + φ) under a raised-cosine attack, a hold, and a 60 dB decay: nothing else. The
phase at the start can be set, so that it adds to what it is laid under.
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Picture
from puddle.voices.picture import Fall, decay_picture
from puddle.voices.voice import Voice, decay, finished, length_frames


class Tone(Voice, frozen=True, tag="tone", kw_only=True):
    """One synthesized partial."""

    noun: ClassVar[str] = "tone"
    role: ClassVar[str] = "bass"

    tone_on: Annotated[bool, switch("Tone", "The partial itself.", part="Tone")] = True
    pitch_hz: Annotated[
        float,
        number(
            "Pitch", 20, 8000, "Hz", "The pitch of the partial.", log=True, decimals=2, part="Tone"
        ),
    ] = 55.0
    phase: Annotated[
        float,
        number(
            "Phase", -180, 180, "°", "Where in its cycle the sine begins.", decimals=0, part="Tone"
        ),
    ] = 0.0
    attack_ms: Annotated[
        float, number("Attack", 0.1, 500, "ms", "How softly it begins.", log=True, part="Tone")
    ] = 2.0
    hold_ms: Annotated[
        float,
        number(
            "Hold", 0, 2000, "ms", "How long it stays before it falls.", decimals=0, part="Tone"
        ),
    ] = 0.0
    decay_ms: Annotated[float, decay("How long it takes to fall by 60 dB.", "Tone", 10, 10000)] = (
        700.0
    )

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        hz = self.pitch_hz * ratio
        frames = length_frames(self.decay_ms, rate_hz)
        frames += round((self.attack_ms + self.hold_ms) / 1000.0 * rate_hz)
        t = np.arange(frames) / rate_hz
        out = np.zeros(frames)
        if self.tone_on and hz < 0.45 * rate_hz:
            held = (self.attack_ms + self.hold_ms) / 1000.0
            out = 0.8 * np.sin(2.0 * np.pi * (hz * t + self.phase / 360.0))
            out *= 10.0 ** (-3.0 * np.maximum(0.0, t - held) / (self.decay_ms / 1000.0))
            out *= np.sin(0.5 * np.pi * np.minimum(1.0, t / (self.attack_ms / 1000.0))) ** 2
        return finished(out, rate_hz)

    def picture(self) -> Picture:
        """Attack, hold and decay."""
        return decay_picture(
            [Fall("decay", 1.0, self.decay_ms, "decay_ms")],
            rise=("attack_ms", self.attack_ms),
            hold=("hold_ms", self.hold_ms),
        )


STARTING_POINTS = {
    "Under the keel": Tone(),
    "Low lamp": Tone(pitch_hz=43.65, attack_ms=12, decay_ms=1400),
    "Chest": Tone(pitch_hz=98.0, decay_ms=320),
    "Thin wire": Tone(pitch_hz=1760.0, attack_ms=1, decay_ms=240),
    "Slow swell": Tone(pitch_hz=65.41, attack_ms=180, hold_ms=120, decay_ms=900),
    "Tuning peg": Tone(pitch_hz=440.0, attack_ms=5, hold_ms=400, decay_ms=300),
    "Fathom": Tone(pitch_hz=36.71, attack_ms=4, hold_ms=60, decay_ms=2200),
}
