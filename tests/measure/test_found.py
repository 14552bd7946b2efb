"""What is found in sounds: the hits of busy loops, and the shift between two layers of one body."""

import unittest
from collections import Counter
from collections.abc import Iterator

import numpy as np
import scipy.signal

from puddle.measure.alignment import Alignment, alignment
from puddle.measure.onsets import TRAITS, onsets, places_in
from puddle.voices import STARTING_POINTS, Hat, Kick, Snare, Tom
from tools.made_loops import alone, beating, session
from tools.onset_fit import told

RATE = 48000.0


def busy(seed: int) -> tuple[np.ndarray, list[int]]:
    """Three seconds of kick, snare, hats and toms over each other, in a room; where hits begin."""
    rng = np.random.default_rng(seed)
    drums = [rng.choice(list(STARTING_POINTS[kind].values())) for kind in (Kick, Snare, Hat, Tom)]
    sounds = [voice.render(RATE, 1.0) / np.abs(voice.render(RATE, 1.0)).max() for voice in drums]
    step = 15.0 / rng.uniform(85.0, 150.0)
    mix, begins = np.zeros((round(12 * RATE), 2)), []
    for n in range(int(3.0 / step) - 1):
        chances = (n % 4 == 0, n % 8 == 4, rng.random() < 0.85, rng.random() < 0.15)
        levels = (rng.uniform(0.7, 1), rng.uniform(0.6, 1), rng.uniform(0.4, 0.8), 0.6)
        at = round((0.05 + n * step + rng.normal(0.0, 0.004)) * RATE)
        hit = np.zeros((480, 2))
        for plays, level, sound in zip(chances, levels, sounds, strict=True):
            if plays:
                mix[at : at + sound.shape[0]] += level * sound[: mix.shape[0] - at]
                hit += level * sound[:480]
        if any(chances):
            loud = np.abs(hit).max(axis=1)
            begins.append(at + int(np.argmax(loud > 0.1 * loud.max())))
    mix = mix[: round(3 * RATE)] / np.abs(mix).max()
    room = 10.0 ** (-65.0 / 20.0) * rng.standard_normal(mix.shape)
    return (0.8 * mix + room).astype(np.float32), begins


def others(count: int) -> Iterator[np.random.Generator]:
    """Generators of recordings that nothing was grown on."""
    return (np.random.default_rng((4711, n)) for n in range(count))


def scores(seeds: range, room_db: float | None = None) -> tuple[float, float, float]:
    """The shares of hits that are found, of places that are hits, and of them within 1 ms."""
    found = right = wanted = close = 0
    for seed in seeds:
        audio, begins = busy(seed)
        if room_db is not None:
            room = np.random.default_rng(seed).standard_normal(audio.shape)
            audio = (audio + 10.0 ** (room_db / 20.0) * room).astype(np.float32)
        places = np.array(onsets(audio, RATE))
        found, wanted = found + places.size, wanted + len(begins)
        for begin in begins:
            away = np.abs(places - begin).min(initial=10**9)
            right += away < 0.02 * RATE
            close += away < 0.001 * RATE
    return right / wanted, right / found, close / right


class Hits(unittest.TestCase):
    def test_of_busy_loops(self) -> None:
        """98 % at 98 % precision, within 1 ms; cymbals that still ring are struck anew."""
        recall, precision, close = scores(range(12))
        self.assertGreater(recall, 0.98)
        self.assertGreater(precision, 0.98)
        self.assertGreater(close, 0.98)

    def test_of_busy_loops_in_a_noisy_room(self) -> None:
        recall, precision, close = scores(range(20, 32), -50.0)
        self.assertGreater(recall, 0.97)
        self.assertGreater(precision, 0.94)
        self.assertGreater(close, 0.96)

    def test_a_noise_that_goes_on_and_a_recording_cut_off_are_no_hits(self) -> None:
        for seed in range(6):
            noise = np.random.default_rng(seed).standard_normal((96000, 1))
            self.assertLessEqual(len(onsets((0.2 * noise).astype(np.float32), RATE)), 1)
        t = np.arange(48000) / RATE
        for tone_hz in (60.0, 440.0, 8000.0):  # cut anywhere in its wave
            tone = 0.5 * np.sin(2.0 * np.pi * tone_hz * t)[:, None]
            for end in range(47950, 48000, 7):
                self.assertEqual(len(onsets(tone[:end].astype(np.float32), RATE)), 1)

    def test_what_trees_are_asked_about_two_clicks(self) -> None:
        """The second 100 ms after the first and 12 dB over it; nothing between them."""
        audio = np.zeros(24000, np.float32)
        audio[4800], audio[9600] = 0.2, 0.8
        frames, levels, traits = places_in(audio, RATE)
        self.assertEqual(frames.tolist(), [4800, 9600])
        np.testing.assert_array_equal(levels, np.float32([0.2, 0.8]))
        first, second = (dict(zip(TRAITS, row, strict=True)) for row in traits.tolist())
        self.assertAlmostEqual(first["level"], -20.0 * np.log10(4.0), delta=1e-3)
        self.assertAlmostEqual(second["level"], 0.0, delta=1e-3)
        self.assertAlmostEqual(second["louder"], 20.0 * np.log10(0.8 / 1e-7), delta=1e-3)
        self.assertAlmostEqual(first["until"], 0.1, delta=1e-6)
        self.assertEqual(first["until_rise"], np.float32(second["rise"]))
        for click in (first, second):  # the first rises by less
            self.assertEqual((click["since"], click["since_rise"]), (0.25, 0.0))
            self.assertEqual(click["sounding"], 14.0)
            self.assertEqual(click["most"], 30.0)  # over digital silence, as much as is counted
        self.assertEqual((second["until"], second["until_rise"]), (0.25, 0.0))

    def test_a_drum_whose_partials_beat_is_one(self) -> None:
        """Partials of a membrane, each in two that lie some Hz apart: no second hit in their tail
        (0.4 for each drum while thresholds told hits, on twenty others)."""
        extra = sum(len(onsets(beating(rng).audio[:, None], RATE)) - 1 for rng in others(20))
        self.assertLessEqual(extra / 20, 0.1)

    def test_sessions_and_single_hits_in_rooms(self) -> None:
        """Grace strokes and ghosts of damped, dulled and pitched drums, on no seed that trees were
        grown on. Thresholds found 86 % of the sessions' hits, with 82 % of what they told right;
        in 24 single hits they told 17 too many."""
        for make, least_found, least_right in ((session, 0.87, 0.87), (alone, 1.0, 0.9)):
            counts = sum((told(make(rng)) for rng in others(24)), Counter[str]())
            with self.subTest(make.__name__):
                self.assertGreaterEqual(counts["found"] / counts["hits"], least_found)
                self.assertGreaterEqual(counts["found"] / counts["told"], least_right)

    def test_a_single_hit_is_one(self) -> None:
        """Of every kick, snare, hat and tom; a low tone's waves and a hat's ring are no hits."""
        for kind in (Kick, Snare, Hat, Tom):
            for name, voice in STARTING_POINTS[kind].items():
                audio = np.concatenate([np.zeros((1000, 2), np.float32), voice.render(RATE, 1.0)])
                places = onsets(audio, RATE)
                with self.subTest(name):
                    self.assertEqual(len(places), 1)
                    self.assertAlmostEqual(places[0], 1000, delta=48)


