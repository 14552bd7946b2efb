"""SFZ that other people wrote: every header, and everything that can be wrong."""

import os
import time
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from puddle.deliver.from_sfz import kit_from_sfz
from puddle.deliver.levels_read import curve_of, read_gains
from puddle.deliver.opcodes_read import regions_of
from puddle.errors import FileError, PuddleError
from puddle.formats.sfz import read_sfz
from puddle.kit.model.document import Sample
from tests.support.sounds import sine, write
from tests.support.stores import new_folder, new_store


class SfzTest(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = self.enterContext(new_folder())
        self.store = self.enterContext(new_store())

    def put(self, text: str | bytes, name: str = "a.sfz") -> Path:
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text.encode() if isinstance(text, str) else text)
        return path

    def hit(self, name: str = "hit.wav", hz: float = 200.0) -> Path:
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        return write(path, sine(hz, 0.1, 0.5))

    def refused(self, path: Path) -> str:
        with self.assertRaises(PuddleError) as caught:
            kit_from_sfz(path, self.store)
        said = str(caught.exception)
        self.assertEqual(len(said.splitlines()), 1)
        return said


class ReadTest(SfzTest):
    def test_headers_hold_for_those_below_until_the_next_of_their_kind(self) -> None:
        read = read_sfz(
            self.put(
                "<control> default_path=drums\\\n"
                "<global> volume=-3 <master> pan=10\n"
                "<group> lovel=64 // the hard ones\n"
                "<region> sample=Kick one.wav key=36 <region> key=c2 sample=two.wav\n"
                "<master> <group>\n/* no\n<region> sample=none.wav\n*/<region> sample=three.wav\n"
            )
        )
        samples = [region["sample"] for region in read.regions]
        self.assertEqual(samples, ["drums/Kick one.wav", "drums/two.wav", "drums/three.wav"])
        self.assertEqual([r.get("pan") for r in read.regions], ["10", "10", None])
        self.assertEqual([r.get("lovel") for r in read.regions], ["64", "64", None])
        self.assertEqual({r["volume"] for r in read.regions}, {"-3"})

    def test_includes_and_definitions(self) -> None:
        self.put("<region> sample=$NAME.wav key=$KEY\n", "parts/one.txt")
        read = read_sfz(
            self.put(
                '#define $NAME hit\n#define $KEY 40\n#include "parts/one.txt"\n'
                '#define $KEY 41\n#include "parts\\one.txt"\n'
            )
        )
        self.assertEqual([(r["sample"], r["key"]) for r in read.regions],
                         [("hit.wav", "40"), ("hit.wav", "41")])  # fmt: skip

    def test_names_in_another_case_are_found(self) -> None:
        self.hit("Samples/HIT.wav")
        made = kit_from_sfz(self.put("<region> sample=samples/hit.WAV key=38\n"), self.store)
        self.assertEqual(len(made.kit.pads), 1)
        self.assertEqual(made.told, [])

    def test_what_is_not_understood_is_told_not_dropped(self) -> None:
        self.hit()
        text = (
            "<effect> type=x\n<region> sample=hit.wav key=38 cutoff=400 fil_type=lpf_2p\n"
            "<region> sample=*sine key=39\n<region> sample=hit.wav key=40 trigger=release\n"
        )
        made = kit_from_sfz(self.put(text), self.store)
        told = " ".join(made.told)
        for word in ("cutoff", "fil_type", "sample=*sine", "trigger=release", "<effect>"):
            self.assertIn(word, told)
        self.assertEqual([pad.notes for pad in made.kit.pads], [(38,)])

    def test_opcodes_become_what_the_model_has(self) -> None:
        self.hit()
        text = (
            "<region> sample=hit.wav lokey=36 hikey=40 pitch_keycenter=c3 volume=-4 pan=-20 "
            "tune=30 offset=480 end=2399 off_by=700 group=3\n"
            "<region> sample=hit.wav key=50 xfin_lovel=30 xfin_hivel=50 lovel=30 "
            "loop_mode=loop_continuous loop_start=1000 loop_end=1999 ampeg_release=0.2 "
            "phase=invert\n"
        )
        kit = kit_from_sfz(self.put(text), self.store).kit
        wide, blended = kit.pads
        self.assertEqual(wide.notes, (36, 37, 38, 39, 40))
        self.assertEqual((wide.tracking, wide.root), (100.0, 48))
        self.assertEqual((wide.level_db, wide.pan), (-4.0, -20.0))
        self.assertEqual({wide.choke_group, wide.chokes}, {1, 2})  # 700 and 3, told apart
        source = wide.sound.layers[0].source
        assert isinstance(source, Sample)
        self.assertAlmostEqual(source.start_ms, 10.0)
        self.assertAlmostEqual(source.end_ms, 50.0)
        self.assertAlmostEqual(wide.sound.layers[0].tune_ct, 30.0)
        layer = blended.sound.layers[0]
        self.assertEqual((layer.softest, layer.blend_in, layer.flip), (40, 20, True))
        self.assertEqual((blended.trigger, blended.release_ms), ("gate", 200.0))
        source = layer.source
        assert isinstance(source, Sample)
        self.assertTrue(source.loop)
        self.assertAlmostEqual(source.loop_end_ms - source.loop_start_ms, 1000.0 / 48.0)

    def test_keys_that_play_the_same_are_one_pad(self) -> None:
        self.hit()
        text = "".join(f"<region> sample=hit.wav key={n} pitch_keytrack=0\n" for n in (36, 48, 50))
        made = kit_from_sfz(self.put(text), self.store)
        self.assertEqual([pad.notes for pad in made.kit.pads], [(36, 48, 50)])
        text += "<region> sample=hit.wav key=52 pitch_keytrack=0 amp_veltrack=0\n"
        made = kit_from_sfz(self.put(text), self.store)  # it answers otherwise to strength
        self.assertEqual([pad.notes for pad in made.kit.pads], [(36, 48, 50), (52,)])


