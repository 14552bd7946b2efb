"""Tom: two heads coupled by the air between them, over a shell.

Each of the heads would sound its own pitch; the air inside couples their lowest modes. With
angular frequencies b (batter) and r (resonant) and a coupling k, the pair rings at

    w² = (b² + r²) / 2 ± sqrt(((b² - r²) / 2)² + (k b r)²),

and a strike on the batter head excites each of the two by the square of the batter's share in it
(the two-mass model of a drum: N. Fletcher and T. Rossing, *The Physics of Musical Instruments*,
2nd ed., ch. 18). Higher modes of the batter head, at the ratios of an ideal membrane, ring by
themselves and die sooner. A struck head is tighter for a moment, so all modes fall in pitch
together. The shell is a ring of its own; the stick is a short band of noise.
"""

import math
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Handle, Picture, Pull
from puddle.units import db_from_gain, gain_from_db, ratio_from_semitones
from puddle.voices.parts import add_contact, add_ring, longest_ms
from puddle.voices.picture import partial_picture, shell_handle
from puddle.voices.skin import Partial, driven_tone, tone
from puddle.voices.voice import Voice, decay, finished, length_frames, level, seed_of

# Zeros of the Bessel functions over the first one: modes 11, 21, 02 and 31 of a membrane.
_RATIOS = (1.594, 2.136, 2.296, 2.653)


