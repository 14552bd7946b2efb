"""Keys: what stages listen to, in sounds and live; and stages that pads run live."""

import unittest

import numpy as np

from puddle.engine.engine import Engine
from puddle.errors import EditError
from puddle.kit import edits
from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Bus, Kit, Layer, Master, Pad, Sample, Sound, Stage
from puddle.parameter import changed
from puddle.render.samples import Decoded
from puddle.render.steps import Measured
from puddle.render.take import Takes
from puddle.stages import (
    BandCompressor,
    Branch,
    Compressor,
    Equalizer,
    Gate,
    Insert,
    Limiter,
    Sub,
    keys_of,
)
from puddle.stages.chain import processed
from tests.support.engines import RATE, kit_of, played, take_of
from tests.support.hits import db

SQUASH = Compressor(threshold_db=-18, ratio=4, knee_db=0, attack_ms=0.05, release_ms=5)


def steady(level: float, frames: int = 9600) -> np.ndarray:
    return np.full((frames, 2), level, np.float32)


def burst(start: int, end: int, frames: int = 9600) -> np.ndarray:
    x = np.zeros((frames, 2), np.float32)
    x[start:end] = 1.0
    return x


def keyed(x: np.ndarray, key: np.ndarray, *chain: Insert) -> np.ndarray:
    return processed(x, chain, RATE, Measured({"k": key}))[0]


class Stages(unittest.TestCase):
    """What a keyed stage makes of steady sounds, against its static curve."""

    def test_a_compressor_follows_its_key(self) -> None:
        """A key at 0 dBFS, 18 dB over at 4:1, turns down by 13.5 dB; no key, by nothing."""
        x = steady(0.05)
        y = keyed(x, burst(2400, 4800), Insert(SQUASH, key="k"))
        self.assertEqual(y[2399, 0], np.float32(0.05))
        self.assertAlmostEqual(db(float(y[4700, 0]) / 0.05), -13.5, delta=0.01)
        self.assertAlmostEqual(db(float(y[9000, 0]) / 0.05), 0.0, delta=0.01)

    def test_a_gate_opens_by_its_key(self) -> None:
        gate = Gate(threshold_db=-12, hold_ms=0, attack_ms=0.02, release_ms=1)
        y = keyed(steady(0.7), burst(2400, 4800), Insert(gate, key="k"))
        self.assertEqual(float(np.abs(y[:2400]).max()), 0.0)
        self.assertAlmostEqual(float(y[4700, 0]), 0.7, delta=1e-5)
        self.assertLess(float(y[9000, 0]), 1e-6)

    def test_a_band_compressor_hears_the_bands_of_its_key(self) -> None:
        """A loud low key turns down the low band of what comes in, and leaves the high one."""
        t = np.arange(48000) / RATE
        process = BandCompressor(
            depth=100, ratio=20, low_above_db=-40, mid_below_db=-72, high_below_db=-72
        )
        key = np.stack([np.sin(2 * np.pi * 50 * t)] * 2, 1).astype(np.float32)
        for hz, lowest, highest in ((50.0, -45.0, -30.0), (8000.0, -0.1, 0.1)):
            x = (0.01 * np.stack([np.sin(2 * np.pi * hz * t)] * 2, 1)).astype(np.float32)
            y = keyed(x, key, Insert(process, key="k"))[24000:48000]
            turned = db(float(np.sqrt(np.mean(y**2))) / (0.01 / np.sqrt(2)))
            self.assertTrue(lowest <= turned <= highest, (hz, turned))

    def test_a_sub_sounds_at_the_hits_of_its_key_and_after_its_own_input(self) -> None:
        sub = Sub(pitch_hz=100, level_db=0, decay_ms=100, attack_ms=0.5)
        y = keyed(steady(0.0, 100), burst(4800, 4900), Insert(sub, key="k"))
        self.assertEqual(float(np.abs(y[:4800]).max()), 0.0)
        self.assertGreater(float(np.abs(y[4800:6000]).max()), 0.8)

    def test_an_unknown_key_is_none(self) -> None:
        x = burst(0, 4800)
        stranger = processed(x, [Insert(SQUASH, key="gone")], RATE, Measured({}))[0]
        np.testing.assert_array_equal(stranger, processed(x, [SQUASH], RATE)[0])

    def test_latency_before_a_keyed_stage_delays_the_key_too(self) -> None:
        """Behind a limiter that does nothing, alone and in a branch in a branch: bit for bit."""
        x, key = steady(0.05), burst(2400, 4800)
        wanted = keyed(x, key, Insert(SQUASH, key="k"))
        late = Insert(Limiter(lookahead_ms=5.0))
        y = keyed(x, key, late, Insert(SQUASH, key="k"))
        np.testing.assert_array_equal(y, wanted)
        squash = Stage(id="s", process=SQUASH, key="k")
        limiter = Stage(id="l", process=Limiter(lookahead_ms=5.0))
        inner = Branch(level_db=0, through_db=-60, stages=(limiter, squash))
        outer = Branch(level_db=0, through_db=-60, stages=(limiter, Stage(id="b", process=inner)))
        y = keyed(x, key, late, Insert(outer))
        np.testing.assert_array_equal(y, wanted)
        # Matched inside a branch, a stage is measured with its key at the same time.
        matched = changed(squash, matched=True)
        one = keyed(x, key, Insert(Branch(level_db=0, through_db=-60, stages=(limiter, matched))))
        two = keyed(x, key, Insert(SQUASH, key="k", matched=True))
        np.testing.assert_allclose(one, two, rtol=1e-6)


