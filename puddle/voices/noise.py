"""Noise: of any color, in a band, with a fast and a slow end.

White noise is bent by its color, a slope in dB for each octave, exactly and by its spectrum; a
low and a high cut of 12 dB per octave bound it. Its envelope is the sum of a fast decay and a slow
one, (1 - b) e^(-t ln 1000 / fast) + b e^(-t ln 1000 / slow), after a rise of its own: a burst with
a tail that can be told apart.
"""

import math
from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Picture
from puddle.voices.parts import longest_ms
from puddle.voices.picture import Fall, decay_picture
from puddle.voices.voice import Voice, decay, finished, length_frames, seed_of

LN_1000 = math.log(1000.0)


class Noise(Voice, frozen=True, tag="noise", kw_only=True):
    """Synthesized noise."""

    noun: ClassVar[str] = "noise"
    role: ClassVar[str] = "effect"

    color_db: Annotated[
        float,
        number(
            "Color",
            -9,
            6,
            "dB",
            "The slope for each octave: -6 rumbles, -3 is rain, 0 is a hiss, 6 is spray.",
            part="Color",
        ),
    ] = 0.0
    low_cut_hz: Annotated[
        float,
        number(
            "Low cut",
            20,
            12000,
            "Hz",
            "What lies under it is taken out.",
            log=True,
            decimals=0,
            part="Color",
        ),
    ] = 300.0
    high_cut_hz: Annotated[
        float,
        number(
            "High cut",
            200,
            20000,
            "Hz",
            "What lies over it is taken out.",
            log=True,
            decimals=0,
            part="Color",
        ),
    ] = 14000.0
    rise_ms: Annotated[
        float,
        number("Rise", 0.1, 500, "ms", "How long it takes to come up.", log=True, part="Color"),
    ] = 0.5
    fast_on: Annotated[bool, switch("Burst", "The fast part, that hits.", part="Burst")] = True
    fast_ms: Annotated[
        float, decay("How long the burst takes to fall by 60 dB.", "Burst", 2, 2000)
    ] = 60.0
    slow_on: Annotated[bool, switch("Tail", "The slow part, that stays.", part="Tail")] = True
    slow_ms: Annotated[
        float, decay("How long the tail takes to fall by 60 dB.", "Tail", 10, 8000)
    ] = 400.0
    balance: Annotated[
        float,
        number(
            "Balance",
            0,
            100,
            "%",
            "Burst against tail: 0 is burst alone.",
            decimals=0,
            part="Tail",
        ),
    ] = 30.0
    seed: Annotated[int, seed_of("Which noise it is.", "Color")] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        from puddle.kernels.filters import HIGH, LOW, state_variable

        longest = longest_ms((self.fast_on, self.fast_ms), (self.slow_on, self.slow_ms))
        frames = length_frames(longest + self.rise_ms, rate_hz)
        noise = colored(self.seed, frames, rate_hz, self.color_db)
        low = min(self.low_cut_hz, 0.8 * self.high_cut_hz)
        state_variable(noise, rate_hz, low * ratio, 0.7, HIGH)
        state_variable(noise, rate_hz, self.high_cut_hz * ratio, 0.7, LOW)
        heard = noise[: round(0.05 * rate_hz) + 64]
        noise *= 0.25 / max(1e-9, float(np.sqrt(np.mean(heard**2))))
        t = np.arange(frames) / rate_hz
        shape = np.zeros(frames)
        share = self.balance / 100.0
        for on, weight, ms in (
            (self.fast_on, 1.0 - share, self.fast_ms),
            (self.slow_on, share, self.slow_ms),
        ):
            if on:
                shape += weight * np.exp(t * (-LN_1000 * 1000.0 / ms))
        noise *= shape
        head = min(frames, math.ceil(self.rise_ms / 1000.0 * rate_hz))
        noise[:head] *= np.sin(0.5 * np.pi * t[:head] / (self.rise_ms / 1000.0)) ** 2
        return finished(noise, rate_hz)

    def picture(self) -> Picture:
        """Burst and tail in time."""
        share = self.balance / 100.0
        return decay_picture(
            [
                Fall("burst", (1.0 - share) * self.fast_on, self.fast_ms, "fast_ms"),
                Fall("tail", share * self.slow_on, self.slow_ms, "slow_ms"),
            ],
            rise=("rise_ms", self.rise_ms),
        )


def colored(seed: int, frames: int, rate_hz: float, slope_db: float) -> np.ndarray:
    """White noise bent by a slope in dB for each octave, 0 dB at 1 kHz: float64 (frames,)."""
    from puddle.kernels.noise import white

    noise = white(seed, frames)
    if slope_db == 0.0:
        return np.asarray(noise)
    size = _smooth(frames)
    spectrum = np.fft.rfft(noise, size)
    hz = np.maximum(np.fft.rfftfreq(size, 1.0 / rate_hz), 20.0)
    spectrum *= (hz / 1000.0) ** (slope_db / (20.0 * np.log10(2.0)))
    return np.asarray(np.fft.irfft(spectrum, size)[:frames])


def _smooth(frames: int) -> int:
    """The next length of 16 · 2^a 3^b 5^c, which a Fourier transform takes quickly."""
    size = -(-frames // 16)
    while True:
        rest = size
        for prime in (2, 3, 5):
            while rest % prime == 0:
                rest //= prime
        if rest == 1:
            return 16 * size
        size += 1


STARTING_POINTS = {
    "Rain on a roof": Noise(color_db=-3),
    "Surf": Noise(
        color_db=-6, low_cut_hz=40, high_cut_hz=6000, rise_ms=120, slow_ms=2600, balance=85
    ),
    "Spray": Noise(color_db=4, low_cut_hz=3000, fast_ms=40, slow_ms=180),
    "Steam valve": Noise(
        low_cut_hz=1800, high_cut_hz=9000, rise_ms=18, fast_ms=120, slow_ms=700, balance=60
    ),
    "Gravel step": Noise(
        color_db=-2, low_cut_hz=450, high_cut_hz=5200, fast_ms=34, slow_ms=150, balance=28
    ),
    "Distant thunder": Noise(
        color_db=-8, low_cut_hz=25, high_cut_hz=400, rise_ms=40, slow_ms=3800, balance=90
    ),
    "Breaking wave": Noise(
        color_db=-4, low_cut_hz=120, high_cut_hz=9000, rise_ms=60, slow_ms=1400, balance=80
    ),
}