class Tom(Voice, frozen=True, tag="tom", kw_only=True):
    """A synthesized tom."""

    noun: ClassVar[str] = "tom"
    role: ClassVar[str] = "tom"

    heads_on: Annotated[
        bool, switch("Heads", "Both skins and the air between them.", part="Heads")
    ] = True
    pitch_hz: Annotated[
        float,
        number(
            "Pitch",
            40,
            400,
            "Hz",
            "The note that is heard: the stronger of the two that the heads make together.",
            log=True,
            part="Heads",
        ),
    ] = 110.0
    resonant_st: Annotated[
        float,
        number(
            "Resonant",
            -12,
            12,
            "st",
            "The other head against the struck one: higher bends the note up as it rings.",
            decimals=2,
            part="Heads",
        ),
    ] = 3.0
    coupling: Annotated[
        float,
        number(
            "Coupling",
            0,
            60,
            "%",
            "How much air ties the heads: none is one head, much gives two clear notes.",
            decimals=0,
            part="Heads",
        ),
    ] = 18.0
    decay_ms: Annotated[
        float, decay("How long the lowest note takes to fall by 60 dB.", "Heads", 40, 5000)
    ] = 700.0
    damping: Annotated[
        float,
        number(
            "Damping",
            0,
            100,
            "%",
            "How much sooner the upper modes die: tape and tissue.",
            decimals=0,
            part="Heads",
        ),
    ] = 45.0
    overtones_db: Annotated[
        float,
        number("Overtones", -48, 0, "dB", "How loud the upper modes are.", part="Heads"),
    ] = -11.0
    tension_st: Annotated[
        float,
        number(
            "Tension",
            0,
            24,
            "st",
            "How much higher the pitch starts, as a stretched skin does.",
            part="Heads",
        ),
    ] = 4.0
    fall_ms: Annotated[
        float,
        number("Fall", 2, 600, "ms", "How long the pitch takes to settle.", log=True, part="Heads"),
    ] = 70.0
    shell_on: Annotated[bool, switch("Shell", "The ring of the wood.", part="Shell")] = True
    shell_hz: Annotated[
        float,
        number(
            "Tone", 80, 1500, "Hz", "The shell's own pitch.", log=True, decimals=0, part="Shell"
        ),
    ] = 310.0
    shell_ms: Annotated[float, decay("How long the shell rings.", "Shell", 10, 1000)] = 110.0
    shell_db: Annotated[float, level("How loud the shell is.", "Shell")] = -20.0
    stick_on: Annotated[bool, switch("Stick", "The noise of the stick.", part="Stick")] = True
    stick_hz: Annotated[
        float,
        number(
            "Tone",
            300,
            10000,
            "Hz",
            "Felt is low, a wooden tip high.",
            log=True,
            decimals=0,
            part="Stick",
        ),
    ] = 2600.0
    stick_ms: Annotated[float, decay("How long the stick is heard.", "Stick", 2, 200)] = 22.0
    stick_db: Annotated[float, level("How loud the stick is.", "Stick")] = -16.0
    drive_on: Annotated[bool, switch("Drive", "Soft saturation of the heads.", part="Drive")] = (
        False
    )
    drive_db: Annotated[
        float, number("Amount", 0, 24, "dB", "How hard the heads are pushed.", part="Drive")
    ] = 6.0
    seed: Annotated[int, seed_of("Which noise the stick makes.", "Stick")] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        frames = length_frames(self._longest_ms(), rate_hz)
        partials = self._partials(ratio) if self.heads_on else []
        if self.drive_on:
            out = 0.9 * driven_tone(partials, frames, rate_hz, self.drive_db)
        else:
            out = tone(partials, frames, rate_hz)
        if self.shell_on:
            add_ring(out, rate_hz, self.shell_hz * ratio, self.shell_ms, self.shell_db)
        if self.stick_on:
            add_contact(out, rate_hz, self.seed, self.stick_hz, self.stick_ms, self.stick_db)
        return finished(out, rate_hz)

    @property
    def batter_hz(self) -> float:
        """What the struck head would sound alone, so that together they sound the pitch."""
        lower, upper = self._coupled(1.0)
        return self.pitch_hz / (lower[0] if lower[1] >= upper[1] - 1e-9 else upper[0])

    def coupled(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """The two lowest modes as (frequency in Hz, how strongly a strike excites it)."""
        return self._coupled(self.batter_hz)

    def _coupled(self, batter_hz: float) -> tuple[tuple[float, float], tuple[float, float]]:
        b = batter_hz**2
        r = (batter_hz * ratio_from_semitones(self.resonant_st)) ** 2
        k = self.coupling / 100.0 * math.sqrt(b * r)
        half = math.hypot((b - r) / 2.0, k)
        middle = (b + r) / 2.0
        if half == 0.0:
            return (batter_hz, 1.0), (batter_hz, 0.0)
        lower = 0.5 * (1.0 - (b - r) / 2.0 / half)  # the batter's share in the lower mode, squared
        return (math.sqrt(middle - half), lower), (math.sqrt(middle + half), 1.0 - lower)

    def _partials(self, ratio: float) -> list[Partial]:
        rise, fall, decay_s = (
            ratio_from_semitones(self.tension_st),
            self.fall_ms / 1000.0,
            self.decay_ms / 1000.0,
        )
        made = [
            Partial(hz * ratio * rise, hz * ratio, fall, 0.0, decay_s * way, 0.5 * share)
            for (hz, share), way in zip(self.coupled(), (1.0, 0.7), strict=True)
            if share > 1e-4
        ]
        gain = 0.56 * gain_from_db(self.overtones_db)
        for n, times in enumerate(_RATIOS):
            hz = self.batter_hz * ratio * times
            way = 0.8 / (1.0 + 6.0 * self.damping / 100.0 * (times - 1.0))
            made.append(Partial(hz * rise, hz, fall, 0.0, decay_s * way, gain * 0.8**n))
        return made

    def _longest_ms(self) -> float:
        return longest_ms(
            (self.heads_on, self.decay_ms),
            (self.shell_on, self.shell_ms),
            (self.stick_on, self.stick_ms),
        )

    def picture(self) -> Picture:
        """The modes of the heads, and the shell."""
        partials, handles = [], []
        if self.heads_on:
            partials = [(p.end_hz, p.gain) for p in self._partials(1.0)]
            gain = max(partials, key=lambda known: -abs(known[0] - self.pitch_hz))[1]
            handles.append(
                Handle("pitch", self.pitch_hz, db_from_gain(abs(gain)), Pull("pitch_hz"))
            )
        if self.shell_on:
            partials.append((self.shell_hz, gain_from_db(self.shell_db)))
            handles.append(shell_handle(self.shell_hz, self.shell_db))
        return partial_picture(partials, handles)


STARTING_POINTS = {
    "Rain barrel": Tom(),
    "Low cask": Tom(
        pitch_hz=72, resonant_st=2, decay_ms=1100, tension_st=3, stick_hz=1400, shell_hz=190
    ),
    "High keg": Tom(pitch_hz=178, resonant_st=4, decay_ms=460, fall_ms=45, shell_hz=480),
    "Taped hatch": Tom(
        pitch_hz=98,
        resonant_st=-5,
        coupling=4,
        decay_ms=240,
        damping=95,
        overtones_db=-20,
        stick_db=-10,
    ),
    "Two-note buoy": Tom(
        pitch_hz=104, resonant_st=0, coupling=42, decay_ms=900, tension_st=1.5, shell_db=-26
    ),
    "Falling mast": Tom(
        pitch_hz=64,
        resonant_st=-9,
        decay_ms=1500,
        tension_st=19,
        fall_ms=260,
        overtones_db=-24,
        drive_on=True,
        drive_db=7,
    ),
    "Floor of the hold": Tom(
        pitch_hz=84, resonant_st=-3, decay_ms=900, tension_st=2, stick_hz=1900, stick_db=-18
    ),
    "Falling cask": Tom(
        pitch_hz=130,
        tension_st=14,
        fall_ms=160,
        decay_ms=520,
        overtones_db=-40,
        shell_on=False,
        stick_db=-26,
    ),
    "Rack of kegs": Tom(
        pitch_hz=147,
        resonant_st=5,
        decay_ms=380,
        damping=60,
        tension_st=3,
        stick_hz=3400,
        stick_db=-18,
    ),
}
