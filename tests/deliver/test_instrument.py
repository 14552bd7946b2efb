"""SFZ out and in: its opcodes against the published list, its sounds against the kit's own."""

import re
import unittest

import numpy as np
import soundfile

from puddle.deliver.from_sfz import kit_from_sfz
from puddle.deliver.instrument import Instrument, untold
from puddle.deliver.joining import joined
from puddle.deliver.making import Making
from puddle.deliver.options import Options
from puddle.deliver.whole import plan_of
from puddle.deliver.writing import write_plan
from puddle.engine.offline import bounce, strike
from puddle.errors import EditError
from puddle.kit import edits
from puddle.kit.edits.velocities import as_grid
from puddle.kit.model.document import (
    MOST_PADS,
    Kit,
    KitGauge,
    Layer,
    Pad,
    Point,
    Reach,
    Sound,
)
from puddle.kit.playing.tempo import paced
from puddle.kit.playing.velocity import turns_of
from puddle.render.take import Takes
from puddle.voices import Bass, Snare
from tests.support.sampled_kits import SampledKitTest, decaying
from tests.support.sounds import RATE, noise, pattern, sine
from tests.support.stores import new_folder

# The opcodes of SFZ 1 that this program could use, as published with the format.
SFZ_1 = frozenset(
    [
        "sample",
        "lochan",
        "hichan",
        "lokey",
        "hikey",
        "key",
        "lovel",
        "hivel",
        "seq_length",
        "seq_position",
        "trigger",
        "group",
        "off_by",
        "off_mode",
        "lorand",
        "hirand",
        "delay",
        "offset",
        "end",
        "count",
        "loop_mode",
        "loop_start",
        "loop_end",
        "transpose",
        "tune",
        "pitch_keycenter",
        "pitch_keytrack",
        "pitch_veltrack",
        "volume",
        "pan",
        "width",
        "position",
        "amp_keytrack",
        "amp_keycenter",
        "amp_veltrack",
        "amp_random",
        "xfin_lovel",
        "xfin_hivel",
        "xfout_lovel",
        "xfout_hivel",
        "xf_velcurve",
        "ampeg_delay",
        "ampeg_start",
        "ampeg_attack",
        "ampeg_hold",
        "ampeg_decay",
        "ampeg_sustain",
        "ampeg_release",
    ]
)
VELOCITIES = (1.0, 20.0, 42.0, 43.0, 64.0, 99.0, 126.0, 127.0)


def regions_in(text: str) -> list[dict[str, str]]:
    """A plain reader of what is written here: groups, regions, no includes."""
    group: dict[str, str] = {}
    found: list[dict[str, str]] = []
    now = group
    for line in text.splitlines():
        line = line.split("//")[0].strip()
        if line.startswith("<group>"):
            group = now = {}
            continue
        if line.startswith("<region>"):
            now = dict(group)
            found.append(now)
            line = line.removeprefix("<region>").strip()
        for name, value in re.findall(r"(\w+)=(.*?)(?=\s+\w+=|$)", line):
            now[name] = value
    return found


def gain_in(region: dict[str, str], velocity: int) -> float:
    """The level of a velocity by the definition of the format."""
    track = float(region.get("amp_veltrack", "100"))
    own = {int(k[13:]): float(v) for k, v in region.items() if k.startswith("amp_velcurve_")}
    level = 10.0 ** (float(region.get("volume", "0")) / 20.0)
    if track == 0.0:
        return level
    assert track == 100.0
    return level * (own[velocity] if own else (velocity / 127.0) ** 2)