class Recorded:
    """Made samples under names of their own."""

    def __init__(self, **audio: np.ndarray) -> None:
        self._audio = {name * 64: made for name, made in audio.items()}

    def decoded(self, content: str) -> Decoded | None:
        return Decoded(self._audio[content], RATE)


class Layers(unittest.TestCase):
    def setUp(self) -> None:
        self.takes = Takes(Recorded(a=steady(0.05), b=burst(2400, 4800)), RATE)
        squash = Stage(id="s", process=SQUASH, key="key")
        bed = Sample(content="a" * 64, fade_out_ms=0.0)
        self.bed = Layer(id="bed", name="", source=bed, stages=(squash,))
        self.key = Layer(id="key", name="", on=False, source=Sample(content="b" * 64))

    def bed_of(self, key: Layer, **values: object) -> np.ndarray:
        bed = changed(self.bed, **values)
        return self.takes.layer(Sound(layers=(bed, key)), bed).audio[:, 0]

    def test_a_layer_is_keyed_by_one_that_is_off(self) -> None:
        x = self.bed_of(self.key)
        self.assertAlmostEqual(db(float(x[4700]) / 0.05), -13.5, delta=0.01)
        self.assertEqual(x[2390], np.float32(0.05))

    def test_the_key_is_heard_as_it_stands_in_the_sum(self) -> None:
        """Its level and both offsets count, its stages do not."""
        plain = self.bed_of(self.key)
        for own, other in ((0.0, 10.0), (-10.0, 0.0), (20.0, 30.0), (10.0, 0.0)):
            shift = round((other - own) * 48)
            x = self.bed_of(changed(self.key, offset_ms=other), offset_ms=own)
            kept = plain[max(0, -shift) : 9000 - max(0, shift)]
            moved = x[max(0, shift) :][: len(kept)]
            np.testing.assert_allclose(moved, kept, atol=1e-6)
        lower = self.bed_of(changed(self.key, level_db=-6.0))
        self.assertAlmostEqual(db(float(lower[4700]) / 0.05), -9.0, delta=0.01)
        quiet = Stage(id="q", process=Gate(threshold_db=0))
        staged = self.bed_of(changed(self.key, stages=(quiet,)))
        np.testing.assert_array_equal(staged, plain)

    def test_only_what_is_listened_to_renders_anew(self) -> None:
        other = Layer(id="other", name="", source=Sample(content="b" * 64))
        sound = Sound(layers=(self.bed, self.key, other))
        first = self.takes.layer(sound, self.bed)
        moved = changed(sound, layers=(self.bed, self.key, changed(other, level_db=-3.0)))
        self.assertIs(self.takes.layer(moved, self.bed), first)
        moved = changed(sound, layers=(self.bed, changed(self.key, level_db=-3.0), other))
        self.assertIsNot(self.takes.layer(moved, self.bed), first)

    def test_the_sum_is_keyed_from_its_first_frame(self) -> None:
        """A layer that begins earlier makes all wait, the key too."""
        bed = changed(self.bed, stages=())
        early = changed(bed, id="early", level_db=-60.0, offset_ms=-50.0)
        sound = Sound(layers=(bed, self.key, early), stages=self.bed.stages)
        y = self.takes.sound(sound).audio[:, 0]
        x = self.takes.sound(changed(sound, stages=())).audio[:, 0]
        self.assertAlmostEqual(db(float(y[2400 + 4700]) / float(x[2400 + 4700])), -13.5, delta=0.01)
        self.assertAlmostEqual(float(y[2400 + 2390]), float(x[2400 + 2390]), delta=1e-6)

    def test_no_layer_is_its_own_key(self) -> None:
        own = changed(self.bed, stages=(Stage(id="s", process=SQUASH, key="bed"),))
        sound = Sound(layers=(own,))
        plain = changed(self.bed, stages=(Stage(id="s", process=SQUASH),))
        np.testing.assert_array_equal(
            self.takes.layer(sound, own).audio, self.takes.layer(sound, plain).audio
        )


