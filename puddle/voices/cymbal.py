"""Cymbal: dense inharmonic modes in three bands, a ping, and the wash of the strike.

A thin plate has ever more modes, and they lie without order. The bank draws its modes by seed
between the lowest and 16 kHz, evenly in a power of frequency, and splits each of them in two a
little apart, as an imperfect plate does: the beats between the two are the shimmer. Modes are
damped by band, with decays laid between the low, middle and high one by the logarithm of their
frequency. The highs bloom: energy wanders upwards through the plate's bends, so that the upper
band rises over its bloom time as 1 - e^(-t / bloom) (N. Fletcher and T. Rossing, *The Physics of
Musical Instruments*, 2nd ed., ch. 20). The ping is the stick: a few modes in near-harmonic order.
The wash is noise through a high-pass.
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Handle, Picture, Pull
from puddle.units import db_from_gain, gain_from_db
from puddle.voices.parts import longest_ms
from puddle.voices.picture import partial_picture
from puddle.voices.voice import Voice, decay, finished, length_frames, level, seed_of

_HIGHEST_HZ = 16000.0
_MIDDLE_HZ = 1800.0
_UPPER_HZ = 7000.0
_PING_RATIOS = (1.0, 2.02, 2.97, 4.12, 5.41)


class Cymbal(Voice, frozen=True, tag="cymbal", kw_only=True):
    """A synthesized cymbal."""

    noun: ClassVar[str] = "cymbal"
    role: ClassVar[str] = "cymbal"

    bank_on: Annotated[bool, switch("Plate", "The modes of the plate.", part="Plate")] = True
    low_hz: Annotated[
        float,
        number(
            "Lowest",
            80,
            2000,
            "Hz",
            "The lowest mode: large plates are low, splashes high.",
            log=True,
            decimals=0,
            part="Plate",
        ),
    ] = 240.0
    density: Annotated[
        int,
        number(
            "Density",
            8,
            160,
            "",
            "How many modes ring: few sound like a pot, many like a sheet.",
            decimals=0,
            part="Plate",
        ),
    ] = 90
    tilt_db: Annotated[
        float,
        number(
            "Tilt",
            -12,
            6,
            "dB",
            "How the modes' level changes by octave: below zero is dark, above is bright.",
            part="Plate",
        ),
    ] = -2.0
    shimmer: Annotated[
        float,
        number(
            "Shimmer",
            0,
            100,
            "%",
            "How far split modes lie apart: none rings still, much flutters.",
            decimals=0,
            part="Plate",
        ),
    ] = 35.0
    low_ms: Annotated[
        float,
        number(
            "Low decay",
            50,
            8000,
            "ms",
            "How long the low modes ring.",
            log=True,
            decimals=0,
            part="Plate",
        ),
    ] = 2600.0
    mid_ms: Annotated[
        float,
        number(
            "Middle decay",
            50,
            8000,
            "ms",
            "How long the middle rings.",
            log=True,
            decimals=0,
            part="Plate",
        ),
    ] = 1900.0
    high_ms: Annotated[
        float,
        number(
            "High decay",
            30,
            6000,
            "ms",
            "How long the highs ring.",
            log=True,
            decimals=0,
            part="Plate",
        ),
    ] = 1100.0
    bloom_ms: Annotated[
        float,
        number(
            "Bloom",
            0,
            200,
            "ms",
            "How long the highs take to come up after the stick.",
            part="Plate",
        ),
    ] = 12.0
    ping_on: Annotated[bool, switch("Ping", "The stick on the bow or the bell.", part="Ping")] = (
        False
    )
    ping_hz: Annotated[
        float,
        number("Tone", 200, 6000, "Hz", "The ping's pitch.", log=True, decimals=0, part="Ping"),
    ] = 880.0
    ping_ms: Annotated[float, decay("How long the ping rings.", "Ping", 20, 4000)] = 700.0
    ping_db: Annotated[float, level("How loud the ping is.", "Ping")] = -10.0
    wash_on: Annotated[bool, switch("Wash", "The noise of the strike.", part="Wash")] = True
    wash_hz: Annotated[
        float,
        number(
            "Low cut",
            500,
            12000,
            "Hz",
            "Where the noise begins.",
            log=True,
            decimals=0,
            part="Wash",
        ),
    ] = 4200.0
    wash_ms: Annotated[float, decay("How long the noise lasts.", "Wash", 5, 4000)] = 700.0
    wash_db: Annotated[float, level("How loud the noise is.", "Wash")] = -14.0
    seed: Annotated[int, seed_of("Which plate was cast.", "Plate")] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        from puddle.kernels.modes import add_modes

        frames = length_frames(self._longest_ms(), rate_hz)
        out = np.zeros(frames)
        if self.bank_on:
            hz, decays, gains = self.modes()
            hz = hz * ratio
            upper = hz >= _UPPER_HZ
            add_modes(out, rate_hz, hz[~upper], decays[~upper], gains[~upper])
            highs = np.zeros(frames)
            add_modes(highs, rate_hz, hz[upper], decays[upper], gains[upper])
            if self.bloom_ms > 0.0:
                highs *= -np.expm1(-np.arange(frames) / (self.bloom_ms / 1000.0 * rate_hz))
            out += highs
        if self.ping_on:
            ratios = np.array(_PING_RATIOS)
            fall = ratios**-0.7
            gain = 0.3 * gain_from_db(self.ping_db)
            add_modes(
                out, rate_hz, self.ping_hz * ratio * ratios, self.ping_ms / 1000 * fall, gain * fall
            )
        if self.wash_on:
            self._add_wash(out, rate_hz)
        return finished(out, rate_hz)

    def modes(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Frequencies in Hz, decays in seconds and gains of all modes, split ones side by side."""
        from puddle.kernels.noise import white

        count = self.density
        chance = white(self.seed, 4 * count)
        place = (np.arange(count) + 0.5 + 0.49 * chance[:count]) / count
        top = max(_HIGHEST_HZ, 2.0 * self.low_hz)
        # Even in the square root of frequency: dense above, with room between the lowest.
        root = np.sqrt(self.low_hz) + place * (np.sqrt(top) - np.sqrt(self.low_hz))
        hz = root**2
        apart = 0.02 * self.shimmer / 100.0 * 0.5 * (1.0 + chance[count : 2 * count])
        hz = np.concatenate([hz, hz * (1.0 + apart)])
        octaves = np.log2(hz / 1000.0)
        gains = 10.0 ** (self.tilt_db * octaves / 20.0) * np.sign(chance[2 * count :])
        gains *= 0.55 + 0.45 * np.abs(chance[2 * count :])
        # The few lowest modes move little air for their size: a plate has no note of its own.
        gains *= (hz / (hz + 2.0 * self.low_hz)) ** 2
        places = np.log2([self.low_hz, max(_MIDDLE_HZ, 1.1 * self.low_hz), 2.2 * _UPPER_HZ])
        seconds = np.log([self.low_ms / 1000, self.mid_ms / 1000, self.high_ms / 1000])
        decays = np.exp(np.interp(np.log2(hz), places, seconds))
        return hz, decays, gains * (0.36 / np.sqrt(np.sum(gains**2)))

    def _add_wash(self, out: np.ndarray, rate_hz: float) -> None:
        from puddle.kernels.envelopes import decay_in_place
        from puddle.kernels.filters import HIGH, state_variable
        from puddle.kernels.noise import white

        span = min(out.shape[0], length_frames(self.wash_ms, rate_hz))
        noise = white(self.seed + 20000, span)
        state_variable(noise, rate_hz, self.wash_hz, 0.6, HIGH)
        decay_in_place(noise, rate_hz, 0.001, self.wash_ms / 1000.0)
        out[:span] += 1.3 * gain_from_db(self.wash_db) * noise

    def _longest_ms(self) -> float:
        return longest_ms(
            (self.bank_on, max(self.low_ms, self.mid_ms, self.high_ms)),
            (self.ping_on, self.ping_ms),
            (self.wash_on, self.wash_ms),
        )

    def picture(self) -> Picture:
        """The modes of the plate, and the ping."""
        hz, _, gains = self.modes()
        modes = list(zip(hz.tolist(), gains.tolist(), strict=True))
        foot = Handle("lowest", self.low_hz, db_from_gain(abs(gains[0])), Pull("low_hz"))
        handles = [foot]
        if self.ping_on:
            modes.append((self.ping_hz, gain_from_db(self.ping_db)))
            handles.append(
                Handle("ping", self.ping_hz, self.ping_db, Pull("ping_hz"), Pull("ping_db"))
            )
        return partial_picture(modes, handles)