class InstrumentTest(SampledKitTest):
    """A kit that is written, and read again."""

    def setUp(self) -> None:
        super().setUp()
        self.folder = self.enterContext(new_folder())

    def write(self, **options: object) -> str:
        """The kit as an instrument in the folder; its text."""
        chosen = Options(what=("instrument",), **options)  # type: ignore[arg-type]
        making = Making(self.kit, Takes(self.store, float(RATE)), self.store, chosen)
        write_plan(plan_of(making, flat=True), self.folder, "replace")
        return (self.folder / "Made.sfz").read_text()

    def told(self) -> list[str]:
        making = Making(self.kit, self.takes, self.store, Options())
        return untold(making)

    def again(self, **options: object) -> Kit:
        self.write(**options)
        return paced(kit_from_sfz(self.folder / "Made.sfz", self.store).kit)

    def off_db(self, pad: Pad, other: Pad, note: int, velocity: float, turn: int) -> float:
        one = strike(pad, self.takes, velocity, turn, note)
        two = strike(other, self.takes, velocity, turn, note)
        frames = max(len(one), len(two))
        one, two = (np.pad(a, ((0, frames - len(a)), (0, 0))) for a in (one, two))
        return float(20.0 * np.log10(max(1e-9, np.abs(one - two).max()) / np.abs(one).max()))

    def assert_same(self, imported: Kit, most_db: float = -80.0) -> None:
        """Each key plays the same, over velocities and turns."""
        for pad in paced(self.kit).pads:
            for note in pad.notes:
                (other,) = (one for one in imported.pads if note in one.notes)
                for velocity in VELOCITIES:
                    for turn in range(min(4, turns_of(pad.sound))):
                        off = self.off_db(pad, other, note, velocity, turn)
                        self.assertLess(off, most_db, (pad.name, note, velocity, turn))

    def drum(self, **values: object) -> Pad:
        """Three strengths of recordings, two turns of the hardest."""
        hits = [noise(0.2, seed, 0.1) * np.geomspace(1, 1e-5, 9600)[:, None] for seed in range(4)]
        layers = [
            self.layer(hits[0].astype(np.float32), "layer1", softest=1, hardest=42),
            self.layer(hits[1].astype(np.float32), "layer2", softest=43, hardest=98),
            self.layer(hits[2].astype(np.float32), "layer3", softest=99, turn=1),
            self.layer(hits[3].astype(np.float32), "layer4", softest=99, turn=2),
        ]
        return self.pad(*layers, role="snare", **values)


class WrittenTest(InstrumentTest):
    def test_its_opcodes_are_those_of_the_format(self) -> None:
        self.drum(choke_group=2, limit=3, pan=30.0, level_db=-4.0)
        self.pad(self.layer(sine(100.0, 0.5)), trigger="gate", name="Held")
        for region in regions_in(self.write(later_opcodes=False)):
            known = {n for n in region if not n.startswith("amp_velcurve_")}
            self.assertEqual(known - SFZ_1, set())
            self.assertTrue((self.folder / region["sample"]).is_file())
        more = regions_in(self.write(later_opcodes=True))
        self.assertEqual({n for r in more for n in r} - SFZ_1, {"polyphony"})

    def test_velocities_keys_and_turns_play_what_the_kit_plays(self) -> None:
        """Through nothing but the text and the files."""
        pad = self.drum(level_db=-5.0, velocity_amount=60.0)
        regions = regions_in(self.write(tail_db=-120.0))
        for velocity in (1, 42, 43, 98, 99, 127):
            found = [r for r in regions if int(r["lovel"]) <= velocity <= int(r["hivel"])]
            self.assertEqual(len(found), 2 if velocity >= 99 else 1)
            for turn, region in enumerate(found):
                self.assertEqual(int(region["key"]), pad.notes[0])
                if len(found) == 2:
                    self.assertEqual(region["seq_length"], "2")
                    self.assertEqual(region["seq_position"], str(turn + 1))
                audio, _ = soundfile.read(self.folder / region["sample"], always_2d=True)
                wanted = strike(pad, self.takes, float(velocity), turn)
                made = gain_in(region, velocity) * audio
                frames = min(len(made), len(wanted))
                off = np.abs(made[:frames] - wanted[:frames]).max() / np.abs(wanted).max()
                self.assertLess(20.0 * np.log10(off), -100.0)

    def test_chokes_both_ways(self) -> None:
        self.pad(self.layer(decaying(900.0)), name="Closed", role="hat", chokes=4)
        self.pad(self.layer(decaying(800.0)), name="Open", role="hat", choke_group=4)
        closed, open_ = regions_in(self.write())
        self.assertEqual((closed.get("group"), closed.get("off_by")), ("4", None))
        self.assertEqual((open_["group"], open_["off_by"]), ("4", "4"))

    def test_a_sound_over_full_scale_is_brought_down_and_up_again(self) -> None:
        pad = self.pad(self.layer(decaying(200.0, level=1.9)))
        (region,) = regions_in(self.write())
        audio, _ = soundfile.read(self.folder / region["sample"], always_2d=True)
        self.assertLess(np.abs(audio).max(), 1.0)
        peak = np.abs(strike(pad, self.takes, 127.0)).max()
        self.assertAlmostEqual(gain_in(region, 127) * np.abs(audio).max(), peak, delta=1e-4)

    def test_no_volume_is_over_its_range(self) -> None:
        self.pad(self.layer(decaying(200.0, level=0.1)), level_db=12.0)
        self.pad(self.layer(decaying(300.0, level=0.1)), name="Other", level_db=-3.0)
        loud, soft = regions_in(self.write())
        self.assertAlmostEqual(float(loud["volume"]), 6.0, delta=1e-6)
        self.assertAlmostEqual(float(loud["volume"]) - float(soft["volume"]), 15.0, delta=1e-6)

    def test_a_held_pad_has_its_loop(self) -> None:
        loop = self.sample(
            sine(100.0, 1.0, 0.3), loop=True, loop_start_ms=200.0, loop_end_ms=400.0,
            loop_fade_ms=0.0, loop_for_ms=3000.0,
        )  # fmt: skip
        layer = Layer(id="layer1", name="Round", source=loop)
        self.pad(layer, trigger="gate", sustain=50.0, release_ms=250.0)
        (region,) = regions_in(self.write())
        first, last = int(region["loop_start"]), int(region["loop_end"])
        self.assertEqual(region["loop_mode"], "loop_sustain")
        self.assertEqual(last - first + 1, 9600)
        audio, _ = soundfile.read(self.folder / region["sample"], always_2d=True)
        self.assertEqual(len(audio), last + 1)
        self.assertAlmostEqual(float(region["ampeg_release"]), 0.25)
        self.assertAlmostEqual(float(region["ampeg_sustain"]), 50.0)

    def test_what_it_cannot_say_is_told_before(self) -> None:
        pad = self.drum()
        self.assertEqual(self.told(), [])
        self.kit = edits.set_pad(self.kit, pad.id, notes=())
        self.assertIn("no key plays", self.told()[0])
        files = Instrument(Making(self.kit, self.takes, self.store, Options())).files()
        self.assertEqual(list(files), [])
        self.kit = edits.set_kit(self.kit, gauges=(KitGauge(id="gauge1", name="Wet"),))
        self.assertTrue(any("gauges" in said for said in self.told()))