def live_kit(*stages: Stage, master: Master | None = None, **pad: object) -> Kit:
    """A pad with live stages, and one beside it."""
    first = {"stages": stages, "velocity_amount": 0.0, **pad}
    return kit_of(first, {"velocity_amount": 0.0}, master=master or Master())


class Live(unittest.TestCase):
    def both(self, kit: Kit, order: tuple[int, ...] = (0, 1)) -> np.ndarray:
        engine = Engine(RATE)
        takes = {"p0": steady(0.05), "p1": burst(2400, 4800)}
        engine.set_kit(kit, takes, None)
        for pad in order:
            engine.strike(pad, 127.0)
        return played(engine, 9600)

    def test_a_pad_keyed_by_another_is_what_a_layer_is(self) -> None:
        """One kernel: live, in either order of the pads and of the strikes, as offline."""
        wanted = keyed(steady(0.05), burst(2400, 4800), Insert(SQUASH, key="k"))
        wanted = wanted + burst(2400, 4800)
        kit = live_kit(Stage(id="s", process=SQUASH, key="p1"))
        np.testing.assert_array_equal(self.both(kit), wanted)
        np.testing.assert_array_equal(self.both(kit, (1, 0)), wanted)
        turned = edits.move_pad(kit, "p1", 0)
        turned = changed(turned, pads=tuple(reversed(turned.pads)))
        np.testing.assert_array_equal(self.both(turned, (1, 0)), wanted)

    def test_two_pads_may_key_each_other(self) -> None:
        kit = live_kit(Stage(id="s", process=SQUASH, key="p1"))
        mutual = changed(kit.pads[1], stages=(Stage(id="s", process=SQUASH, key="p0"),))
        both = self.both(changed(kit, pads=(kit.pads[0], mutual)))
        np.testing.assert_array_equal(both, self.both(kit))  # 0.05 is under the threshold

    def test_a_bus_and_the_master_are_keyed_too(self) -> None:
        squash = Stage(id="s", process=SQUASH, key="p1")
        bus = Bus(id="b", name="b", stages=(squash,))
        kit = live_kit(bus="b")
        kit = changed(kit, buses=(bus,))
        wanted = self.both(live_kit(squash))
        np.testing.assert_array_equal(self.both(kit), wanted)
        mastered = self.both(live_kit(master=Master(stages=(squash,))))
        self.assertAlmostEqual(db(float(mastered[4700, 0]) / 1.05), -13.5, delta=0.01)

    def test_a_bus_is_keyed_by_one_that_it_does_not_flow_into(self) -> None:
        squash = Stage(id="s", process=SQUASH, key="b1")
        first, second = Bus(id="b1", name=""), Bus(id="b2", name="", stages=(squash,))
        kit = kit_of({"bus": "b2"}, {"bus": "b1"}, buses=(first, second))
        ducked = self.both(kit)
        self.assertAlmostEqual(db((float(ducked[4700, 0]) - 1.0) / 0.05), -13.5, delta=0.05)
        turned = self.both(changed(kit, buses=(second, first)))
        np.testing.assert_array_equal(turned, ducked, "whatever their order is")
        path = RowPath(bus="b1")
        self.assertEqual([k for k, _ in rows.keys_at(kit, path)], ["p0", "p1"])
        self.assertEqual([k for k, _ in rows.keys_at(kit, RowPath(bus="b2"))][-1], "b1")

    def test_all_pads_meet_in_time(self) -> None:
        """Late live stages here and there: each click comes at the latency of all."""
        late = Stage(id="l", process=Limiter(lookahead_ms=5.0))
        bus = Bus(id="b", name="b", stages=(late,))
        pads = ({"stages": (late,), "bus": "b"}, {"bus": "b"}, {"stages": (late,)}, {})
        for n in range(4):
            engine = Engine(RATE)
            engine.set_kit(
                kit_of(*pads, buses=(bus,)), {f"p{k}": take_of(0.5, 1) for k in range(4)}, None
            )
            engine.strike(n, 127.0)
            self.assertEqual(
                engine.latency_frames, 2 * Limiter(lookahead_ms=5.0).latency_frames(RATE)
            )
            out = played(engine, 4800)
            self.assertEqual(int(np.abs(out[:, 0]).argmax()), engine.latency_frames, n)

    def test_a_key_is_as_late_as_what_it_turns_down(self) -> None:
        late = Stage(id="l", process=Limiter(lookahead_ms=5.0))
        squash = Stage(id="s", process=SQUASH, key="p1")
        engine = Engine(RATE)
        kit = live_kit(late, squash)
        engine.set_kit(kit, {"p0": steady(0.05), "p1": burst(2400, 4800)}, None)
        engine.strike(0, 127.0)
        engine.strike(1, 127.0)
        out = played(engine, 9600)[engine.latency_frames :]
        wanted = self.both(live_kit(squash))
        np.testing.assert_array_equal(out, wanted[: len(out)])

    def test_a_sleeping_pad_hears_its_key(self) -> None:
        """A sub on a pad that is never struck sounds under the pad that it is keyed by."""
        sub = Stage(id="s", process=Sub(pitch_hz=100, level_db=0), key="p1")
        engine = Engine(RATE)
        engine.set_kit(live_kit(sub), {"p1": burst(0, 100, 200)}, None)
        self.assertEqual(float(np.abs(played(engine, 48000)).max()), 0.0)
        engine.strike(1, 127.0)
        self.assertGreater(float(np.abs(played(engine, 4800)[300:]).max()), 0.8)

    def test_what_rings_rings_on_when_live_stages_come_and_go(self) -> None:
        """No step larger than the sound's own, whatever is put in, keyed and taken out."""
        t = np.arange(96000) / RATE
        tone = (0.3 * np.sin(2 * np.pi * 100 * t)).astype(np.float32)
        takes = {"p0": np.stack([tone, tone], 1)}
        bell = Stage(id="e", process=Equalizer(bell1_db=6, bell1_hz=100))
        squash = Stage(id="s", process=SQUASH, key="p1")
        engine = Engine(RATE)
        heard = []
        engine.set_kit(live_kit(), takes, None)
        engine.strike(0, 127.0)
        for stages in ((), (bell,), (bell, squash), (changed(bell, on=False), squash), ()):
            engine.set_kit(live_kit(*stages), takes, None)
            heard.append(played(engine, 9600))
        steps = np.abs(np.diff(np.concatenate(heard)[:, 0]))
        self.assertLess(float(steps.max()), 2.1 * 0.3 * 2 * np.pi * 100 / RATE)

    def test_reductions_of_a_live_stage_are_told(self) -> None:
        from puddle.engine.names import pad_node

        bell = Stage(id="e", process=Equalizer())  # has none, and changes nothing
        kit = live_kit(bell, Stage(id="s", process=SQUASH, key="p1"))
        for ask_all in (False, True):
            engine = Engine(RATE)
            engine.set_kit(kit, {"p0": steady(0.05), "p1": burst(0, 4800)}, None)
            engine.strike(0, 127.0)
            engine.strike(1, 127.0)
            played(engine, 4000)
            if ask_all:
                told = engine.reductions_db()
                self.assertEqual(list(told), [(pad_node("p0"), "s")])
                down = told[pad_node("p0"), "s"]
            else:
                down = engine.reduction_db(pad_node("p0"), "s")
            self.assertAlmostEqual(down, 13.5, delta=0.01)
            self.assertEqual(engine.reductions_db().get((pad_node("p0"), "s")), 0.0)
            self.assertEqual(engine.reduction_db(pad_node("p1"), "s"), 0.0)


