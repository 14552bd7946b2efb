"""Bell: frequency modulation whose index dies away.

A sine of frequency f_c whose phase is moved by I(t) sin(2π f_m t) has partials at f_c ± n f_m of
strength J_n(I): with a ratio f_m / f_c that is not whole they lie like a bell's, and as the index
I falls they thin out towards a pure tone (J. Chowning, *The Synthesis of Complex Audio Spectra by
Means of Frequency Modulation*, JAES 21, 1973). A second such tone at its own ratio makes the pair
of a cowbell. The index is held so low that nothing over half the rate is louder than -60 dB.
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Handle, Picture, Pull
from puddle.units import db_from_gain, gain_from_db
from puddle.voices.membrane import bessel
from puddle.voices.parts import add_contact, longest_ms
from puddle.voices.picture import partial_picture
from puddle.voices.voice import Voice, decay, finished, length_frames, level, seed_of


class Bell(Voice, frozen=True, tag="bell", kw_only=True):
    """A synthesized bell."""

    noun: ClassVar[str] = "bell"

    tone_on: Annotated[bool, switch("Tone", "The first of the two tones.", part="Tone")] = True
    pitch_hz: Annotated[
        float, number("Pitch", 40, 6000, "Hz", "The note of the first tone.", log=True, part="Tone")
    ] = 540.0
    ratio: Annotated[
        float,
        number(
            "Ratio",
            0.25,
            9,
            "×",
            "The modulator against the note: whole numbers are sweet, others clang.",
            decimals=3,
            part="Tone",
        ),
    ] = 1.41
    index: Annotated[
        float,
        number(
            "Index", 0, 12, "rad", "How much metal there is at the start.", decimals=2, part="Tone"
        ),
    ] = 2.2
    index_ms: Annotated[
        float, decay("How long the metal takes to fall by 60 dB.", "Tone", 5, 8000)
    ] = 500.0
    decay_ms: Annotated[
        float, decay("How long the note takes to fall by 60 dB.", "Tone", 10, 8000)
    ] = 650.0
    second_on: Annotated[
        bool, switch("Second tone", "Another tone over it.", part="Second tone")
    ] = True
    second_ratio: Annotated[
        float,
        number(
            "Interval", 0.5, 4, "×", "Its pitch against the first.", decimals=3, part="Second tone"
        ),
    ] = 1.482
    second_db: Annotated[float, level("How loud the second tone is.", "Second tone")] = -3.0
    second_ms: Annotated[
        float, decay("How long the second tone rings.", "Second tone", 10, 8000)
    ] = 420.0
    strike_on: Annotated[bool, switch("Strike", "The noise of the clapper.", part="Strike")] = True
    strike_hz: Annotated[
        float,
        number(
            "Tone",
            300,
            12000,
            "Hz",
            "The middle of the noise.",
            log=True,
            decimals=0,
            part="Strike",
        ),
    ] = 3800.0
    strike_ms: Annotated[float, decay("How long the noise is heard.", "Strike", 1, 200)] = 10.0
    strike_db: Annotated[float, level("How loud the noise is.", "Strike")] = -18.0
    seed: Annotated[int, seed_of("Which noise the clapper makes.", "Strike")] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        from puddle.kernels.modulation import modulated_sine

        out = np.zeros(length_frames(self._longest_ms(), rate_hz))
        tones = [
            (self.tone_on, 1.0, 1.0, self.decay_ms),
            (self.second_on, self.second_ratio, gain_from_db(self.second_db), self.second_ms),
        ]
        for on, times, gain, ms in tones:
            hz = self.pitch_hz * ratio * times
            if not on or hz >= 0.45 * rate_hz:
                continue
            span = min(out.shape[0], length_frames(ms, rate_hz))
            index = self._clear_index(hz, rate_hz)
            out[:span] += (0.45 * gain) * modulated_sine(
                span, rate_hz, hz, self.ratio, index, self.index_ms / 1000.0, ms / 1000.0
            )
        if self.strike_on:
            add_contact(
                out,
                rate_hz,
                self.seed,
                self.strike_hz,
                self.strike_ms,
                self.strike_db,
                rise_ms=0.2,
            )
        return finished(out, rate_hz)

    def _clear_index(self, hz: float, rate_hz: float) -> float:
        """The index, or as much of it as leaves no alias: J_n(I) < 0.001 once 0.8 n > I + 3."""
        room = (0.45 * rate_hz - hz) / (hz * self.ratio)
        return max(0.0, min(self.index, 0.8 * room - 3.0)) if room < 1e6 else self.index

    def _longest_ms(self) -> float:
        return longest_ms(
            (self.tone_on, self.decay_ms),
            (self.second_on, self.second_ms),
            (self.strike_on, self.strike_ms),
        )

    def picture(self) -> Picture:
        """The partials at the start, by Bessel functions of the index."""
        found = []
        for n in range(8):
            strength = bessel(n, self.index)
            for side in {n, -n}:
                hz = abs(self.pitch_hz * (1.0 + side * self.ratio))
                found.append((hz, strength))
        handles = [
            Handle(
                "pitch", self.pitch_hz, db_from_gain(abs(bessel(0, self.index))), Pull("pitch_hz")
            ),
            Handle(
                "first side tone",
                self.pitch_hz * (1.0 + self.ratio),
                db_from_gain(abs(bessel(1, self.index))),
                across=Pull("ratio", offset=self.pitch_hz, factor=1.0 / self.pitch_hz),
            ),
        ]
        return partial_picture(found, handles)


STARTING_POINTS = {
    "Goat on the quay": Bell(),
    "Ship's watch": Bell(
        pitch_hz=784,
        ratio=3.51,
        index=2.6,
        index_ms=1800,
        decay_ms=3200,
        second_ratio=2.005,
        second_db=-12,
        second_ms=2400,
        strike_db=-26,
    ),
    "Glass ping": Bell(
        pitch_hz=1568,
        ratio=2.0,
        index=0.9,
        index_ms=220,
        decay_ms=800,
        second_on=False,
        strike_db=-24,
    ),
    "Buoy in fog": Bell(
        pitch_hz=220,
        ratio=1.707,
        index=4.5,
        index_ms=900,
        decay_ms=2600,
        second_db=-9,
        second_ms=1800,
    ),
    "Oil drum note": Bell(
        pitch_hz=261.63,
        ratio=2.0,
        index=1.6,
        index_ms=160,
        decay_ms=1100,
        second_ratio=2.01,
        second_db=-9,
    ),
    "Tin cup": Bell(
        pitch_hz=880, ratio=0.61, index=5.5, index_ms=60, decay_ms=140, second_ms=90, strike_db=-8
    ),
    "Iron pot": Bell(
        pitch_hz=560,
        ratio=1.5,
        index=1.1,
        index_ms=90,
        decay_ms=320,
        second_ratio=1.5,
        second_db=-2,
        second_ms=260,
    ),
    "Small anchor": Bell(
        pitch_hz=1190,
        ratio=2.76,
        index=1.7,
        index_ms=700,
        decay_ms=1600,
        second_ratio=1.19,
        second_db=-8,
        second_ms=1100,
        strike_db=-22,
    ),
}
