"""Clap: bursts of noise in a loose cluster, a tail, and the hollow of the hands.

Several pairs of hands never meet at once. The envelope of the cluster is the sum of N bursts
g_i e^(-(t - t_i) ln 1000 / burst) for t >= t_i; the gaps between the t_i and the levels g_i
depart from their means by a seeded share, the spread. The tail starts with the last burst. White
noise under that envelope goes through a two-pole band-pass and a low-pass; the hollow is the same
noise through a narrow band-pass of its own: the air between two palms (B. Repp, *The sound of two
hands clapping*, JASA 81, 1987).
"""

from typing import Annotated, ClassVar

import numpy as np

from puddle.parameter import number, switch
from puddle.picture import Handle, Picture, Pull
from puddle.units import gain_from_db
from puddle.voices.picture import level_picture
from puddle.voices.voice import Voice, decay, finished, length_frames, level, seed_of


class Clap(Voice, frozen=True, tag="clap", kw_only=True):
    """A synthesized clap."""

    noun: ClassVar[str] = "clap"
    role: ClassVar[str] = "clap"

    bursts_on: Annotated[bool, switch("Bursts", "The hands themselves.", part="Bursts")] = True
    count: Annotated[
        int,
        number("Hands", 1, 12, "", "How many pairs of hands meet.", decimals=0, part="Bursts"),
    ] = 4
    loose_ms: Annotated[
        float,
        number(
            "Looseness",
            1,
            60,
            "ms",
            "The mean gap between two bursts: a few ms are one tight clap, more is a crowd.",
            log=True,
            part="Bursts",
        ),
    ] = 10.0
    spread: Annotated[
        float,
        number(
            "Spread",
            0,
            100,
            "%",
            "How much gaps and levels differ: none is a machine, all is a crowd out of time.",
            decimals=0,
            part="Bursts",
        ),
    ] = 30.0
    burst_ms: Annotated[
        float, decay("How long a single burst takes to fall by 60 dB.", "Bursts", 2, 200)
    ] = 24.0
    band_hz: Annotated[
        float,
        number(
            "Band",
            300,
            8000,
            "Hz",
            "The middle of the noise: low is cupped, high is flat palms.",
            log=True,
            decimals=0,
            part="Color",
        ),
    ] = 1250.0
    band_q: Annotated[
        float,
        number("Width", 0.3, 6, "Q", "How narrow the band is.", log=True, decimals=2, part="Color"),
    ] = 1.1
    high_cut_hz: Annotated[
        float,
        number(
            "High cut",
            1500,
            20000,
            "Hz",
            "What lies above is softened: distance and cloth.",
            log=True,
            decimals=0,
            part="Color",
        ),
    ] = 11000.0
    hollow_on: Annotated[
        bool, switch("Hollow", "The pitched air between the palms.", part="Hollow")
    ] = False
    hollow_hz: Annotated[
        float,
        number(
            "Tone",
            200,
            3000,
            "Hz",
            "Its pitch: large hands are low, small ones high.",
            log=True,
            decimals=0,
            part="Hollow",
        ),
    ] = 620.0
    hollow_db: Annotated[
        float, level("How loud the hollow is against the clap.", "Hollow", -36, 12)
    ] = -3.0
    tail_on: Annotated[bool, switch("Tail", "What the room gives back.", part="Tail")] = True
    tail_ms: Annotated[
        float, decay("How long the tail takes to fall by 60 dB.", "Tail", 10, 3000)
    ] = 260.0
    tail_db: Annotated[float, level("How loud the tail starts.", "Tail")] = -9.0
    seed: Annotated[int, seed_of("Which hands are clapping.", "Bursts")] = 1

    def strike(self, rate_hz: float, ratio: float) -> np.ndarray:
        """The strike as float32 (frames, 2)."""
        from puddle.kernels.filters import BAND, LOW, state_variable
        from puddle.kernels.noise import white

        starts, gains = self.cluster()
        longest = max(self.burst_ms, self.tail_ms if self.tail_on else 0.0)
        frames = length_frames(longest, rate_hz) + round(starts[-1] * rate_hz)
        noise = white(self.seed, frames)
        noise *= self._envelope(frames, rate_hz, starts, gains)
        hollow = noise.copy()
        state_variable(noise, rate_hz, self.band_hz * ratio, self.band_q, BAND)
        state_variable(noise, rate_hz, self.high_cut_hz, 0.7, LOW)
        out = 2.4 * noise
        if self.hollow_on:
            state_variable(hollow, rate_hz, self.hollow_hz * ratio, 9.0, BAND)
            out += 5.0 * gain_from_db(self.hollow_db) * hollow
        return finished(out, rate_hz)

    def cluster(self) -> tuple[np.ndarray, np.ndarray]:
        """When the bursts start, in seconds, and how loud they are."""
        from puddle.kernels.noise import white

        count = self.count
        chance = white(self.seed + 20000, 2 * count)
        share = self.spread / 100.0
        gaps = self.loose_ms / 1000.0 * (1.0 + 0.9 * share * chance[:count])
        starts = np.concatenate([[0.0], np.cumsum(gaps)[: count - 1]])
        return starts, 1.0 - share * 0.5 * (1.0 + chance[count:])

    def _envelope(
        self, frames: int, rate_hz: float, starts: np.ndarray, gains: np.ndarray
    ) -> np.ndarray:
        from puddle.kernels.envelopes import decay_in_place

        out = np.zeros(frames)
        parts = []
        if self.bursts_on:
            parts += [
                (start, gain, self.burst_ms) for start, gain in zip(starts, gains, strict=True)
            ]
        if self.tail_on:
            parts.append((starts[-1], gain_from_db(self.tail_db), self.tail_ms))
        for start, gain, ms in parts:
            first = round(start * rate_hz)
            span = min(frames - first, length_frames(ms, rate_hz))
            shape = np.full(span, gain)
            decay_in_place(shape, rate_hz, 0.0003, ms / 1000.0)
            out[first : first + span] += shape
        return out

    def picture(self) -> Picture:
        """The bursts and the tail in time."""
        rate = 4000.0
        starts, gains = self.cluster()
        last_ms = 1000.0 * float(starts[-1])
        ends_ms = last_ms + max(60.0, 0.5 * self.tail_ms * self.tail_on)
        shape = self._envelope(round(ends_ms / 1000.0 * rate), rate, starts, gains)
        handles = []
        if self.bursts_on and last_ms > 0.0:
            pull = Pull("loose_ms", factor=self.loose_ms / last_ms)
            handles.append(Handle("last burst", last_ms, 0.0, across=pull))
        if self.tail_on:
            pull = Pull("tail_ms", offset=last_ms, factor=2.5)
            handles.append(Handle("tail", last_ms + 0.4 * self.tail_ms, 0.0, across=pull))
        return level_picture(shape.tolist(), ends_ms, handles)


