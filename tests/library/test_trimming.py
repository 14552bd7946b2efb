"""New samples start at their onset: found in any room, lined up, without a click, and undoable."""

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from puddle.formats.sound import write_wav
from puddle.kit import edits
from puddle.kit.edits.levels import missing_db, raised
from puddle.kit.edits.trimming import LEAD_MS, as_used, trimmed
from puddle.kit.model.document import Content, Kit, Sample, Sound
from puddle.kit.model.roles import ROLES
from puddle.measure.levels import loudness_lufs
from puddle.measure.trim import hit_start
from puddle.voices import STARTING_POINTS, Bell, Hat, Kick, Snare, Tom
from puddle.window.editors.pad_lines import PadLines
from puddle.window.shell.preferences import Preferences
from tests.support.windows import WindowTest, put

RATE = 48000.0


def recorded(
    hit: np.ndarray, gain_db: float, late_ms: float, room_db: float, seed: int, rate: float = RATE
) -> np.ndarray:
    """A hit in a room's noise, some time after the recording began."""
    rng, before = np.random.default_rng(seed), round(late_ms / 1000.0 * rate)
    audio = np.zeros((before + hit.shape[0], 2), np.float32)
    audio[before:] = hit * 10.0 ** (gain_db / 20.0)
    noise = rng.standard_normal(audio.shape) * 10.0 ** (room_db / 20.0)
    return (audio + noise).astype(np.float32)


class Starts(unittest.TestCase):
    def test_of_five_recordings_of_one_drum(self) -> None:
        """Each late by another time and softer: all within 0.3 ms of where the hit was put."""
        takes = ((0.0, 0.0), (-5.0, 12.0), (-11.0, 3.1), (-17.0, 7.7), (-22.0, 9.4))
        for voice in (Kick(), Snare(), Hat(), Tom(), Bell()):
            for rate in (44100.0, 96000.0):
                hit = voice.render(rate, 1.0)
                own = int(np.argmax(np.abs(hit).max(axis=1) > 1e-3 * np.abs(hit).max()))
                for seed, (gain, late) in enumerate(takes):
                    audio = recorded(hit, gain, late, -78.0, seed, rate)
                    put = round(late / 1000.0 * rate) + own
                    with self.subTest(type(voice).__name__, rate=rate, late=late):
                        off_ms = 1000.0 * (hit_start(audio, rate) - put) / rate
                        self.assertLess(abs(off_ms), 0.3)

    def test_a_loud_room(self) -> None:
        """Noise 40 dB under the hit's peak, for 150 ms before it."""
        hit = Snare().render(RATE, 1.0)
        audio = recorded(hit, 0.0, 150.0, -45.0, 5)
        self.assertAlmostEqual(hit_start(audio, RATE) / 48.0, 150.0, delta=0.5)

    def test_a_swell_keeps_its_beginning(self) -> None:
        """A cymbal backwards rises for a second: what is 54 dB under its peak is kept."""
        ms = np.arange(48000) / 48.0
        swell = (0.8 * (ms / 1000.0) ** 2 * np.sin(2 * np.pi * 0.3 * ms)).astype(np.float32)
        audio = np.stack([np.concatenate([np.zeros(4800, np.float32), swell])] * 2, axis=1)
        start = hit_start(audio, RATE)
        self.assertLess(float(np.abs(audio[:start]).max()), 0.8 * 10 ** (-54 / 20))
        self.assertGreaterEqual(start, 4800)

    def test_a_grace_note_is_no_silence(self) -> None:
        hit = Snare().render(RATE, 1.0)
        audio = np.zeros((4800 + hit.shape[0], 2), np.float32)
        audio[2400 : 2400 + 1200] += 0.15 * hit[:1200]
        audio[4800:] += hit
        self.assertAlmostEqual(hit_start(audio, RATE), 2400, delta=15)

    def test_what_begins_at_once_and_what_is_silent(self) -> None:
        for audio in (np.zeros((0, 2)), np.zeros((900, 2)), np.ones((900, 2)), np.ones((1, 1))):
            self.assertEqual(hit_start(audio.astype(np.float32), RATE), 0)


class Regions(unittest.TestCase):
    CONTENT = Content("a" * 64, "knock.wav", ".wav", 48000.0, 2, 48000)

    def test_a_lead_in_before_the_onset_and_the_whole_file(self) -> None:
        made = trimmed(self.CONTENT, 12.0)
        self.assertEqual((made.start_ms, made.fade_in_ms), (12.0 - LEAD_MS, LEAD_MS))
        self.assertEqual(made.end_ms, self.CONTENT.length_ms)

    def test_an_attack_at_the_first_frame_is_not_faded(self) -> None:
        for onset_ms in (0.0, 0.3, 1.2):
            made = trimmed(self.CONTENT, onset_ms)
            self.assertEqual((made.start_ms, made.fade_in_ms), (0.0, 0.0))

    def test_a_recording_used_again_is_cut_as_before(self) -> None:
        kit, pad = edits.add_pad(Kit(name=""), "a", "kick", Sound())
        kit = edits.add_content(kit, self.CONTENT)
        self.assertEqual(as_used(kit, self.CONTENT).start_ms, 0.0)
        kit, _ = edits.add_layer(kit, pad.id, "knock", trimmed(self.CONTENT, 12.0))
        self.assertEqual(as_used(kit, self.CONTENT).start_ms, 11.0)


