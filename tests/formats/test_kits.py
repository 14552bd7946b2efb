"""Kits and voices as files: what is written is read again, and damage is told."""

import contextlib
import subprocess
import sys
import unittest
import zipfile
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.errors import KitFileError
from puddle.formats.journal import lost_journals, new_journal, recovered
from puddle.formats.kitfile import damage, open_kit, save_kit
from puddle.formats.sound import (
    decoded_sound,
)
from puddle.formats.store import SampleStore, sample_name
from puddle.kit import edits
from puddle.kit.codec.reading import kit_json
from puddle.kit.model.document import Kit, Sample
from tests.support.sounds import noise, small_kit, wav
from tests.support.stores import new_folder


class KitFiles(unittest.TestCase):
    def made(self, folder: Path) -> tuple[Path, Kit, SampleStore]:
        store = SampleStore(folder / "one")
        content = store.add(decoded_sound(wav(noise(0.05)), "storm.wav", ".wav"), "storm.wav")
        kit = edits.add_content(small_kit(), content)
        source = Sample(content=content.hash, end_ms=content.length_ms)
        kit, _ = edits.add_layer(kit, "pad1", "storm", source)
        path = folder / "a.puddle"
        save_kit(path, kit, store)
        return path, kit, store

    def test_there_and_back(self) -> None:
        with new_folder() as folder:
            path, kit, store = self.made(folder)
            other = SampleStore(folder / "two")
            opened = open_kit(path, other)
            self.assertEqual((opened.kit, opened.problems), (kit, ()))
            hash_ = kit.contents[0].hash
            self.assertEqual(store.raw(hash_), other.raw(hash_))
            again = folder / "b.puddle"
            save_kit(again, opened.kit, other)
            self.assertEqual(path.read_bytes(), again.read_bytes())

    def test_samples_that_nothing_plays_are_left_out(self) -> None:
        with new_folder() as folder:
            path, kit, store = self.made(folder)
            save_kit(path, edits.remove_layer(kit, "pad1", "layer2"), store)
            with zipfile.ZipFile(path) as file:
                self.assertEqual(file.namelist(), ["mimetype", "kit.json"])

    def rewritten(self, path: Path, change: object) -> Path:
        """A copy of a kit file whose entries (name to bytes) were changed."""
        with zipfile.ZipFile(path) as file:
            entries = [(n, file.read(n)) for n in file.namelist()]
        entries = change(entries)  # type: ignore[operator]
        out = path.with_name("changed.puddle")
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
            for name, data in entries:
                file.writestr(zipfile.ZipInfo(name), data, zipfile.ZIP_DEFLATED)
        return out

    def test_missing_and_damaged_samples_open_the_rest(self) -> None:
        with new_folder() as folder:
            path, kit, _ = self.made(folder)
            entry = sample_name(kit.contents[0])
            cases = {
                "missing": lambda es: [e for e in es if e[0] != entry],
                "damaged": lambda es: [(n, b"rust" if n == entry else d) for n, d in es],
                "not the one": lambda es: [
                    (n, wav(noise(0.1, 9)) if n == entry else d) for n, d in es
                ],
            }
            for number, (word, change) in enumerate(cases.items()):
                store = SampleStore(folder / str(number))
                opened = open_kit(self.rewritten(path, change), store)
                self.assertEqual(opened.kit, kit)
                heard = store.decoded(kit.contents[0].hash) is not None
                self.assertEqual(heard, word == "not the one")
                said = [*opened.problems, *damage(kit, store)]
                self.assertEqual(len(said), 1)
                self.assertIn(word, said[0])
                self.assertIn("storm.wav", said[0])
                store.close()

    def test_hostile_zips(self) -> None:
        with new_folder() as folder:
            path, _, _ = self.made(folder)
            store = SampleStore(folder / "s")

            def with_entry(name: str, data: bytes = b"x") -> Path:
                return self.rewritten(path, lambda es: [*es, (name, data)])

            import warnings

            for n, (name, data, word) in enumerate(
                (
                    ("../outside", b"x", "outside"),
                    ("/etc/outside", b"x", "outside"),
                    ("a\\..\\..\\b", b"x", "outside"),
                    ("samples/bomb", b"\0" * 3_000_000, "far too much"),
                )
            ):
                with self.subTest(name):
                    with self.assertRaises(KitFileError) as caught:
                        open_kit(with_entry(name, data), store)
                    self.assertIn(word, str(caught.exception), n)
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                twice = with_entry("kit.json", kit_json(small_kit()))
            with self.assertRaises(KitFileError) as caught:
                open_kit(twice, store)
            self.assertIn("twice", str(caught.exception))

    def test_what_is_no_kit(self) -> None:
        with new_folder() as folder:
            store = SampleStore(folder / "s")
            path, _, _ = self.made(folder)
            whole = path.read_bytes()
            for name, data in (
                ("empty", b""),
                ("text", b"hello"),
                ("cut", whole[: len(whole) // 2]),
                ("zip", b"PK\x05\x06" + b"\0" * 18),
            ):
                bad = folder / f"{name}.puddle"
                bad.write_bytes(data)
                with self.subTest(name), self.assertRaises(KitFileError) as caught:
                    open_kit(bad, store)
                self.assertIn(str(bad), str(caught.exception))
            with self.assertRaises(KitFileError):
                open_kit(folder / "nothing.puddle", store)

    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 6000), st.binary(min_size=1, max_size=12))
    def test_damage_is_opened_or_refused(self, at: int, damage: bytes) -> None:
        with new_folder() as folder:
            path, _, _ = self.made(folder)
            raw = bytearray(path.read_bytes())
            raw[at : at + len(damage)] = damage
            path.write_bytes(raw)
            with contextlib.suppress(KitFileError):
                open_kit(path, SampleStore(folder / "s"))

    def test_a_full_disk_keeps_what_was_there(self) -> None:
        with new_folder() as folder:
            path, _, _ = self.made(folder)
            before = path.read_bytes()
            code = (
                "import resource, sys\n"
                "from pathlib import Path\n"
                "from puddle.formats.kitfile import open_kit, save_kit\n"
                "from puddle.formats.store import SampleStore, sample_name\n"
                "from puddle.errors import KitFileError\n"
                "import signal; signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
                "path = Path(sys.argv[1]); store = SampleStore(path.parent / 'three')\n"
                "kit = open_kit(path, store).kit\n"
                "resource.setrlimit(resource.RLIMIT_FSIZE, (1000, 1000))\n"
                "try: save_kit(path, kit, store)\n"
                "except KitFileError as e: print(e)\n"
            )
            out = subprocess.run(
                [sys.executable, "-c", code, str(path)], capture_output=True, text=True
            )
            self.assertIn("cannot be written", out.stdout, out.stderr)
            self.assertEqual(path.read_bytes(), before)
            self.assertFalse([p for p in folder.iterdir() if p.name.startswith(".puddle-")])


