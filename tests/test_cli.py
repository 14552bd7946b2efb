"""The commands, run as a person or a script runs them."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path

import mido
import msgspec
import numpy as np
import soundfile
import soxr

from puddle.engine import offline
from puddle.formats.kitfile import open_kit
from puddle.formats.store import SampleStore
from puddle.measure.pitch import fundamental
from puddle.render.take import Takes
from tests.support.commands import CommandsTest, puddle
from tests.support.sounds import noise, sine, write


class Commands(CommandsTest):
    def test_the_demo_is_the_same_on_every_run(self) -> None:
        done = puddle("demo", "--write", self.folder / "again")
        self.assertEqual(done.returncode, 0)
        for path in sorted((self.folder / "demo").rglob("*.*")):
            again = self.folder / "again" / path.relative_to(self.folder / "demo")
            self.assertEqual(path.read_bytes(), again.read_bytes(), path.name)

    def test_inspect(self) -> None:
        tone = write(self.folder / "tone.wav", sine(220, 0.6, 0.5))
        hiss = write(self.folder / "hiss.wav", noise(0.3))
        text = self.folder / "text.wav"
        text.write_text("not a sound")
        done = puddle("inspect", tone, text, hiss, "--json")
        self.assertEqual(done.returncode, 2)
        first, second, third = json.loads(done.stdout)
        self.assertEqual(first["file"], str(tone))
        self.assertAlmostEqual(first["fundamental_hz"], 220, delta=0.3)
        self.assertEqual(first["note"], "A3")
        self.assertEqual(set(second), {"file", "error"})
        self.assertIn("text.wav", second["error"])
        self.assertIsNone(third["fundamental_hz"])
        self.assertEqual(len(done.stderr.splitlines()), 1)

    def test_align(self) -> None:
        """A mono tone burst that is 96 frames late and upside down, at another rate."""
        burst = sine(80.0, 0.3, 0.5)[:, :1] * np.exp(-np.arange(14400) / 3000.0)[:, None]
        first = np.concatenate([np.zeros((480, 1)), burst])
        second = -np.concatenate([np.zeros((576, 1)), burst])
        a, b = self.folder / "a.wav", self.folder / "b.wav"
        soundfile.write(a, first, 48000, "FLOAT")
        soundfile.write(b, soxr.resample(second, 48000, 44100, "VHQ"), 44100, "FLOAT")
        done = puddle("align", a, b, "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        told = json.loads(done.stdout)
        self.assertEqual(list(told), ["shift_samples", "shift_ms", "invert", "gain_db"])
        self.assertAlmostEqual(told["shift_samples"], -96.0, delta=0.1)
        self.assertAlmostEqual(told["shift_ms"], -2.0, delta=0.003)
        self.assertIs(told["invert"], True)
        self.assertGreater(told["gain_db"], 3.0)
        silent = write(self.folder / "silent.wav", np.zeros((4800, 2), np.float32))
        self.assertIn("the second is silent", self.refused("align", a, silent, "--json"))
        self.assertIn("nowhere.wav", self.refused("align", a, self.folder / "nowhere.wav"))

    def test_inspect_a_name_that_is_not_utf8(self) -> None:
        path = os.fsencode(self.folder) + b"/caf\xe9.wav"
        with open(path, "wb") as file:
            file.write(Path(write(self.folder / "x.wav", sine(100, 0.3))).read_bytes())
        done = subprocess.run(
            [sys.executable, "-m", "puddle", "inspect", path, "--json"], capture_output=True
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("caf\\xe9", json.loads(done.stdout)[0]["file"])

    def test_render_is_the_take_to_the_bit(self) -> None:
        out = self.folder / "keel.wav"
        done = puddle("render", self.kit, "--pad", 1, "-o", out, "--bits", "32f")
        self.assertEqual((done.returncode, done.stderr), (0, b""))
        audio, rate = soundfile.read(out, dtype="float32")
        store = SampleStore(self.folder / "store")
        kit = open_kit(self.kit, store).kit
        takes = Takes(store, 48000.0)
        self.assertEqual(rate, 48000)
        self.assertTrue(np.array_equal(audio, takes.sound(kit.pads[0].sound).audio))
        by_name = self.folder / "keel2.wav"
        self.done("render", self.kit, "--pad", "Keel", "-o", by_name, "--bits", "32f")
        self.assertEqual(out.read_bytes(), by_name.read_bytes())

    def test_what_is_clipped_is_counted(self) -> None:
        """A kick 12 dB up: 24 bits end at full scale, a float goes on; both are written."""
        raw = msgspec.json.decode(zipfile.ZipFile(self.kit).read("kit.json"))
        raw["pads"][0]["level_db"] = 12.0
        loud = self.folder / "loud.puddle"
        with zipfile.ZipFile(self.kit) as old, zipfile.ZipFile(loud, "w") as new:
            for name in old.namelist():
                data = msgspec.json.encode(raw) if name == "kit.json" else old.read(name)
                new.writestr(name, data)
        out, whole = self.folder / "cut.wav", self.folder / "whole.wav"
        said = self.done("render", loud, "--pad", 1, "-o", out)
        self.assertEqual(
            self.done("render", loud, "--pad", 1, "-o", whole, "--bits", "32f").strip(), ""
        )
        audio, _ = soundfile.read(whole)
        count = int((np.abs(audio) > 1.0).sum())
        self.assertGreater(count, 100)
        self.assertIn(f"{count:,} samples clipped", said)
        over = 20 * np.log10(np.abs(audio).max())
        self.assertIn(f"{over:.1f} dB over full scale", said)

    def test_turns_count_from_1(self) -> None:
        """Transom has two: its first is what no turn plays, its third the first again."""
        made = []
        for turn in ([], ["--turn", 1], ["--turn", 2], ["--turn", 3]):
            out = self.folder / "turn.wav"
            self.done("render", self.kit, "--pad", "Transom", *turn, "-o", out)
            made.append(out.read_bytes())
        self.assertEqual(made[0], made[1])
        self.assertNotEqual(made[1], made[2])
        self.assertEqual(made[1], made[3])

    def test_render_of_a_key(self) -> None:
        """Towline follows keys from D1: an octave over it the pitch is twice as high."""
        found = []
        for note in (26, 38):
            out = self.folder / f"{note}.wav"
            self.done("render", self.kit, "--pad", "Towline", "--note", note, "-o", out)
            audio, rate = soundfile.read(out, dtype="float32")
            hz = fundamental(audio, float(rate)).hz
            assert hz is not None
            found.append(hz)
        self.assertAlmostEqual(1200 * np.log2(found[1] / found[0]), 1200.0, delta=5.0)
        self.assertIn("note", self.refused(
            "render", self.kit, "--pad", 1, "--note", 128, "-o", self.folder / "x.wav"
        ))  # fmt: skip

    def test_bounce_with_stems_and_midi(self) -> None:
        out, stems, midi = (self.folder / n for n in ("groove.wav", "stems", "groove.mid"))
        done = puddle(
            "bounce",
            self.kit,
            "--pattern",
            "A",
            "--bars",
            2,
            "-o",
            out,
            "--bits",
            "32f",
            "--stems",
            stems,
            "--midi",
            midi,
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        audio, _ = soundfile.read(out, dtype="float32")
        store = SampleStore(self.folder / "store2")
        kit = open_kit(self.kit, store).kit
        wanted = offline.bounce(kit, kit.patterns[0], 2, Takes(store, 48000.0))
        self.assertTrue(np.array_equal(audio, wanted.master))
        names = ("direct", *(bus.name for bus in kit.buses))
        self.assertEqual({p.name for p in stems.iterdir()}, {f"{name}.wav" for name in names})
        hits = sum(len(lane.hits) for lane in kit.patterns[0].lanes)
        tracks = mido.MidiFile(midi, charset="utf-8").tracks
        notes = [m for track in tracks for m in track if m.type == "note_on"]
        self.assertEqual(len(notes), hits)

    def test_other_rates(self) -> None:
        out = self.folder / "slow.wav"
        self.done("render", self.kit, "--pad", 9, "-o", out, "--rate", 44100, "--bits", "16")
        self.assertEqual(soundfile.info(out).samplerate, 44100)

    def test_bad_input(self) -> None:
        done = puddle("render", self.kit, "--pad", "99", "-o", self.folder / "x.wav")
        self.assertEqual((done.returncode, done.stdout), (2, b""))
        self.assertEqual(len(done.stderr.decode().strip().splitlines()), 1)
        out = self.folder / "none.wav"
        bad = self.folder / "bad.puddle"
        bad.write_bytes(b"PK rubbish")
        self.assertIn("bad.puddle", self.refused("render", bad, "--pad", 1, "-o", out))
        self.assertIn("no.puddle", self.refused("bounce", "no.puddle", "-o", out))
        self.assertIn("no pad", self.refused("render", self.kit, "--pad", 77, "-o", out))
        self.assertIn("no pattern", self.refused("bounce", self.kit, "--pattern", "Z", "-o", out))
        self.assertIn(
            "velocity", self.refused("render", self.kit, "--pad", 1, "--velocity", 300, "-o", out)
        )
        self.assertIn("rate", self.refused("render", self.kit, "--pad", 1, "--rate", 3, "-o", out))
        nowhere = self.folder / "nowhere" / "x.wav"
        self.assertIn("nowhere", self.refused("render", self.kit, "--pad", 1, "-o", nowhere))
        self.refused("inspect", self.folder / "missing.wav", "--json")
        self.refused(self.folder / "missing.puddle")
        self.assertFalse(out.exists())

    def test_schema_accepts_the_demo(self) -> None:
        schema = json.loads(puddle("schema").stdout)
        self.assertIn("Kit", schema["$defs"])
        self.assertEqual(schema["$defs"]["Snare"]["properties"]["low_hz"]["x-unit"], "Hz")

    def test_the_demo_without_a_display(self) -> None:
        out = self.folder / "headless"
        environment = {
            k: v
            for k, v in os.environ.items()
            if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
        }
        done = subprocess.run(
            [sys.executable, "-m", "puddle", "demo", "--out", str(out)],
            capture_output=True,
            env=environment,
            timeout=120,
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(len(done.stdout.decode().strip().splitlines()), 1)
        png = (out / "puddle-demo.png").read_bytes()
        self.assertTrue(png.startswith(b"\x89PNG") and len(png) > 50000)
        audio, _ = soundfile.read(out / "puddle-demo.wav")
        self.assertGreater(float(np.abs(audio).max()), 0.3)

    def test_odd_arguments_are_refused_in_one_line(self) -> None:
        out = self.folder / "odd.wav"
        for pad in ("²", "³3", "9" * 5000, "-1", "\0"):
            self.assertIn("no pad", self.refused("render", self.kit, "--pad", pad, "-o", out))
        for words in (
            ("render", self.kit),
            ("render", self.kit, "--pad", "1", "-o", out, "--velocity", "loud"),
            ("render", self.kit, "--pad", "1", "-o", out, "--bits", "8"),
            ("render", self.kit, "--pad", "1", "-o", out, "--no-such"),
            ("inspect",),
            ("--no-such",),
            ("bounce", self.kit, "-o", out, "--bars", "1e9"),
        ):
            with self.subTest(words):
                self.assertIn("--help", self.refused(*words))
        self.assertFalse(out.exists())

    def test_pipes_and_devices_are_refused_at_once(self) -> None:
        pipe = self.folder / "pipe.wav"
        os.mkfifo(pipe)
        self.addCleanup(pipe.unlink)
        out = self.folder / "x.wav"
        for bad, why in ((pipe, "a pipe"), (Path("/dev/zero"), "a device"), (Path("a\0b"), "name")):
            with self.subTest(bad):
                self.assertIn(why, self.refused("inspect", bad, "--json"))
                self.assertIn(why, self.refused("order", bad))
                self.assertIn(why, self.refused("align", bad, bad))
                self.assertIn(why, self.refused("render", bad, "--pad", "1", "-o", out))
        for bad in (pipe, Path("/dev/full")):
            self.assertIn(
                "no file can take its place",
                self.refused("render", self.kit, "--pad", "1", "-o", bad),
            )

    def test_a_folder_sorted_into_a_kit(self) -> None:
        """Two drums of three strengths each and a file that is none: named, the rest is a kit."""
        folder = self.folder / "sorted"
        folder.mkdir()
        for n, gain in enumerate((0.1, 0.3, 0.9), 1):
            write(folder / f"kick {n}.wav", gain * sine(60.0, 0.4))
            write(folder / f"hat {n}.wav", gain * noise(0.05))
        (folder / "broken.wav").write_bytes(b"RIFF")
        out = self.folder / "sorted.puddle"
        done = puddle("sort", folder, "-o", out, "--json")
        self.assertEqual(done.returncode, 2)
        self.assertEqual(len(done.stderr.splitlines()), 1, done.stderr)
        self.assertIn(b"broken.wav", done.stderr)
        drums = {drum["name"]: drum for drum in json.loads(done.stdout)}
        self.assertEqual({name: drum["role"] for name, drum in drums.items()},
                         {"Kick": "kick", "Hat": "hat"})  # fmt: skip
        self.assertEqual(
            drums["Kick"]["velocities"], [["kick 1.wav"], ["kick 2.wav"], ["kick 3.wav"]]
        )
        with tempfile.TemporaryDirectory() as place:
            kit = open_kit(out, SampleStore(Path(place))).kit
        self.assertEqual(sorted(pad.name for pad in kit.pads), ["Hat", "Kick"])
        self.assertIn("no such file", self.refused("sort", self.folder / "none.wav").lower())

    def test_no_display_is_told_in_one_line(self) -> None:
        none = {"QT_QPA_PLATFORM": "", "DISPLAY": "", "WAYLAND_DISPLAY": ""}
        for words in ((), (self.kit,)):
            done = puddle(*words, **none)
            self.assertEqual(done.returncode, 2)
            self.assertEqual(len(done.stderr.splitlines()), 1, done.stderr)
            self.assertIn(b"no display", done.stderr)
        done = puddle(self.kit, **{**none, "DISPLAY": ":7777"})
        self.assertEqual(done.returncode, 2)
        self.assertIn(b"display :7777 does not answer", done.stderr)

    def test_scratch_folders_of_killed_runs_are_swept(self) -> None:
        temp = self.folder / "temp"
        left = temp / "puddle-left"
        left.mkdir(parents=True)
        (left / "lock").write_bytes(b"")
        out = self.folder / "swept.wav"
        done = puddle("render", self.kit, "--pad", "1", "-o", out, TMPDIR=str(temp))
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(list(temp.iterdir()), [])


class Lightness(unittest.TestCase):
    def test_verbs_without_a_window_load_no_qt(self) -> None:
        code = (
            "import sys\n"
            "class Block:\n"
            "    def find_spec(self, name, path=None, target=None):\n"
            "        if name.startswith('PyQt6'): raise ImportError('no Qt here')\n"
            "sys.meta_path.insert(0, Block())\n"
            "from puddle.cli import main\n"
            "assert main(['schema']) == 0\n"
            "assert main(['demo', '--write', sys.argv[1]]) == 0\n"
            "kit = sys.argv[1] + '/Rain Gauge.puddle'\n"
            "assert main(['render', kit, '--pad', '1', '-o', sys.argv[1] + '/a.wav']) == 0\n"
            "assert main(['bounce', kit, '--bars', '1', '-o', sys.argv[1] + '/b.wav']) == 0\n"
            "assert main(['inspect', sys.argv[1] + '/a.wav']) == 0\n"
        )
        with tempfile.TemporaryDirectory() as folder:
            done = subprocess.run([sys.executable, "-c", code, folder], capture_output=True)
        self.assertEqual(done.returncode, 0, done.stderr.decode())