class RolesLevels(unittest.TestCase):
    def test_by_the_pad_then_by_its_layers_alike(self) -> None:
        kit, pad = edits.add_pad(Kit(name=""), "a", "snare", Sound())
        for level in (-30.0, -24.0):
            kit, layer = edits.add_layer(kit, pad.id, "x", Snare())
            kit = edits.set_layer(kit, pad.id, layer.id, level_db=level)
        some = raised(kit, pad.id, 7.0)
        self.assertEqual(edits.pad_of(some, pad.id).level_db, 7.0)
        more = edits.pad_of(raised(kit, pad.id, 20.0), pad.id)
        self.assertEqual(more.level_db, 12.0)
        self.assertEqual([k.level_db for k in more.sound.layers], [-22.0, -16.0])
        most = edits.pad_of(raised(kit, pad.id, 90.0), pad.id)
        self.assertEqual([k.level_db for k in most.sound.layers], [6.0, 12.0])
        softer = edits.pad_of(raised(kit, pad.id, -9.0), pad.id)
        self.assertEqual((softer.level_db, softer.sound.layers), (-9.0, pad_layers(kit)))
        self.assertAlmostEqual(missing_db(kit, pad.id, -40.0), ROLES["snare"].loudness_lufs + 40.0)

    def test_a_roles_level_is_the_median_of_our_own_sounds_of_it(self) -> None:
        found: dict[str, list[float]] = {}
        for points in STARTING_POINTS.values():
            for voice in points.values():
                loud = loudness_lufs(voice.render(RATE, 1.0), RATE)
                if loud is not None:
                    found.setdefault(voice.role, []).append(loud)
        self.assertEqual(set(found), set(ROLES))
        for role, facts in ROLES.items():
            self.assertAlmostEqual(facts.loudness_lufs, np.median(found[role]), delta=0.06)


def pad_layers(kit: Kit) -> tuple[object, ...]:
    return kit.pads[0].sound.layers


class Dropped(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.session.file.new()
        self.shell.pages.show_page("shape")

    def drop(self, *names: str) -> None:
        before = self.session.kit
        paths = [self.folder / name for name in names]
        self.shell.incoming.drop(paths, "", 0)
        self.until(lambda: self.session.kit is not before)
        self.settle()

    def put(self, name: str, gain_db: float, late_ms: float) -> None:
        audio = recorded(Snare().render(RATE, 1.0), gain_db, late_ms, -80.0, len(name))
        write_wav(self.folder / name, audio, RATE)

    def source(self) -> Sample:
        source = self.session.kit.pads[0].sound.layers[0].source
        assert isinstance(source, Sample)
        return source

    def test_strengths_of_one_drum_line_up(self) -> None:
        """Five files, each late by another time: what is heard of each begins at one time."""
        for n, (gain, late) in enumerate(((-22, 9.4), (-16, 2.6), (-11, 12.0), (-5, 7.1), (0, 5))):
            self.put(f"slat {n + 1}.wav", gain, late)
        self.drop(*(f"slat {n}.wav" for n in range(1, 6)))
        pad = self.session.kit.pads[0]
        self.assertEqual(len(pad.sound.layers), 5)
        heard = []
        for layer in pad.sound.layers:
            audio = self.session.renders.takes.placed(pad.sound, layer)
            level = np.abs(audio).max(axis=1)
            heard.append(int(np.argmax(level > 0.1 * level.max())) / 48.0)
        self.assertLess(max(heard) - min(heard), 0.3)
        self.assertLess(max(heard), LEAD_MS + 0.7)
        self.assertLess(float(np.abs(audio[0]).max()), 1e-6, "it does not click")

    def test_the_preference_turns_it_off_and_the_start_can_be_moved(self) -> None:
        self.put("late.wav", 0.0, 30.0)
        self.drop("late.wav")
        self.assertAlmostEqual(self.source().start_ms, 29.0, delta=0.3)
        layer = self.session.kit.pads[0].sound.layers[0]
        put(
            self.session,
            "earlier",
            edits.set_source(self.session.kit, "pad1", layer.id, start_ms=0.0),
        )
        self.assertEqual(self.source().start_ms, 0.0)
        self.shell.do("preferences")
        preferences = self.shell.context.of(Preferences)
        self.assertIsInstance(preferences, Preferences)
        preferences.trims.setChecked(False)
        preferences.accept()
        self.assertFalse(self.session.settings.trim_starts)
        self.session.file.new()
        self.drop("late.wav")
        self.assertEqual((self.source().start_ms, self.source().fade_in_ms), (0.0, 0.0))

    def test_a_quiet_one_is_raised_by_one_click(self) -> None:
        self.put("soft.wav", -20.0, 5.0)
        self.drop("soft.wav")
        put(self.session, "role", edits.set_pad(self.session.kit, "pad1", role="snare"))
        self.session.selection.select_layer(None)
        self.shell.pages.page("shape").properties.choose_tab("Pad")
        self.settle()
        lines = self.shell.pages.page("shape").properties.findChild(PadLines)
        lines.raise_button.click()
        self.settle()
        pad = self.session.kit.pads[0]
        audio = self.session.renders.takes.sound(pad.sound).audio * 10 ** (pad.level_db / 20)
        loud = loudness_lufs(audio, RATE)
        assert loud is not None
        self.assertAlmostEqual(loud, ROLES["snare"].loudness_lufs, delta=0.3)
        self.shell.do("undo")
        self.assertEqual(self.session.kit.pads[0].level_db, 0.0)
