"""Hits of made recordings: found, timed, ended, doubted; grouped; and the tempo of made loops."""

import unittest

import numpy as np
from scipy.signal import butter, sosfilt

from puddle.demo.session import LOOP_BPM, loop, session
from puddle.measure.alike import groups_of, hit_spectrum
from puddle.measure.beats import beats_of
from puddle.measure.hits import Noted, doubts, hits_from, starts_of
from puddle.measure.onsets import apart, hop_of, risen
from tests.support.made_recordings import RATE, matched, recording


def noted(audio: np.ndarray, rate_hz: float = RATE) -> Noted:
    """As a file is noted, of float32 (frames, channels) in memory."""
    from puddle.kernels.hit_ends import level_by_ms

    hop = hop_of(rate_hz)
    mono = audio.mean(axis=1).astype(np.float32)
    levels = np.zeros(audio.shape[0] // hop, np.float32)
    clipped = np.zeros(levels.size, np.uint8)
    level_by_ms(audio, 0, hop, levels, clipped)
    first = float(np.abs(audio[:4]).max(initial=0.0))
    return Noted(
        rate_hz, audio.shape[0], hop, risen(mono, rate_hz), levels, clipped, first
    )  # fmt: skip


class Found(unittest.TestCase):
    def test_overlaps_flams_ghosts_and_a_noisy_room(self) -> None:
        """F 0.99 within 10 ms, and 0.2 ms on average."""
        right = found = wanted = 0
        away: list[float] = []
        for seed in range(60, 72):
            made = recording(seed, floor_db=-50.0 if seed % 2 else -70.0)
            starts = starts_of(noted(made.audio).risen, RATE, 0.5, 10.0)
            near = matched(starts, made.begins, 0.010 * RATE)
            right, found, wanted = right + len(near), found + starts.size, wanted + len(made.begins)
            away += near
        self.assertGreater(2.0 * right / (found + wanted), 0.99)
        self.assertLess(np.mean(away) / RATE * 1000.0, 0.2)

    def test_a_higher_sensitivity_finds_more_and_a_wider_gap_less(self) -> None:
        made = noted(recording(3).audio)
        counts = [starts_of(made.risen, RATE, s, 10.0).size for s in (0.0, 0.3, 0.5, 0.8, 1.0)]
        self.assertEqual(counts, sorted(counts))
        self.assertLess(counts[0], counts[-1])
        wide = starts_of(made.risen, RATE, 0.5, 200.0)
        self.assertGreaterEqual(int(np.diff(wide).min()), round(0.2 * RATE))

    def test_at_every_rate_the_same(self) -> None:
        from puddle.render.steps import converted

        audio = recording(5, seconds=12.0).audio
        at_48 = starts_of(noted(audio).risen, RATE, 0.5, 10.0) / RATE
        for rate in (44100.0, 96000.0, 192000.0):
            other = converted(audio, RATE, rate, 1.0)
            found = starts_of(noted(other, rate).risen, rate, 0.5, 10.0) / rate
            self.assertGreater(len(matched(found, at_48, 0.003)), 0.9 * at_48.size)

    def test_nothing_in_silence_noise_or_the_end_of_a_tone(self) -> None:
        rng = np.random.default_rng(2)
        tone = 0.5 * np.sin(2.0 * np.pi * 440.0 * np.arange(48000) / RATE)
        for name, mono, count in (
            ("silence", np.zeros(48000), 0),
            ("noise", 0.2 * rng.standard_normal(96000), 0),
            ("tone", tone, 1),  # where it begins
            ("one hit", np.concatenate([np.zeros(4800), np.exp(-np.arange(9600) / 900.0)]), 1),
        ):
            audio = np.asarray(mono, np.float32)[:, None]
            with self.subTest(name):
                self.assertEqual(starts_of(noted(audio).risen, RATE, 0.5, 10.0).size, count)

    def test_those_of_more_weight_are_kept(self) -> None:
        frames = np.array([0, 5, 9, 30, 34, 60])
        kept = apart(frames, np.array([1.0, 3.0, 2.0, 2.0, 1.0, 0.5]), 10)
        self.assertEqual(kept.tolist(), [5, 30, 60])


class Ended(unittest.TestCase):
    def decays(self, floor_db: float) -> tuple[np.ndarray, list[int], float]:
        """Sines that fall by 60 dB a second, and where each begins."""
        rng = np.random.default_rng(4)
        t = np.arange(round(1.4 * RATE)) / RATE
        begins = [round((0.5 + 1.5 * n) * RATE) for n in range(6)]
        audio = np.zeros((round(9.6 * RATE), 1), np.float32)
        for n, at in enumerate(begins):
            wave = np.sin(2.0 * np.pi * (90.0 + 160.0 * n) * t) * 10.0 ** (-3.0 * t)
            audio[at : at + t.size, 0] += np.asarray(0.8 * wave, np.float32)
        room = 10.0 ** (floor_db / 20.0) * rng.standard_normal(audio.shape)
        return (audio + room).astype(np.float32), begins, 60.0

    def test_within_a_tenth_of_their_length(self) -> None:
        for ends_db in (-24.0, -36.0, -48.0):
            audio, begins, per_s = self.decays(-80.0)
            hits = hits_from(noted(audio), np.array(begins), ends_db)
            for start, end in zip(hits.starts, hits.ends, strict=True):
                self.assertAlmostEqual(
                    (end - start) / RATE, -ends_db / per_s, delta=-0.1 * ends_db / per_s
                )

    def test_in_a_room_it_ends_where_the_room_is_as_loud(self) -> None:
        audio, begins, per_s = self.decays(-50.0)
        hits = hits_from(noted(audio), np.array(begins), -80.0)
        lengths = (hits.ends - hits.starts) / RATE
        # The room's own peaks lie some 12 dB over its level.
        self.assertTrue(np.all(lengths > 30.0 / per_s) and np.all(lengths < 52.0 / per_s), lengths)

    def test_at_the_latest_where_the_next_begins(self) -> None:
        audio, begins, _ = self.decays(-80.0)
        starts = np.array([begins[0], begins[0] + 4800, begins[1]])
        hits = hits_from(noted(audio), starts, -60.0)
        self.assertEqual(int(hits.ends[0]), begins[0] + 4800)


class Doubted(unittest.TestCase):
    def test_each_says_why(self) -> None:
        t = np.arange(9600) / RATE
        hit = np.asarray(0.8 * np.sin(2 * np.pi * 200 * t) * 10.0 ** (-3.0 * t / 0.15), np.float32)
        audio = np.zeros((96000, 1), np.float32)
        audio[:4000, 0] += hit[500:4500]  # begins when it is under way
        audio[20000:29600, 0] += hit
        audio[40000:49600, 0] += hit  # the next one comes too soon
        audio[41500:51100, 0] += hit
        audio[70000:70400, 0] = 2e-5
        starts = np.array([0, 20000, 40000, 41500, 70000])
        audio[20000:29600] = np.clip(1.5 * audio[20000:29600], -1.0, 1.0)
        made = noted(audio)
        self.assertEqual(
            doubts(made, hits_from(made, starts, -54.0)),
            ["starts too late", "clipped", "overlapped by the next", "", "mostly silence"],
        )

    def test_clipped_is_what_was_cut_off_and_not_a_low_tone_that_reaches_full_scale(self) -> None:
        """By how much it is cut off is made up; 16 bits are those that make a wave flat."""
        t = np.arange(24000) / RATE
        for tone_hz in (35.0, 50.0, 90.0, 400.0):
            wave = np.sin(2 * np.pi * tone_hz * t) * 10.0 ** (-3.0 * t / 0.8)
            for over_db, wanted in ((-0.05, ""), (0.1, "clipped"), (6.0, "clipped")):
                loud = np.clip(10.0 ** (over_db / 20.0) * wave / np.abs(wave).max(), -1.0, 1.0)
                audio = np.zeros((48000, 2), np.float32)
                audio[1000:25000] = (np.round(32767.0 * loud) / 32768.0)[:, None]
                made = noted(audio)
                said = doubts(made, hits_from(made, np.array([1000]), -54.0))
                self.assertEqual(said, [wanted], (tone_hz, over_db))


class Alike(unittest.TestCase):
    """Five things struck from soft to hard, apart and over each other, without names."""

    def rand(self, first: list[int], second: list[int]) -> float:
        """The adjusted Rand index (Hubert and Arabie 1985)."""
        a = np.unique(first, return_inverse=True)[1]
        b = np.unique(second, return_inverse=True)[1]
        table = np.zeros((a.max() + 1, b.max() + 1))
        np.add.at(table, (a, b), 1)
        pairs = lambda n: (n * (n - 1) / 2.0).sum()  # noqa: E731
        both, one, other = pairs(table), pairs(table.sum(1)), pairs(table.sum(0))
        by_chance = one * other / pairs(np.array([len(first)]))
        return float((both - by_chance) / ((one + other) / 2.0 - by_chance))

    def labels(self, mono: np.ndarray, begins: list[int]) -> list[int]:
        edges = [*begins[1:], mono.size]
        spectra = [
            hit_spectrum(mono[max(0, a - 1440) : a], mono[a : min(b, a + 12000)], RATE)
            for a, b in zip(begins, edges, strict=True)
        ]
        found = [0] * len(begins)
        for n, group in enumerate(groups_of(spectra)):
            for place in group:
                found[place] = n
        return found

    def test_of_the_boathouse_session(self) -> None:
        audio, struck = session()
        begins = [one.frame for one in struck]
        found = self.labels(audio.mean(axis=1), begins)
        self.assertGreater(self.rand([one.thing for one in struck], found), 0.85)

    def test_of_voices_over_each_other(self) -> None:
        indices = []
        for seed in range(6):
            rng = np.random.default_rng(100 + seed)
            made = recording(200 + seed, seconds=4.0)
            names = sorted(set(made.who))[:5]
            from tests.support.made_recordings import struck_sounds

            mix = np.zeros(round(16 * RATE), np.float32)
            begins, who = [], []
            t = 0.3
            while t < 15.0:
                thing = int(rng.integers(len(names)))
                strength = rng.random()
                dull = butter(1, min(20000.0, 2500.0 * 8.0**strength), fs=RATE, output="sos")
                hit = sosfilt(dull, struck_sounds()[names[thing]].mean(axis=1))
                hit = hit * 10.0 ** (-22.0 * (1.0 - strength) / 20.0)
                at = round(t * RATE)
                mix[at : at + hit.size] += np.asarray(hit[: mix.size - at], np.float32)
                begins.append(at)
                who.append(thing)
                t += rng.uniform(0.15, 0.6)
            mix += (1e-3 * rng.standard_normal(mix.size)).astype(np.float32)
            indices.append(self.rand(who, self.labels(mix, begins)))
        self.assertGreater(float(np.mean(indices)), 0.85)


class Tempos(unittest.TestCase):
    def played(self, seed: int) -> tuple[np.ndarray, np.ndarray, float]:
        """Hits of a loop of one to four bars from 60 to 180 bpm: swung, some without downbeats."""
        rng = np.random.default_rng(seed)
        bpm = rng.uniform(60.0, 180.0)
        swing, missing = rng.choice([50, 50, 54, 58, 62, 66]), rng.random() < 0.4
        every = int(rng.choice([1, 2, 4]))
        kicks = rng.random(16) < np.array([0.9, 0.05, 0.15, 0.1] * 4)
        times, levels = [], []
        for n in range(16 * int(rng.integers(2, 5))):
            step, loud = n % 16, 0.0
            if kicks[step]:
                loud = 1.0
            if step in (4, 12):
                loud = max(loud, 0.9)
            if step % every == 0 and rng.random() < 0.9:
                loud = max(loud, 0.5 if step % 2 == 0 else 0.35)
            if missing and step == 0 and rng.random() < 0.8:
                loud = 0.0
            if loud:
                beat = (n + ((swing - 50.0) / 50.0 if n % 2 else 0.0)) / 4.0
                times.append(0.1 + beat * 60.0 / bpm + rng.normal(0.0, 0.003))
                levels.append(loud * rng.uniform(0.8, 1.1))
        return np.array(times), np.array(levels), bpm

    def test_of_made_loops(self) -> None:
        """95 % within 0.5 %, half and double counted as right."""
        right = 0
        for seed in range(300, 500):
            times, levels, bpm = self.played(seed)
            found = beats_of(times, levels)
            assert found is not None
            right += any(abs(found.bpm / (bpm * f) - 1.0) < 0.005 for f in (0.5, 1.0, 2.0))
        self.assertGreater(right, 190)

    def test_eighths_are_not_taken_for_beats(self) -> None:
        """A rock beat with soft eighths between, at tempos of which the double is possible too."""
        for bpm in (78.0, 84.0, 92.0, 99.0):
            steps = np.arange(0, 32, 2)
            levels = np.where(steps % 4 == 0, 1.0, 0.25)
            found = beats_of(steps * 15.0 / bpm, levels)
            assert found is not None
            self.assertAlmostEqual(found.bpm, bpm, delta=0.01 * bpm)

    def test_of_the_demo_loop_with_its_downbeat(self) -> None:
        _, struck = loop()
        times = np.array(sorted({one.frame for one in struck})) / RATE
        found = beats_of(times, np.ones(times.size))
        assert found is not None
        self.assertLess(min(abs(found.bpm / (LOOP_BPM * f) - 1.0) for f in (0.5, 1, 2)), 0.005)
        self.assertLess(abs(found.downbeat_s), 0.02)

    def test_of_strokes_by_hand(self) -> None:
        """Strokes with 6 ms of jitter, on a beat of swung sixteenths, from a seed."""
        chance = np.random.default_rng(5)
        for bpm in (72.0, 96.0, 104.0, 123.5, 150.0):
            steps = np.array([0, 4, 6, 8, 11, 12, 16, 20, 22, 24, 28])
            seconds = np.sort(steps * 15.0 / bpm + chance.normal(0.0, 0.006, len(steps)))
            found = beats_of(seconds - seconds[0], np.ones(len(steps)))
            assert found is not None
            near = min(abs(found.bpm / bpm - ratio) for ratio in (0.5, 1.0, 2.0))
            self.assertLess(near, 0.012, f"{bpm} bpm taken for {found.bpm}")

    def test_too_few_hits_have_none(self) -> None:
        self.assertIsNone(beats_of(np.array([0.1, 0.5]), np.ones(2)))