class Journals(unittest.TestCase):
    def test_a_killed_process_leaves_its_kit(self) -> None:
        with new_folder() as root:
            code = (
                "import os, sys\n"
                "from pathlib import Path\n"
                "from puddle.formats.journal import new_journal\n"
                "from puddle.kit.model.document import Kit\n"
                "j = new_journal(Path(sys.argv[1]))\n"
                "j.write(Kit(name='Storm', tempo_bpm=99.0), Path('/kits/storm.puddle'))\n"
                "os.kill(os.getpid(), 9)\n"
            )
            subprocess.run([sys.executable, "-c", code, str(root)])
            lost = lost_journals(root)
            self.assertEqual([(x.name, x.path) for x in lost], [("Storm", "/kits/storm.puddle")])
            kit, journal = recovered(lost[0])
            self.assertEqual(kit.tempo_bpm, 99.0)
            self.assertEqual(lost_journals(root), [])  # held again, by this process
            journal.close()
            self.assertEqual(list(root.iterdir()), [])

    def test_the_living_keep_theirs(self) -> None:
        with new_folder() as root:
            journal = new_journal(root)
            journal.write(small_kit(), None)
            self.assertEqual(lost_journals(root), [])
            journal.forget_edits()
            self.assertFalse((journal.folder / "kit.json").exists())
            journal.close()

    def test_a_damaged_journal_is_refused(self) -> None:
        with new_folder() as root:
            folder = root / "x"
            folder.mkdir()
            (folder / "kit.json").write_bytes(b"{")
            lost = lost_journals(root)
            self.assertEqual(len(lost), 1)
            with self.assertRaises(KitFileError):
                recovered(lost[0])