def delayed(wave: np.ndarray, frames: float) -> np.ndarray:
    """By any part of a frame, exactly: a turn of the spectrum."""
    size = 1 << (wave.size + 4096).bit_length()
    turn = np.exp(-2j * np.pi * np.arange(size // 2 + 1) / size * frames)
    return np.fft.irfft(np.fft.rfft(wave, size) * turn, size)[: wave.size + 1024]


def body(rng: np.random.Generator, count: int) -> np.ndarray:
    """A falling tone, with or without a second partial, from 40 to 110 Hz."""
    t = np.arange(count) / RATE
    low, tau = rng.uniform(40, 110), rng.uniform(0.01, 0.06)
    fall = low * rng.uniform(0.0, 5.0) * tau * (1.0 - np.exp(-t / tau))
    phase = 2.0 * np.pi * (low * t + fall) + rng.uniform(0.0, 6.0)
    wave = np.sin(phase) * np.exp(-t / rng.uniform(0.05, 0.4))
    if rng.random() < 0.5:
        second = np.sin(2.0 * phase * rng.uniform(0.9, 1.1)) * np.exp(-t / rng.uniform(0.03, 0.2))
        wave += rng.uniform(0.1, 0.5) * second
    return wave * np.minimum(1.0, t / 0.001)


def strike(rng: np.random.Generator, count: int) -> np.ndarray:
    """A click, a ring or a band of noise that only one of the two has."""
    t = np.arange(count) / RATE
    kind = rng.integers(3)
    if kind == 0:
        return rng.standard_normal(count) * np.exp(-t / rng.uniform(0.001, 0.01)) * 0.4
    if kind == 1:
        return 0.5 * np.sin(2 * np.pi * rng.uniform(800, 5000) * t) * np.exp(-t / 0.01)
    edges = [rng.uniform(200, 800), rng.uniform(1500, 6000)]
    band = scipy.signal.butter(2, edges, "band", fs=RATE, output="sos")
    noise = scipy.signal.sosfilt(band, rng.standard_normal(count))
    return noise * np.exp(-t / rng.uniform(0.005, 0.05)) * 0.5


class Shifts(unittest.TestCase):
    """One body twice: moved, turned over, at another level, dying away sooner, struck otherwise."""

    def pair(self, seed: int, room_db: float) -> tuple[np.ndarray, np.ndarray, float, bool]:
        rng = np.random.default_rng(seed)
        count = round(RATE * rng.uniform(0.3, 0.9))
        shared = np.concatenate([np.zeros(256), body(rng, count)])
        moved, gain = rng.uniform(-200, 200), rng.uniform(0.2, 1.5)
        turned = bool(rng.random() < 0.5)
        sooner = np.exp(-np.arange(shared.size) / RATE * rng.uniform(-2.0, 12.0))
        second = (-gain if turned else gain) * delayed(shared * sooner, moved)
        first = np.concatenate([shared, np.zeros(1024)])[: second.size]
        first[256 : 256 + count] += strike(rng, count)
        late = 256 + max(0, round(moved))
        own = gain * rng.uniform(0.5, 3.0) * strike(rng, count)
        second[late : late + count] += own[: second.size - late]
        room = 10.0 ** (room_db / 20.0)
        both = (wave + room * rng.standard_normal(wave.size) for wave in (first, second))
        a, b = (0.5 * wave[:, None].repeat(2, axis=1).astype(np.float32) for wave in both)
        return a, b, -moved, turned

    def test_between_frames(self) -> None:
        for room_db, worst, median in ((-120.0, 0.35, 0.01), (-50.0, 0.6, 0.05)):
            away = []
            for seed in range(40):
                a, b, wanted, turned = self.pair(seed, room_db)
                found = alignment(a, b, RATE)
                assert isinstance(found, Alignment), seed
                self.assertEqual(found.invert, turned, seed)
                away.append(abs(found.shift_frames - wanted))
            with self.subTest(room_db=room_db):
                self.assertLess(max(away), worst)
                self.assertLess(float(np.median(away)), median)