class BadTest(SfzTest):
    def test_cycles_of_includes(self) -> None:
        path = self.put('#include "b.sfz"\n')
        self.put('#include "a.sfz"\n', "b.sfz")
        self.assertIn("includes itself", self.refused(path))

    def test_includes_without_end(self) -> None:
        for n in range(40):
            self.put(f'#include "{n + 1}.sfz"\n', f"{n}.sfz")
        self.assertIn("too deeply", self.refused(self.folder / "0.sfz"))

    def test_nothing_outside_of_the_folder_is_read(self) -> None:
        outside = self.enterContext(new_folder())
        secret = write(outside / "secret.wav", sine(100.0, 0.1))
        (self.folder / "link.wav").symlink_to(secret)
        self.hit()
        relative = os.path.relpath(secret, self.folder)
        for name in (str(secret), relative, "link.wav", "C:\\secret.wav", "..\\secret.wav"):
            text = f"<region> sample={name} key=36\n<region> sample=hit.wav key=37\n"
            made = kit_from_sfz(self.put(text), self.store)
            self.assertEqual([pad.notes for pad in made.kit.pads], [(37,)], name)
            self.assertEqual(len(made.kit.contents), 1)
            self.assertTrue(made.told[0].endswith("folder."), made.told)
        self.put("<region> sample=hit.wav\n", "ok.txt")
        self.assertIn("not in its folder", self.refused(self.put(f'#include "{relative}"\n')))
        text = f"<region> sample={relative} key=36\n"
        made = kit_from_sfz(self.put(text), self.store, root=Path("/"))
        self.assertEqual(len(made.kit.pads), 1)

    def test_samples_that_are_missing_or_none(self) -> None:
        self.hit()
        (self.folder / "junk.wav").write_bytes(b"RIFFjunk")
        text = "<region> sample=gone.wav key=36 <region> sample=junk.wav key=37\n"
        self.assertIn("gone.wav is missing", self.refused(self.put(text)))
        made = kit_from_sfz(self.put(text + "<region> sample=hit.wav key=38\n"), self.store)
        self.assertEqual(len(made.kit.pads), 1)
        self.assertIn("gone.wav is missing.", made.told)
        self.assertTrue(any("junk.wav" in one for one in made.told))

    def test_very_many_regions(self) -> None:
        self.hit()
        lines = [
            f"<region> sample=hit.wav key={n % 128} tune={n % 128} lovel={n // 128 % 126 + 1}"
            for n in range(20_000)
        ]
        start = time.monotonic()
        made = kit_from_sfz(self.put("\n".join(lines)), self.store)
        self.assertLess(time.monotonic() - start, 30.0)  # not for ever; the bench has the figure
        self.assertEqual(len(made.kit.pads), 128)
        with self.assertRaisesRegex(FileError, "more than"):
            read_sfz(self.put("<region>\n" * 200_002))

    def test_junk(self) -> None:
        for data in (b"", b"\0\1\2", b"<region>", b"<>=<", os.urandom(4096), b"<region> sample="):
            self.refused(self.put(data))
        self.assertIn("cannot be read", self.refused(self.folder / "none.sfz"))

    def test_numbers_that_are_none(self) -> None:
        self.hit()
        for value in ("nan", "inf", "1e999", "-5", "x", "", "99999999999999999999"):
            text = " ".join(
                f"{name}={value}"
                for name in ("key", "lovel", "volume", "tune", "offset", "end", "seq_length",
                             "seq_position", "group", "off_by", "polyphony", "lorand", "loop_start",
                             "loop_end", "pitch_keytrack", "amp_velcurve_64", "delay", "transpose")
            )  # fmt: skip
            path = self.put(f"<region> sample=hit.wav loop_mode=loop_sustain {text}\n")
            try:
                kit_from_sfz(path, self.store)
            except PuddleError as error:
                self.assertEqual(len(str(error).splitlines()), 1)

    @given(st.text(alphabet="<>=/*# $\\\n regionsamplekeyvolhit.wav0123456789-", max_size=200))
    @settings(max_examples=150, deadline=None)
    def test_any_text_is_read_or_refused(self, text: str) -> None:
        path = self.put(text)
        try:
            regions_of(read_sfz(path))
        except FileError as error:
            self.assertTrue(str(error).endswith("."))


