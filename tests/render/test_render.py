"""Takes: from recipe to samples."""

import threading
import time
import unittest

import numpy as np
import scipy.signal

from puddle.kernels.interpolation import resampled
from puddle.kit.model.document import Band, Envelope, Layer, Sample, Sound, Stage
from puddle.measure.pitch import fundamental
from puddle.parameter import changed
from puddle.render.cache import RenderCache
from puddle.render.samples import NoSamples
from puddle.render.steps import converted, ended
from puddle.render.take import Takes
from puddle.stages import Compressor, Equalizer, Limiter
from puddle.units import pan_gains
from puddle.voices import Hat, Kick, Noise, Snare
from tests.support.sounds import noise, sine
from tests.support.stores import OneSample
from tests.support.tasks import direct, request

RATE = 48000.0


def layer(source: object, **values: object) -> Layer:
    return Layer(id="l", name="l", source=source, **values)  # type: ignore[arg-type]


class Ends(unittest.TestCase):
    def test_what_nobody_else_holds_ends_in_its_own_memory(self) -> None:
        sound = noise(0.2)
        for silent, kept in ((1000, True), (100_000, False)):
            audio = np.concatenate([sound, np.zeros((silent, 2), np.float32)])
            before = audio.copy()
            apart = ended(audio)
            np.testing.assert_array_equal(audio, before)  # a layer may hold it
            self.assertFalse(np.shares_memory(apart, audio))
            own = ended(audio, owned=True)
            np.testing.assert_array_equal(own, apart)
            self.assertEqual(np.shares_memory(own, audio), kept, "a long silence is let go")
            self.assertEqual(len(own), len(sound) + 64)


class Layers(unittest.TestCase):
    def setUp(self) -> None:
        self.x = noise(0.2)
        self.takes = Takes(OneSample(self.x), RATE)
        self.plain = layer(Sample(content="a", fade_out_ms=0.0))

    def heard(self, *layers: Layer, **values: object) -> np.ndarray:
        return self.takes.sound(Sound(layers=layers, **values)).audio  # type: ignore[arg-type]

    def test_an_untouched_sample_is_the_sample(self) -> None:
        self.assertTrue(np.array_equal(self.heard(self.plain), self.x))

    def test_level_flip_and_pan(self) -> None:
        down = self.heard(changed(self.plain, level_db=-6.0, flip=True))
        self.assertLess(float(np.abs(down + self.x * 10 ** (-6 / 20)).max()), 1e-6)
        self.assertEqual(pan_gains(0.0), (1.0, 1.0))
        for pan in (-100.0, -30.0, 55.0, 100.0):
            left, right = pan_gains(pan)
            self.assertEqual(max(left, right), 1.0)  # it lifts nothing
            angle = (pan / 100.0 + 1.0) * np.pi / 4.0
            self.assertAlmostEqual(left * np.sin(angle), right * np.cos(angle), places=12)

    def test_a_layer_and_its_flip_are_silence(self) -> None:
        other = Layer(id="m", name="m", source=self.plain.source, flip=True)
        self.assertEqual(float(np.abs(self.heard(self.plain, other)).max()), 0.0)

    def test_whole_frames_of_offset_move_without_change(self) -> None:
        audio = self.heard(changed(self.plain, offset_ms=10.0))
        self.assertEqual(float(np.abs(audio[:480]).max()), 0.0)
        self.assertTrue(np.array_equal(audio[480:], self.x))

    def test_fractions_of_a_frame_by_the_phase_of_a_sine(self) -> None:
        takes = Takes(OneSample(sine(1000, 0.3)), RATE)
        moved = changed(self.plain, offset_ms=0.4 / 48.0)
        audio = takes.sound(Sound(layers=(moved,))).audio[2000:6000, 0]
        n = np.arange(2000, 6000)
        wanted = np.sin(2 * np.pi * 1000 * (n - 0.4) / RATE)
        self.assertLess(float(np.abs(audio - wanted).max()), 1e-4)

    def test_earlier_makes_the_others_wait(self) -> None:
        early = Layer(id="e", name="e", source=Sample(content="a", fade_out_ms=0.0), offset_ms=-5.0)
        both = self.heard(self.plain, early)
        self.assertTrue(np.array_equal(both[:240], self.x[:240]))
        self.assertLess(float(np.abs(both[240:480] - self.x[240:480] - self.x[:240]).max()), 1e-6)

    def test_region_reverse_and_fades(self) -> None:
        source = Sample(content="a", start_ms=50, end_ms=100, reverse=True, fade_out_ms=0.0)
        wanted = self.x[2400:4800][::-1]
        self.assertTrue(np.array_equal(self.heard(layer(source)), wanted))
        faded = self.heard(layer(changed(source, fade_in_ms=10.0, fade_out_ms=10.0)))
        self.assertEqual(float(np.abs(faded[0]).max()), 0.0)
        self.assertLess(float(np.abs(faded[-1]).max()), 1e-4)
        self.assertTrue(np.array_equal(faded[480:1900], wanted[480:1900]))

    def test_muted_and_solo_layers(self) -> None:
        other = Layer(id="m", name="m", source=Kick())
        self.assertTrue(np.array_equal(self.heard(self.plain, changed(other, on=False)), self.x))
        self.assertTrue(np.array_equal(self.heard(changed(self.plain, solo=True), other), self.x))

    def test_a_missing_sample_is_silence(self) -> None:
        self.assertEqual(float(np.abs(self.heard(layer(Sample(content="b")))).max()), 0.0)

    def test_tuning_a_sample_moves_its_pitch(self) -> None:
        takes = Takes(OneSample(sine(200, 1.0)), RATE)
        up = changed(self.plain, tune_st=7.0, tune_ct=3.0)
        hz = fundamental(takes.sound(Sound(layers=(up,))).audio, RATE).hz or 0.0
        self.assertAlmostEqual(1200 * np.log2(hz / 200), 703.0, delta=0.5)

    def test_tuning_up_folds_nothing_back(self) -> None:
        x = sine(15000, 0.3)
        y = resampled(x, 2.0, 0.0, 7200)  # 30 kHz at 48 kHz: nothing may be left
        self.assertLess(float(np.abs(y[200:-200]).max()), 1e-3)

    def test_the_envelope_by_its_formula(self) -> None:
        takes = Takes(OneSample(np.ones((48000, 2), np.float32)), RATE)
        shape = Envelope(on=True, attack_ms=10, hold_ms=20, decay_ms=100, curve=0)
        audio = takes.sound(Sound(layers=(changed(self.plain, envelope=shape),))).audio[:, 0]
        self.assertAlmostEqual(float(audio[240]), 0.5, places=4)
        self.assertAlmostEqual(float(audio[1000]), 1.0, places=6)
        self.assertAlmostEqual(float(audio[round(0.03 * RATE + 0.025 * RATE)]), 0.75, places=3)
        self.assertLessEqual(len(audio), 6241)

    def test_rates_are_converted_cleanly(self) -> None:
        y = converted(sine(1000, 0.5, rate=44100), 44100.0, RATE, 1.0)
        n = np.arange(2000, 20000)
        self.assertLess(float(np.abs(y[2000:20000, 0] - np.sin(2 * np.pi * n / 48)).max()), 1e-3)