class KeysInTheKit(unittest.TestCase):
    def setUp(self) -> None:
        squash = Stage(id="s", process=SQUASH, key="layer2")
        layers = (
            Layer(id="layer1", name="", source=Sample(content="a" * 64), stages=(squash,)),
            Layer(id="layer2", name="", source=Sample(content="b" * 64)),
        )
        live = (Stage(id="s", process=SQUASH, key="pad2"),)
        pads = (
            Pad(id="pad1", name="Bass", place=0, sound=Sound(layers=layers), stages=live),
            Pad(id="pad2", name="Kick", place=1),
        )
        self.kit = Kit(name="", pads=pads)
        self.live = RowPath(pad="pad1", live=True)

    def test_what_is_gone_is_no_key_any_more(self) -> None:
        kit = edits.remove_layer(self.kit, "pad1", "layer2")
        self.assertEqual(keys_of(kit.pads[0].sound.layers[0].stages), set())
        self.assertEqual(keys_of(kit.pads[0].stages), {"pad2"})
        kit = edits.remove_pad(self.kit, "pad2")
        self.assertEqual(keys_of(kit.pads[0].stages), set())
        self.assertIs(kit.pads[0].sound, self.kit.pads[0].sound)

    def test_copies_listen_to_copies(self) -> None:
        layers = self.kit.pads[0].sound.layers
        kit = edits.copy_layers(self.kit, "pad1", layers)
        copied = kit.pads[0].sound.layers[2:]
        self.assertEqual(keys_of(copied[0].stages), {copied[1].id})
        kit = edits.copy_layers(self.kit, "pad1", layers[:1])
        self.assertEqual(keys_of(kit.pads[0].sound.layers[2].stages), {"layer2"})
        kit = edits.copy_layers(self.kit, "pad2", layers[:1])
        self.assertEqual(keys_of(kit.pads[1].sound.layers[0].stages), set())

    def test_stages_put_elsewhere_keep_only_keys_that_are_heard_there(self) -> None:
        stages = self.kit.pads[0].stages
        inside = (Stage(id="b", process=Branch(stages=stages)),)
        kit = rows.insert_stages(self.kit, RowPath(), inside)
        self.assertEqual(keys_of(kit.master.stages), {"pad2"})
        kit = rows.insert_stages(self.kit, RowPath(pad="pad1", layer="layer1"), inside)
        self.assertEqual(keys_of(kit.pads[0].sound.layers[0].stages), {"layer2"})

    def test_a_live_row_is_edited_as_any_row(self) -> None:
        kit = rows.set_process(self.kit, self.live, "s", ratio=8.0)
        self.assertEqual(rows.stages_at(kit, self.live)[0].process.ratio, 8.0)
        self.assertEqual(kit.pads[0].sound, self.kit.pads[0].sound)
        self.assertEqual([n for _, n in rows.keys_at(kit, self.live)], ["Kick"])
        with self.assertRaises(EditError):
            edits.remove_pad(kit, "pad9")


class ManyPads(unittest.TestCase):
    def test_every_pad_of_a_full_kit_may_have_live_stages(self) -> None:
        """416 pads and more buses than are run: each is heard through its own stages."""
        from puddle.engine.layout import MOST_BUSES, MOST_PADS

        loud = (Stage(id="g", process=Equalizer(), output_db=6.0),)
        pads = tuple({"stages": loud, "bus": f"b{n}"} for n in range(MOST_PADS))
        buses = tuple(Bus(id=f"b{n}", name="") for n in range(MOST_PADS))
        kit = kit_of(*pads, buses=buses)
        engine = Engine(RATE)
        last = 250
        engine.set_kit(kit, {f"p{last}": take_of(0.1, 100)}, None)
        engine.strike(last, 127.0)
        out = played(engine, 640)
        self.assertAlmostEqual(float(out.max()), 0.1 * 10 ** (6 / 20), delta=1e-4)
        self.assertLessEqual(len(engine._graph.order if engine._graph else ()), MOST_BUSES)