class VoiceFiles(unittest.TestCase):
    def test_there_and_back(self) -> None:
        from puddle.formats.ownfile import VoiceFile, read_own, write_own
        from puddle.voices import STARTING_POINTS

        with new_folder() as folder:
            for points in STARTING_POINTS.values():
                for name, voice in points.items():
                    path = folder / "a.puddle-voice"
                    write_own(path, VoiceFile(name=name, voice=voice))
                    made = read_own(path, VoiceFile)
                    self.assertEqual((made.name, made.voice), (name, voice))

    def test_what_is_no_voice(self) -> None:
        from puddle.formats.ownfile import VoiceFile, read_own

        bad = {
            "empty": b"",
            "text": b"hello",
            "kind": b'{"name": "a", "voice": {"type": "trumpet"}}',
            "range": b'{"name": "a", "voice": {"type": "kick", "end_hz": 1e9}}',
            "field": b'{"name": "a", "voice": {"type": "kick", "brass": 1}}',
            "newer": b'{"version": 999, "name": "a", "voice": {"type": "kick"}}',
            "nameless": b'{"name": "", "voice": {"type": "kick"}}',
            "deep": b"[" * 100000,
            "huge": b" " * (2 << 20),
        }
        with new_folder() as folder:
            for name, data in bad.items():
                path = folder / f"{name}.puddle-voice"
                path.write_bytes(data)
                with self.subTest(name), self.assertRaises(KitFileError) as caught:
                    read_own(path, VoiceFile)
                self.assertIn(f"{name}.puddle-voice", str(caught.exception))
            with self.assertRaises(KitFileError):
                read_own(folder / "none.puddle-voice", VoiceFile)


class StageSets(unittest.TestCase):
    def test_what_ships_goes_there_and_back(self) -> None:
        from puddle.formats.ownfile import StagesFile, read_own, write_own
        from puddle.kit.presets.stage_sets import shipped

        self.assertEqual(len(shipped()), 8)
        with new_folder() as folder:
            for name, stages in shipped().items():
                write_own(folder / "a.puddle-stages", StagesFile(name=name, stages=stages))
                made = read_own(folder / "a.puddle-stages", StagesFile)
                self.assertEqual((made.name, made.stages), (name, stages))

    def test_one_of_an_older_version_is_brought_up_as_a_kit_is(self) -> None:
        """Up to version 1 a compressor had its own dry blend."""
        from puddle.formats.ownfile import StagesFile, own_from_json
        from puddle.kit.model.document import KIT_VERSION

        old = b"""{"version": 1, "name": "a", "stages": [
            {"id": "s", "process": {"type": "compressor", "dry": 30.0}}]}"""
        made = own_from_json(old, StagesFile, "a")
        self.assertEqual((made.version, made.stages[0].dry), (KIT_VERSION, 30.0))

    def test_what_is_no_set(self) -> None:
        from puddle.formats.ownfile import StagesFile, read_own

        stage = '{"id": "a", "process": {"type": "gain"}}'
        bad = {
            "none": '{"name": "a", "stages": []}',
            "many": '{"name": "a", "stages": [' + ", ".join([stage] * 65) + "]}",
            "kind": '{"name": "a", "stages": [{"id": "a", "process": {"type": "trumpet"}}]}',
            "voice": '{"name": "a", "voice": {"type": "kick"}}',
            "range": '{"name": "a", "stages": [{"id": "a", "dry": 400, "process": '
            '{"type": "gain"}}]}',
        }
        with new_folder() as folder:
            for name, text in bad.items():
                path = folder / f"{name}.puddle-stages"
                path.write_text(text)
                with self.subTest(name), self.assertRaises(KitFileError) as caught:
                    read_own(path, StagesFile)
                self.assertIn(path.name, str(caught.exception))
