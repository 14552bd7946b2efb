"""What is heard while it is moved, blended, limited, tuned and let ring: against closed forms."""

import unittest

import numpy as np
import scipy.signal

from puddle.engine.engine import Engine
from puddle.kernels.polyphase import LONG, PHASES, SHORT, SHORT_RATIO, filter_rows, long_cutoff
from puddle.kit.model.document import Bus, Kit, Pad, Sound, Stage
from puddle.stages import (
    BandCompressor,
    Branch,
    Chorus,
    Clipper,
    Compressor,
    Delay,
    Equalizer,
    Filter,
    Gain,
    Limiter,
    Stereo,
)
from puddle.stages.chain import processed
from puddle.stages.insert import Insert
from puddle.stages.process import Process

RATE = 48000.0
_BEFORE = 24000 // 32 * 32


def one(process: Process, **values: object) -> tuple[Stage, ...]:
    return (Stage(id="s", process=process, **values),)  # type: ignore[arg-type]


def sine(hz: float, seconds: float, rate: float = RATE) -> np.ndarray:
    wave = 0.5 * np.sin(2.0 * np.pi * hz * np.arange(round(seconds * rate)) / rate)
    return wave[:, None].repeat(2, axis=1).astype(np.float32)


class Moved(unittest.TestCase):
    """A bus's stages and level are moved under a low tone: what is over 2 kHz is a click."""

    def click_db(
        self,
        before: tuple[Stage, ...],
        after: tuple[Stage, ...],
        levels: tuple[float, float] = (0.0, 0.0),
    ) -> float:
        """The highest value over 2 kHz against the tone's."""
        take = sine(100.0, 2.0)
        engine = Engine(RATE)
        pad = Pad(id="a", name="", place=0, sound=Sound(), bus="b")
        parts = []
        for stages, level, frames in ((before, levels[0], _BEFORE), (after, levels[1], 24000)):
            bus = Bus(id="b", name="b", level_db=level, stages=stages)
            engine.set_kit(Kit(name="", pads=(pad,), buses=(bus,)), {"a": take}, None)
            if not parts:
                engine.strike(0, 127)
            out = np.zeros((frames, 2), np.float32)
            engine.advance(out)
            parts.append(out)
        wave = np.concatenate(parts)[:, 0].astype(np.float64)
        high = scipy.signal.butter(8, 2000.0, "high", fs=RATE, output="sos")
        clicks = scipy.signal.sosfiltfilt(high, wave)[_BEFORE - 2400 : _BEFORE + 9600]
        return float(20.0 * np.log10(np.abs(clicks).max() / np.abs(wave).max()))

    def test_an_equalizer(self) -> None:
        narrow = {"bell2_q": 5.0, "bell2_hz": 150.0}
        cut = Equalizer(low_cut_on=True, low_cut_hz=80.0)
        steep = Equalizer(low_cut_on=True, low_cut_hz=80.0, low_cut_slope="48 dB/oct")
        for name, before, after in (
            ("a bell comes", Equalizer(), Equalizer(bell1_db=6.0)),
            ("a bell goes", Equalizer(bell1_db=6.0), Equalizer()),
            ("a narrow one goes", Equalizer(bell2_db=12.0, **narrow), Equalizer(**narrow)),
            ("a shelf goes", Equalizer(low_shelf_db=9.0), Equalizer()),
            ("a bell moves", Equalizer(bell1_db=9.0, bell1_hz=60.0),
             Equalizer(bell1_db=9.0, bell1_hz=400.0)),
            ("a cut comes", Equalizer(), cut),
            ("a cut goes", cut, Equalizer()),
            ("another slope", cut, steep),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertLess(self.click_db(one(before), one(after)), -70.0)

    def test_gains(self) -> None:
        quiet = Gain(level_db=-20.0)
        for name, before, after in (
            ("down", one(Gain()), one(Gain(level_db=-12.0))),
            ("up", one(Gain(level_db=-12.0)), one(Gain())),
            ("to nothing", one(Gain()), one(Gain(level_db=-60.0))),
            ("output", one(Gain()), one(Gain(), output_db=-12.0)),
            ("input", one(Gain()), one(Gain(), input_db=-12.0)),
            ("dry", one(quiet), one(quiet, dry=100.0)),
            ("off", one(quiet), one(quiet, on=False)),
            ("branch", one(Branch(level_db=-60.0)), one(Branch(level_db=0.0))),
            ("balance", one(Stereo()), one(Stereo(balance=100.0))),
            ("ceiling", one(Clipper(ceiling_db=0.0)), one(Clipper(ceiling_db=-1.0))),
            ("makeup", one(Compressor(threshold_db=0.0)),
             one(Compressor(threshold_db=0.0, makeup_db=12.0))),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertLess(self.click_db(before, after), -70.0)

    def test_a_bus_level(self) -> None:
        self.assertLess(self.click_db((), (), (0.0, -12.0)), -70.0)


class Blended(unittest.TestCase):
    def test_a_band_compressor_at_rest_is_flat_in_every_blend(self) -> None:
        impulse = np.zeros((1 << 15, 2), np.float32)
        impulse[0] = 0.1
        hz = np.fft.rfftfreq(1 << 15, 1.0 / RATE)
        heard = (hz > 20.0) & (hz < 20000.0)
        for dry in (0.0, 25.0, 50.0, 80.0, 100.0):
            for input_db in (0.0, 9.0, -12.0):
                insert = Insert(BandCompressor(depth=0.0), dry=dry, input_db=input_db)
                out = processed(impulse, [insert], RATE)[0][: 1 << 15, 0]
                level = 20.0 * np.log10(np.abs(np.fft.rfft(out))[heard] / 0.1)
                gain = 10.0 ** (input_db / 20.0)
                wanted = 20.0 * np.log10((1.0 - dry / 100.0) * gain + dry / 100.0)
                with self.subTest(dry=dry, input_db=input_db):
                    self.assertLess(float(np.abs(level - wanted).max()), 0.05)


class Limited(unittest.TestCase):
    def test_never_over_the_ceiling_at_sixteen_times_the_rate(self) -> None:
        rng = np.random.default_rng(8)
        for rate in (44100.0, 48000.0, 96000.0):
            count = round(rate)
            low = scipy.signal.butter(10, 20000.0, fs=rate, output="sos")
            noise = scipy.signal.sosfilt(low, rng.standard_normal((count, 2)), axis=0)
            impulses = np.zeros((count, 2))
            impulses[::997, 0], impulses[::1013, 1] = 2.0, -1.7
            near = np.sin(2.0 * np.pi * 0.4531 * np.arange(count))[:, None] * (2.0, -1.8)
            for name, made in (("noise", noise), ("impulses", impulses), ("near half", near)):
                out, _ = processed(made.astype(np.float32), [Limiter(ceiling_db=-1.0)], rate)
                finer = scipy.signal.resample_poly(
                    out.astype(np.float64), 16, 1, axis=0, window=("kaiser", 12.0)
                )
                over = 20.0 * np.log10(np.abs(finer).max()) + 1.0
                with self.subTest(name, rate=rate):
                    self.assertLess(over, 0.05)
                    self.assertGreater(over, -0.3)


class Tuned(unittest.TestCase):
    """A pad's tuning, live: a sine's level, what is beside it, and what folds back."""

    def played(self, hz: float, semitones: float, rate: float) -> np.ndarray:
        engine = Engine(rate)
        pad = Pad(id="a", name="", place=0, sound=Sound(), tune_st=semitones)
        engine.set_kit(Kit(name="", pads=(pad,)), {"a": sine(hz, 2.0, rate)}, None)
        engine.strike(0, 127)
        out = np.zeros((24000, 2), np.float32)
        engine.advance(out)
        return out[4800:, 0].astype(np.float64)

    def test_a_sine_stays_one_up_to_15_khz(self) -> None:
        for rate in (44100.0, 48000.0):
            for semitones in (-12.0, -5.3, 0.37, 1.0):
                for hz in (1000.0, 10000.0, 14000.0):
                    wave = self.played(hz, semitones, rate)
                    turn = 2.0 * np.pi * hz * 2.0 ** (semitones / 12.0) / rate
                    n = np.arange(wave.shape[0])
                    both = np.stack([np.cos(turn * n), np.sin(turn * n)], axis=1)
                    found = np.linalg.lstsq(both, wave, rcond=None)[0]
                    rest = wave - both @ found
                    level = float(np.hypot(*found))
                    with self.subTest(rate=rate, semitones=semitones, hz=hz):
                        self.assertAlmostEqual(20.0 * np.log10(level / 0.5), 0.0, delta=0.05)
                        noise = 20.0 * np.log10(level / np.sqrt(2.0) / rest.std())
                        self.assertGreater(noise, 80.0)

    def test_what_would_fold_back_is_gone(self) -> None:
        """Played up, a tone that comes to lie over half the rate is under -80 dB."""
        for semitones, hz in ((7.0, 18000.0), (7.0, 21000.0), (12.0, 15000.0), (5.0, 20000.0)):
            wave = self.played(hz, semitones, RATE)
            with self.subTest(semitones=semitones, hz=hz):
                self.assertLess(20.0 * np.log10(wave.std() * np.sqrt(2.0) / 0.5), -80.0)

    def test_a_glide_that_ends_between_frames_goes_on_there(self) -> None:
        """To the take's own pitch: no step where it arrives, and from there on a sine of it."""
        pad = Pad(
            id="a", name="", place=0, sound=Sound(), limit=1, glide="always", glide_ms=40.3,
            tracking=100.0, root=60, notes=(60, 64),
        )  # fmt: skip
        engine = Engine(RATE)
        engine.set_kit(Kit(name="", pads=(pad,)), {"a": sine(500.0, 2.0)}, None)
        engine.strike(0, 127, note=64)
        engine.advance(np.zeros((3200, 2), np.float32))
        engine.strike(0, 127, note=60)
        out = np.zeros((9600, 2), np.float32)
        engine.advance(out)
        bend = np.abs(np.diff(out[640:, 0].astype(np.float64), 2))
        turn = 2.0 * np.pi * 500.0 / RATE * 2.0 ** (4.0 / 12.0)
        self.assertLess(float(bend.max()), 0.5 * turn * turn * 1.02, "a step bends more")

    def test_all_frames_are_read_alike(self) -> None:
        """A take that begins and ends at full scale, by both filters, against them in NumPy.

        Struck between two quanta too: the engine reads frames in pairs, and an odd one is left.
        """
        rng = np.random.default_rng(2)
        take = (0.3 * rng.standard_normal((300, 2))).astype(np.float32)
        for semitones, frame in ((-2.0, 0), (-2.0, 7), (7.0, 0), (7.0, 13)):
            engine = Engine(RATE)
            pad = Pad(id="a", name="", place=0, sound=Sound(), tune_st=semitones)
            engine.set_kit(Kit(name="", pads=(pad,)), {"a": take}, None)
            engine.strike(0, 127, frame)
            out = np.zeros((420, 2), np.float32)
            engine.advance(out)
            wanted = self.read(take, 2.0 ** (semitones / 12.0), 420 - frame)
            with self.subTest(semitones=semitones, frame=frame):
                self.assertEqual(float(np.abs(out[:frame]).max(initial=0.0)), 0.0)
                self.assertLess(float(np.abs(out[frame:] - wanted).max()), 3e-6)

    def read(self, take: np.ndarray, rate: float, frames: int) -> np.ndarray:
        """A take played at a ratio, by the filters' rows alone: float64 (frames, 2)."""
        size, cutoff = SHORT, 0.48
        if rate > SHORT_RATIO:
            bound = SHORT_RATIO * 2.0 ** (np.ceil(6.0 * np.log2(rate / SHORT_RATIO)) / 6.0)
            size, cutoff = LONG, long_cutoff(bound)
        rows, around = filter_rows(size, cutoff), size // 2 - 1
        padded = np.pad(take.astype(np.float64), ((around, size), (0, 0)))
        found = np.zeros((frames, 2))
        for n in range(frames):
            whole = int(n * rate)
            if whole >= take.shape[0]:
                break
            place = (n * rate - whole) * PHASES
            row = int(place)
            taps = rows[row] + (place - row) * (rows[row + 1] - rows[row])
            found[n] = taps @ padded[whole : whole + size]
        return found


class Ringing(unittest.TestCase):
    def test_whatever_rings_ends_under_the_noise_of_sixteen_bits(self) -> None:
        hit = np.zeros((480, 2), np.float32)
        hit[:48] = 0.9
        for process in (
            Equalizer(bell1_db=18.0, bell1_hz=40.0, bell1_q=12.0),
            Equalizer(low_cut_on=True, low_cut_hz=20.0, low_cut_slope="48 dB/oct"),
            Equalizer(low_shelf_db=24.0, low_shelf_hz=20.0),
            Filter(cutoff_hz=60.0, resonance=24.0),
            Filter(kind="band-pass", cutoff_hz=30.0, resonance=8.0),
            Delay(time_ms=300.0, feedback=70.0),
            Chorus(),
        ):
            out, _ = processed(hit, [process], RATE)
            last = float(np.abs(out[-48:]).max())
            before = float(np.abs(out[-1440:-960]).max())
            with self.subTest(process.noun, frames=out.shape[0]):
                self.assertLess(20.0 * np.log10(last + 1e-12), -96.0)
                if process.noun != "chorus":  # whose copies come to an end, and do not ring
                    self.assertLess(20.0 * np.log10(before + 1e-12), -90.0, "it is not the fade")

    def test_what_rings_longer_than_anything_is_faded(self) -> None:
        hit = np.zeros((480, 2), np.float32)
        hit[0] = 1.0
        out, _ = processed(hit, [Delay(time_ms=1900.0, feedback=95.0)], RATE)
        self.assertEqual(float(np.abs(out[-1]).max()), 0.0)


class Wavering(unittest.TestCase):
    def test_a_chorus_is_flat_and_makes_no_images(self) -> None:
        """Copies at rest: three alike; each place of the delay gives a tone its level."""
        for hz in (1000.0, 12000.0, 18000.0):
            for depth in (0.0, 0.037):
                wave = sine(hz, 0.5)
                out, _ = processed(wave, [Chorus(depth_ms=depth, speed_hz=0.05)], RATE)
                steady = out[9600:14400, 0].astype(np.float64)
                spectrum = np.abs(np.fft.rfft(steady * np.hanning(steady.shape[0])))
                at = round(hz / RATE * steady.shape[0])
                beside = spectrum.copy()
                beside[max(0, at - 60) : at + 61] = 0.0
                with self.subTest(hz=hz, depth=depth):
                    if depth == 0.0:
                        level = steady.std() * np.sqrt(2.0) / 0.5 / np.sqrt(3.0)
                        self.assertAlmostEqual(20.0 * np.log10(level), 0.0, delta=0.5)
                    self.assertLess(20.0 * np.log10(beside.max() / spectrum.max()), -80.0)