class AgainTest(InstrumentTest):
    """Written and read again, each key plays within -80 dB of the original."""

    def test_strengths_turns_level_and_pan(self) -> None:
        self.drum(level_db=-3.5, pan=-35.0, velocity_amount=73.0)
        self.assert_same(self.again())

    def test_a_round_robin_by_chance(self) -> None:
        pad = self.drum()
        self.kit = edits.set_sound(self.kit, pad.id, round_robin="by chance")
        made = self.again()
        self.assertEqual(made.pads[0].sound.round_robin, "by chance")
        self.assert_same(made)

    def test_velocity_that_reaches_gauges_and_turns_that_vary(self) -> None:
        layer = Layer(
            id="layer1", name="Snare", source=Snare(), variation=40.0,
            reaches=(Reach(field="decay_ms", amount=50.0),),
        )  # fmt: skip
        pad = self.pad(layer, role="snare")
        self.kit = edits.set_sound(self.kit, pad.id, steps=4, turns=3, darker=40.0)
        self.assert_same(self.again())

    def test_blended_edges(self) -> None:
        soft = self.layer(decaying(200.0), "layer1", softest=1, hardest=64, blend_out=20)
        hard = self.layer(decaying(260.0), "layer2", softest=65, blend_in=20)
        self.pad(soft, hard)
        self.assert_same(self.again())

    def test_recordings_with_levels_of_their_own(self) -> None:
        pad = self.drum()
        ids = [layer.id for layer in pad.sound.layers]
        groups = [[ids[0]], [ids[1]], ids[2:]]
        self.kit = as_grid(self.kit, pad.id, groups, [-30.0, -22.0, -12.0])
        self.assertTrue(self.kit.pads[0].sound.layers[0].own_level)
        self.assert_same(self.again())

    def test_a_response_curve(self) -> None:
        pad = self.drum(velocity_amount=80.0)
        bends = (Point(struck=40.0, plays=70.0), Point(struck=90.0, plays=100.0))
        self.kit = edits.set_pad(self.kit, pad.id, response=bends)
        self.assert_same(self.again())

    def test_always_full(self) -> None:
        self.pad(self.layer(decaying(200.0)), velocity_amount=0.0)
        made = self.again()
        self.assertEqual(made.pads[0].velocity_amount, 0.0)
        self.assert_same(made)

    def test_a_pad_that_follows_keys(self) -> None:
        layer = Layer(id="layer1", name="Bass", source=Bass(decay_ms=300.0))
        self.pad(
            layer, name="Bass", role="bass", tracking=100.0, root=36, tune_ct=12.0,
            notes=(30, 31, 32, 33, 36, 37, 40, 41),
        )  # fmt: skip
        self.assert_same(self.again())

    def test_a_pad_that_follows_keys_by_half(self) -> None:
        self.pad(self.layer(decaying(200.0)), tracking=50.0, root=60, notes=(60, 61, 62, 63))
        self.assert_same(self.again())

    def test_gates_and_their_loops(self) -> None:
        loop = self.sample(
            sine(100.0, 1.0, 0.3), loop=True, loop_start_ms=200.0, loop_end_ms=400.0,
            loop_fade_ms=0.0, loop_for_ms=3000.0, fade_out_ms=100.0,
        )  # fmt: skip
        layer = Layer(id="layer1", name="Round", source=loop)
        pad = self.pad(
            layer, trigger="gate", attack_ms=20.0, decay_ms=500.0, sustain=40.0, release_ms=90.0
        )
        (other,) = self.again().pads
        self.assertEqual(other.trigger, "gate")
        for name in ("attack_ms", "decay_ms", "sustain", "release_ms"):
            self.assertAlmostEqual(getattr(other, name), getattr(pad, name), msg=name)
        one, two = (strike(p, self.takes, 127.0)[: 2 * RATE] for p in (pad, other))
        off = np.abs(one - two).max() / np.abs(one).max()
        self.assertLess(20.0 * np.log10(off), -80.0)

    def test_chokes_and_voice_limits_play_alike(self) -> None:
        self.pad(self.layer(decaying(900.0, 1.0)), name="Closed", role="hat", chokes=9)
        self.pad(self.layer(decaying(700.0, 1.0)), name="Open", role="hat", choke_group=9)
        self.pad(self.layer(decaying(300.0, 1.0)), name="Mono", limit=1)
        made = self.again()
        notes = {pad.id: pad.notes[0] for pad in self.kit.pads}
        same = {n: next(p.id for p in made.pads if n in p.notes) for n in notes.values()}
        lanes = [("pad1", (2, 6)), ("pad2", (0, 1, 4, 5)), ("pad3", (0, 1, 2, 3))]
        one = bounce(self.kit, pattern(*lanes), 1, self.takes).master
        moved = [(same[notes[pad]], steps) for pad, steps in lanes]
        two = bounce(made, pattern(*moved), 1, self.takes).master
        frames = min(len(one), len(two))
        off = np.abs(one[:frames] - two[:frames]).max() / np.abs(one).max()
        self.assertLess(20.0 * np.log10(off), -80.0)

    def test_through_live_stages_and_the_mix(self) -> None:
        from puddle.stages import Gain, Stage

        pad = self.drum(level_db=-6.0, pan=20.0)
        self.kit = edits.set_pad(
            self.kit, pad.id, stages=(Stage(id="stage1", process=Gain(level_db=-2.0)),)
        )
        wanted = strike(pad, self.takes, 64.0) * 10.0 ** (-2.0 / 20.0)
        (other,) = self.again(source="live").pads
        found = strike(other, self.takes, 64.0)
        frames = min(len(found), len(wanted))
        off = np.abs(found[:frames] - wanted[:frames]).max() / np.abs(wanted).max()
        self.assertLess(20.0 * np.log10(off), -80.0)

    def test_names_and_roles_are_guessed_from_the_files(self) -> None:
        self.drum(notes=(38,))
        self.kit = edits.set_pad(self.kit, "pad1", name="Snare one")
        (pad,) = self.again().pads
        self.assertEqual((pad.name, pad.role, pad.notes), ("Snare one", "snare", (38,)))


class JoinedTest(InstrumentTest):
    def test_pads_go_to_free_places_and_chokes_stay_apart(self) -> None:
        self.pad(self.layer(decaying(200.0)), choke_group=1, name="Here")
        other = Kit(name="Other")
        for name in ("A", "B"):
            other, pad = edits.add_pad(other, name, "hat", Sound())
            other = edits.set_pad(other, pad.id, choke_group=1, notes=(50,))
        kit, made = joined(self.kit, other)
        self.assertEqual([p.name for p in kit.pads], ["Here", "A", "B"])
        self.assertEqual([edits.pad_of(kit, key).choke_group for key in made], [2, 2])
        self.assertEqual(len({p.place for p in kit.pads}), 3)
        full = Kit(name="Full")
        for _ in range(MOST_PADS):
            full, _ = edits.add_pad(full, "x", "hat", Sound())
        with self.assertRaises(EditError):
            joined(full, other)


if __name__ == "__main__":
    unittest.main()