class Sounds(unittest.TestCase):
    SOUND = Sound(
        layers=(
            Layer(id="a", name="a", source=Kick(drive_on=True)),
            Layer(id="b", name="b", source=Snare(), offset_ms=0.7, level_db=-6),
            Layer(id="c", name="c", source=Hat(), stages=(Stage(id="s", process=Equalizer()),)),
        ),
        stages=(
            Stage(id="e", process=Equalizer(bell1_db=3)),
            Stage(id="c", process=Compressor()),
            Stage(id="l", process=Limiter(ceiling_db=-3)),
        ),
    )

    def test_two_renders_are_equal_to_the_bit(self) -> None:
        a = Takes(NoSamples(), RATE).sound(self.SOUND).audio
        b = Takes(NoSamples(), RATE).sound(self.SOUND).audio
        self.assertTrue(np.array_equal(a, b))

    def test_the_limiters_latency_is_taken_out(self) -> None:
        plain = changed(self.SOUND, stages=())
        limited = changed(self.SOUND, stages=(Stage(id="l", process=Limiter(ceiling_db=0.0)),))
        plain = changed(plain, layers=tuple(changed(k, level_db=-18.0) for k in plain.layers))
        limited = changed(limited, layers=plain.layers)
        a = Takes(NoSamples(), RATE).sound(plain).audio
        b = Takes(NoSamples(), RATE).sound(limited).audio
        frames = min(len(a), len(b)) - 100
        self.assertTrue(np.array_equal(a[:frames], b[:frames]))

    def test_a_bypassed_stage_does_nothing(self) -> None:
        off = tuple(changed(s, on=False) for s in self.SOUND.stages)
        a = Takes(NoSamples(), RATE).sound(changed(self.SOUND, stages=off)).audio
        b = Takes(NoSamples(), RATE).sound(changed(self.SOUND, stages=())).audio
        self.assertTrue(np.array_equal(a, b))

    def test_reductions_are_told_by_stage(self) -> None:
        found = Takes(NoSamples(), RATE).sound(self.SOUND).overs
        self.assertEqual(set(found), {"e", "c", "l"})
        self.assertGreater(found["c"].deepest_db, 1.0)

    def test_the_order_of_stages_matters(self) -> None:
        turned = changed(self.SOUND, stages=self.SOUND.stages[::-1])
        a = Takes(NoSamples(), RATE).sound(self.SOUND).audio
        b = Takes(NoSamples(), RATE).sound(turned).audio
        frames = min(len(a), len(b))
        self.assertGreater(float(np.abs(a[:frames] - b[:frames]).max()), 1e-3)

    def test_a_new_name_renders_nothing_anew(self) -> None:
        takes = Takes(NoSamples(), RATE)
        first = takes.sound(self.SOUND)
        named = changed(
            self.SOUND, layers=tuple(changed(k, name="other") for k in self.SOUND.layers)
        )
        self.assertIs(takes.sound(named), first)

    def test_it_ends_at_rest(self) -> None:
        audio = Takes(NoSamples(), RATE).sound(self.SOUND).audio
        self.assertLess(float(np.abs(audio[-1]).max()), 1e-5)

    def test_a_sound_without_layers_is_silent(self) -> None:
        audio = Takes(NoSamples(), RATE).sound(Sound()).audio
        self.assertEqual(float(np.abs(audio).max()), 0.0)

    def test_resampling_against_scipy(self) -> None:
        x = noise(0.2)
        x = scipy.signal.lfilter(scipy.signal.firwin(101, 0.5), 1, x, axis=0).astype(np.float32)
        ours = resampled(x, 1.0, 0.5, len(x))[200:-200, 0]
        spectrum = np.fft.rfft(x[:, 0].astype(np.float64))
        turned = spectrum * np.exp(2j * np.pi * np.fft.rfftfreq(len(x)) * 0.5)
        wanted = np.fft.irfft(turned, len(x))[200:-200]
        self.assertLess(float(np.abs(ours - wanted).max()), 2e-4)


