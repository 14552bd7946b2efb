"""Branches: in time, nested, fitted, edited like any row, live and bounced alike."""

import unittest

import numpy as np

from puddle.engine import offline
from puddle.engine.engine import Engine
from puddle.errors import EditError, KitFileError
from puddle.kit.codec.reading import kit_from_json, kit_json
from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Master
from puddle.measure.levels import loudness_lufs
from puddle.parameter import changed
from puddle.render.samples import NoSamples
from puddle.render.steps import MEASURED
from puddle.render.take import Takes
from puddle.stages import (
    Branch,
    Clipper,
    Crusher,
    Equalizer,
    Gain,
    Limiter,
    Saturator,
    Stage,
)
from puddle.stages.chain import processed
from tests.support.engines import played
from tests.support.hits import RATE, db, hit, through
from tests.support.sounds import noise, pattern, small_kit


class Branches(unittest.TestCase):
    def test_the_copy_lies_in_time_under_the_hit(self) -> None:
        """Stages that only delay: the sum is the input, at both levels."""
        x = noise(0.2, level=0.05)
        late = (Stage(id="a", process=Limiter()), Stage(id="b", process=Limiter(lookahead_ms=5)))
        y = through(x, Branch(level_db=-6, through_db=-3, stages=late))
        gain = 10 ** (-6 / 20) + 10 ** (-3 / 20)
        np.testing.assert_allclose(y[: len(x)], gain * x, rtol=1e-4, atol=1e-6)

    def test_it_is_the_sum_of_both_ways(self) -> None:
        x = hit()
        stages = (
            Stage(id="a", process=Crusher(bits=4)),
            Stage(id="b", process=Equalizer(bell1_db=6)),
        )
        wet, _ = processed(x, [s.insert for s in stages], RATE)
        y = through(x, Branch(level_db=-12, stages=stages))
        wanted = x + 10 ** (-12 / 20) * wet[: len(x)]
        np.testing.assert_allclose(y[: len(x)], wanted, atol=1e-6)
        alone = through(x, Branch(level_db=0, through_db=-60, stages=stages))
        np.testing.assert_allclose(alone[: len(x)], wet[: len(x)], atol=1e-6)

    def test_branches_in_branches(self) -> None:
        x = noise(0.1, level=0.1)
        inner = Branch(level_db=0, stages=(Stage(id="a", process=Gain(level_db=6)),))
        outer = Branch(level_db=0, stages=(Stage(id="b", process=inner, on=True),))
        gain = 1.0 + (1.0 + 10 ** (6 / 20))
        np.testing.assert_allclose(through(x, outer)[: len(x)], gain * x, rtol=1e-5, atol=1e-6)
        off = Branch(level_db=0, stages=(Stage(id="b", process=inner, on=False),))
        np.testing.assert_allclose(through(x, off)[: len(x)], 2.0 * x, rtol=1e-6)

    def test_what_is_fitted_in_it_is(self) -> None:
        """A gain to a peak, behind one that would have raised it, and a match of loudness."""
        x = hit(level=0.3)
        stages = (
            Stage(id="a", process=Gain(level_db=9)),
            Stage(id="b", process=Gain(normalize="peak", target_db=-6)),
        )
        y, _ = processed(x, [Branch(level_db=0, through_db=-60, stages=stages)], RATE, MEASURED)
        self.assertAlmostEqual(db(float(np.abs(y).max())), -6.0, delta=1e-3)
        stages = (Stage(id="a", process=Equalizer(high_shelf_db=9), output_db=-4, matched=True),)
        y, _ = processed(x, [Branch(level_db=0, through_db=-60, stages=stages)], RATE, MEASURED)
        before, after = loudness_lufs(x, RATE), loudness_lufs(y, RATE)
        self.assertAlmostEqual(after or 0.0, before or 1.0, delta=0.02)

    def test_no_deeper_than_eight(self) -> None:
        branch = Branch()
        for _ in range(7):
            branch = Branch(stages=(Stage(id="a", process=branch),))
        with self.assertRaises(ValueError):
            Branch(stages=(Stage(id="a", process=branch),))
        row = RowPath(pad="pad1")
        kit, outer = rows.add_stage(small_kit(), row, branch)
        way = RowPath(pad="pad1", branches=(outer.id, *["a"] * 7))
        with self.assertRaises(EditError):
            rows.add_stage(kit, way, Branch())
        text = kit_json(kit).decode()
        self.assertEqual(kit_from_json(text.encode(), "x"), kit)
        deeper = text.replace(
            '"stages": []', '"stages": [{"id": "a", "process": {"type": "branch"}}]'
        )
        with self.assertRaises(KitFileError):
            kit_from_json(deeper.encode(), "x")

    def test_a_branchs_row_is_edited_like_any(self) -> None:
        row = RowPath(pad="pad1")
        kit, outer = rows.add_stage(small_kit(), row, Branch())
        inside = RowPath(pad="pad1", branches=(outer.id,))
        kit, made = rows.add_stage(kit, inside, Saturator())
        kit = rows.set_process(kit, inside, made.id, drive_db=20.0)
        kit, _ = rows.add_stage(kit, inside, Clipper())
        kit = rows.move_stage(kit, inside, made.id, 1)
        kinds = [type(s.process) for s in rows.stages_at(kit, inside)]
        self.assertEqual(kinds, [Clipper, Saturator])
        kit = rows.remove_stage(kit, inside, made.id)
        self.assertEqual(len(rows.stages_at(kit, inside)), 1)
        with self.assertRaises(EditError):
            rows.stages_at(kit, RowPath(pad="pad1", branches=("none",)))

    def test_live_and_bounced_alike_while_its_stages_change(self) -> None:
        """On the master; another stage of equal size is another way, not a ramp between both."""
        first = Branch(level_db=-6, stages=(Stage(id="a", process=Saturator()),))
        other = Branch(level_db=-6, stages=(Stage(id="a", process=Clipper()),))
        self.assertNotEqual(first.way(), other.way())
        kit = changed(small_kit(), master=Master(stages=(Stage(id="m", process=first),)))
        takes = Takes(NoSamples(), RATE)
        audio = {p.id: takes.sound(p.sound).audio for p in kit.pads}
        engine = Engine(RATE)
        engine.set_kit(kit, audio, None)
        engine.strike(0, 127)
        out = played(engine, 9600)
        engine.set_kit(
            changed(kit, master=Master(stages=(Stage(id="m", process=other),))), audio, None
        )
        rest = played(engine, 9600)
        self.assertTrue(np.isfinite(out).all() and np.isfinite(rest).all())
        self.assertGreater(float(np.abs(out).max()), 0.05)
        bounced = offline.bounce(kit, pattern((kit.pads[0].id, (0,))), 1, takes).master
        late = engine.latency_frames
        hit_hard = pattern((kit.pads[0].id, (0,)))
        self.assertEqual(hit_hard.lanes[0].hits[0].velocity, 127)
        np.testing.assert_array_equal(out[late:9000], bounced[: 9000 - late])