STARTING_POINTS = {
    "Wet canvas": Clap(),
    "One pair of gloves": Clap(
        count=2,
        loose_ms=6,
        spread=10,
        burst_ms=30,
        band_hz=900,
        high_cut_hz=6000,
        hollow_on=True,
        hollow_hz=480,
        tail_ms=120,
        tail_db=-16,
    ),
    "Crew on deck": Clap(
        count=9, loose_ms=14, spread=85, burst_ms=34, band_q=0.7, tail_ms=420, tail_db=-12
    ),
    "Tight shutter": Clap(
        count=3, loose_ms=4, spread=5, burst_ms=14, band_hz=1900, tail_ms=90, tail_db=-8, seed=7
    ),
    "Under the bridge": Clap(
        count=5, loose_ms=11, spread=40, band_hz=1050, tail_ms=1400, tail_db=-14, seed=3
    ),
    "Split bamboo": Clap(
        count=4,
        loose_ms=8,
        spread=60,
        burst_ms=22,
        band_hz=2300,
        band_q=1.4,
        hollow_on=True,
        hollow_hz=1250,
        hollow_db=2,
        tail_ms=90,
        tail_db=-14,
    ),
    "Dry mittens": Clap(
        count=3, loose_ms=9, spread=35, burst_ms=14, band_hz=1350, tail_ms=60, tail_db=-18
    ),
    "Far quay": Clap(
        count=8,
        loose_ms=13,
        spread=60,
        band_hz=740,
        band_q=0.8,
        high_cut_hz=5000,
        tail_ms=620,
        tail_db=-10,
        seed=4,
    ),
    "Counted hands": Clap(
        count=4,
        loose_ms=11,
        spread=0,
        burst_ms=9,
        band_hz=1150,
        band_q=1.3,
        tail_ms=180,
        tail_db=-10,
        seed=11,
    ),
}