class Working(unittest.TestCase):
    def test_the_newest_request_wins(self) -> None:
        workers = direct(1)
        gate, got = threading.Event(), []
        request(workers, "a", lambda: gate.wait(5.0), lambda r: got.append("first"))
        for n in range(20):
            request(workers, "a", lambda n=n: n, got.append)
        request(workers, "b", lambda: "b", got.append)
        gate.set()
        self.assertTrue(workers.wait(5.0))
        workers.close()
        self.assertEqual(sorted(map(str, got)), ["19", "b"])

    def test_work_that_fails_stops_nothing(self) -> None:
        workers = direct(1)
        got: list[int] = []
        with self.assertLogs("puddle.tasks", "ERROR"):
            request(workers, "a", lambda: 1 // 0, got.append)
            workers.wait(5.0)
        request(workers, "b", lambda: 2, got.append)
        workers.wait(5.0)
        workers.close()
        self.assertEqual(got, [2])

    def test_the_cache_forgets_the_least_recently_used(self) -> None:
        cache: RenderCache[bytes] = RenderCache(100, len)
        made: list[str] = []

        def make(name: str) -> bytes:
            made.append(name)
            return b"x" * 40

        for name in ("a", "b", "a", "c", "a", "b"):
            cache.get(name, lambda name=name: make(name))
        self.assertEqual(made, ["a", "b", "c", "b"])
        self.assertLessEqual(cache.bytes, 100)

    def test_rendering_leaves_the_interpreter_free(self) -> None:
        """A tick of another thread is never kept waiting for a whole render."""
        takes = Takes(NoSamples(), 192000.0)
        workers = direct(1)
        takes.sound(Sounds.SOUND)
        for n in range(6):
            sound = changed(
                Sounds.SOUND,
                layers=(
                    Layer(id="a", name="a", source=Kick(decay_ms=4000.0, seed=n, noise_on=True)),
                ),
            )
            request(workers, n, lambda sound=sound: takes.sound(sound), lambda r: None)
        gaps, last = [], time.monotonic()
        while not workers.wait(0.001):
            now = time.monotonic()
            gaps.append(now - last)
            last = now
        workers.close()
        self.assertGreater(len(gaps), 5)


class Bands(unittest.TestCase):
    def test_a_layers_band_is_butterworth_before_its_stages(self) -> None:
        """By the closed form, band by band; the limiter after it sees the cut layer only."""
        takes = Takes(NoSamples(), 48000.0)
        plain = Layer(id="a", name="a", source=Noise(seed=3))
        band = Band(low_on=True, low_hz=300, high_on=True, high_hz=4000, high_slope="12 dB/oct")
        cut = takes.layer(Sound(), changed(plain, band=band)).audio[:, 0].astype(np.float64)
        whole = takes.layer(Sound(), plain).audio[:, 0].astype(np.float64)
        size = 1 << len(cut).bit_length()
        hz = np.fft.rfftfreq(size, 1.0 / 48000.0)[1:]
        found = np.abs(np.fft.rfft(cut, size))[1:] / np.abs(np.fft.rfft(whole, size))[1:]
        wanted = 1.0 / np.sqrt((1.0 + (300.0 / hz) ** 8) * (1.0 + (hz / 4000.0) ** 4))
        near = (wanted > 10.0 ** (-50.0 / 20.0)) & (hz < 20000.0)
        away = 20.0 * np.log10(found[near] / wanted[near])
        self.assertLess(float(np.abs(away).max()), 0.5)
        self.assertLess(float(np.median(np.abs(away))), 0.15)
        limited = (Stage(id="s", process=Limiter(ceiling_db=-24)),)
        both = changed(plain, band=band, stages=limited)
        self.assertGreater(takes.layer(Sound(), both).overs["s"].deepest_db, 0.0)

    def test_nothing_cut_is_nothing_done(self) -> None:
        takes = Takes(NoSamples(), 48000.0)
        layer = Layer(id="a", name="a", source=Noise(seed=3))
        self.assertIs(
            takes.layer(Sound(), layer).audio,
            takes.layer(Sound(), changed(layer, band=Band(low_hz=500.0))).audio,
        )