class CurvesTest(unittest.TestCase):
    def test_by_the_formats_definition(self) -> None:
        gains = read_gains({})
        self.assertAlmostEqual(gains[64], (64 / 127) ** 2)
        self.assertEqual(set(read_gains({"amp_veltrack": "0"}).values()), {1.0})
        half = read_gains({"amp_veltrack": "50"})
        self.assertAlmostEqual(half[64], 1.0 - 0.5 * (1.0 - (64 / 127) ** 2))
        bent = read_gains({"amp_velcurve_64": "0.5"})
        self.assertAlmostEqual(bent[32], 0.25)
        self.assertAlmostEqual(bent[96], 0.5 + 0.5 * 32 / 63)

    def test_amounts_are_found_again(self) -> None:
        for amount in (0.0, 12.5, 50.0, 100.0):
            gains = {v: (v / 127.0) ** (2.0 * amount / 100.0) for v in range(1, 128)}
            found = curve_of(gains, [(1, 127)])
            self.assertAlmostEqual(found.amount, amount, places=2)
            self.assertLess(found.off_db, 1e-3)

    def test_a_curve_that_the_model_has_not_says_how_far_it_is_off(self) -> None:
        gains = {v: 0.5 + 0.5 * (v % 2) for v in range(1, 128)}
        self.assertGreater(curve_of(gains, [(1, 127)]).off_db, 1.0)


if __name__ == "__main__":
    unittest.main()