STARTING_POINTS = {
    "Squall line": Cymbal(),
    "Tin lantern": Cymbal(
        low_hz=420,
        density=70,
        tilt_db=-4,
        low_ms=3200,
        mid_ms=1700,
        high_ms=420,
        ping_on=True,
        ping_hz=930,
        ping_db=-4,
        wash_db=-26,
        wash_ms=180,
        shimmer=15,
    ),
    "Short spray": Cymbal(
        low_hz=620, density=80, low_ms=620, mid_ms=480, high_ms=360, wash_ms=300, wash_db=-10
    ),
    "Iron gate": Cymbal(
        low_hz=180,
        density=26,
        tilt_db=-3,
        low_ms=1400,
        mid_ms=900,
        high_ms=300,
        bloom_ms=0,
        shimmer=60,
    ),
    "Slow thunder sheet": Cymbal(
        low_hz=95, density=140, tilt_db=-1, low_ms=5200, mid_ms=3600, high_ms=1800, bloom_ms=120
    ),
    "Harbor bell dome": Cymbal(
        low_hz=300,
        density=40,
        low_ms=2200,
        mid_ms=1100,
        high_ms=380,
        ping_on=True,
        ping_hz=1480,
        ping_ms=1600,
        ping_db=-8,
        wash_on=False,
    ),
    "Bow rider": Cymbal(
        low_hz=330,
        density=120,
        tilt_db=-2,
        shimmer=20,
        low_ms=4200,
        mid_ms=2400,
        high_ms=800,
        ping_on=True,
        ping_hz=1180,
        ping_ms=900,
        ping_db=-12,
        wash_db=-22,
        wash_ms=400,
    ),
    "Torn sheet": Cymbal(
        low_hz=230,
        density=110,
        tilt_db=-2,
        shimmer=80,
        low_ms=1500,
        mid_ms=1300,
        high_ms=900,
        bloom_ms=30,
        wash_hz=3000,
        wash_ms=500,
        wash_db=-16,
        seed=6,
    ),
    "Quick splash": Cymbal(
        low_hz=560,
        density=110,
        tilt_db=-4,
        low_ms=420,
        mid_ms=380,
        high_ms=300,
        bloom_ms=4,
        wash_ms=160,
        wash_db=-10,
        seed=2,
    ),
}
