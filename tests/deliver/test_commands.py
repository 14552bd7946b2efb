"""check, export and import, as a script runs them."""

import contextlib
import io
import json
import unittest
import zipfile
from pathlib import Path

import soundfile

from puddle.check.limits import BY_ID
from puddle.cli import main
from puddle.formats.kitfile import open_kit, save_kit
from puddle.formats.store import SampleStore
from puddle.kit import edits
from puddle.kit.edits.patterns import add_pattern
from puddle.kit.model.document import KitGauge
from tests.support.commands import CommandsTest, puddle
from tests.support.sounds import pattern, sine, small_kit, write


class DeliverCommands(CommandsTest):
    def said(self, *words: object) -> tuple[int, str]:
        """The exit code and what is printed."""
        out = io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
            code = main([str(word) for word in words])
        return code, out.getvalue()

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.small = cls.folder / "Small.puddle"
        kit, _ = add_pattern(small_kit(), pattern(("pad1", (0, 8)), ("pad4", (4,))))
        kit = edits.set_kit(kit, gauges=(KitGauge(id="gauge1", name="Wet"),))
        save_kit(cls.small, kit, SampleStore(cls.folder / "none"))

    def test_check_tells_findings_and_exits_1(self) -> None:
        code, out = self.said("check", self.kit, "--json")
        self.assertEqual(code, 1)
        found = json.loads(out)
        self.assertEqual(found["kit"], str(self.kit))
        for finding in found["findings"]:
            self.assertEqual(set(finding), {"rule", "level", "where", "message"})
            self.assertIn(finding["rule"], BY_ID)
            self.assertIn(finding["level"], ("error", "warning", "note"))
        off = [word for rule in BY_ID for word in ("--limit", f"{rule}=off")]
        self.assertEqual(self.said("check", self.kit, "--json", *off)[0], 0)
        self.assertIn("clips", self.said("check", self.kit, "--limit", "list")[1])
        self.assertIn("no rule", self.refused("check", self.kit, "--limit", "x=1"))
        self.assertIn("can be", self.refused("check", self.kit, "--limit", "clips=99"))
        self.assertIn("no number", self.refused("check", self.kit, "--limit", "clips=x"))

    def test_export_and_import_again(self) -> None:
        folder = self.folder / "instrument"
        told = self.done("export", self.small, "--as", "sfz", "--to", folder, "--jobs", "2")
        self.assertIn("Kit gauges", told)
        self.assertTrue((folder / "Small.sfz").is_file())
        again = self.folder / "again"
        self.done("import", folder / "Small.sfz", "-o", again)
        with SampleStoreAt(self.folder / "store") as store:
            kit = open_kit(again.with_suffix(".puddle"), store).kit
        keys = {note for pad in kit.pads for note in pad.notes}
        self.assertTrue({36, 38, 42} <= keys)
        self.assertIn("already", self.refused("export", self.small, "--as", "sfz", "--to", folder))
        self.done("export", self.small, "--as", "sfz", "--to", folder, "--there", "skip")

    def test_one_shots_in_three_formats(self) -> None:
        for kind, bits, subtype in (("wav", "16", "PCM_16"), ("flac", "24", "PCM_24")):
            folder = self.folder / kind
            self.done(
                "export", self.small, "--as", kind, "--to", folder, "--bits", bits,
                "--rate", "44100", "--names", "{pad} v{velocity} r{turn}",
            )  # fmt: skip
            files = sorted(folder.rglob(f"*.{kind}"))
            self.assertIn(f"Thud v127.{kind}", [path.name for path in files])
            info = soundfile.info(files[0])
            self.assertEqual((info.samplerate, info.subtype), (44100, subtype))

    def test_the_whole_as_a_zip(self) -> None:
        path = self.folder / "all.zip"
        self.done("export", self.small, "--as", "zip", "--to", path)
        with zipfile.ZipFile(path) as file:
            names = file.namelist()
        for ending in (".sfz", ".mid", "README.txt", "checksums.txt", ".puddle", ".svg"):
            self.assertTrue(any(name.endswith(ending) for name in names), ending)
        self.assertIn("already", self.refused("export", self.small, "--as", "zip", "--to", path))

    def test_bad_input(self) -> None:
        done = puddle("check", self.folder / "none.puddle")
        self.assertEqual(done.returncode, 2)
        self.assertEqual(len(done.stderr.decode().strip().splitlines()), 1)
        self.refused("export", self.small, "--as", "mp9", "--to", self.folder)
        self.assertIn(
            "{colour}",
            self.refused("export", self.small, "--as", "wav", "--to", self.folder / "x", "--names",
                         "{colour}"),
        )  # fmt: skip
        stands = self.folder / "stands"
        stands.write_bytes(b"a file")
        self.assertIn(
            "no folder", self.refused("export", self.small, "--as", "midi", "--to", stands)
        )
        out = self.folder / "made.puddle"
        self.refused("import", self.folder / "none.sfz", "-o", out)
        bad = self.folder / "bad.sfz"
        bad.write_text("<region> sample=gone.wav key=36\n")
        self.assertIn("gone.wav", self.refused("import", bad, "-o", out))
        self.assertFalse(out.exists())

    def test_samples_above_the_folder_need_a_root(self) -> None:
        place = self.folder / "lib"
        (place / "sfz").mkdir(parents=True)
        write(place / "hit.wav", sine(200.0, 0.1))
        path = place / "sfz" / "a.sfz"
        path.write_text("<region> sample=../hit.wav key=36\n")
        out = self.folder / "rooted.puddle"
        self.assertIn("folder", self.refused("import", path, "-o", out))
        self.done("import", path, "-o", out, "--root", place)
        self.assertTrue(out.exists())


class SampleStoreAt:
    """A store that is closed again."""

    def __init__(self, folder: Path) -> None:
        self._store = SampleStore(folder)

    def __enter__(self) -> SampleStore:
        return self._store

    def __exit__(self, *_: object) -> None:
        self._store.close()


if __name__ == "__main__":
    unittest.main()
