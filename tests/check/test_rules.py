"""Every rule: a kit with the fault has its finding, and once mended has it no more."""

import unittest

import numpy as np

from puddle.check.checking import Known, check
from puddle.check.finding import Finding
from puddle.check.limits import BY_ID, RULES, Limits
from puddle.check.mends import mended
from puddle.errors import EditError
from puddle.kit import edits
from puddle.kit.model.document import Layer, Sample, Sound
from puddle.kit.model.roles import ROLES
from puddle.kit.model.tonality import Key
from puddle.kit.playing.velocity import hardest
from puddle.measure.levels import loudness_lufs
from puddle.voices import Kick
from tests.support.sampled_kits import SampledKitTest, decaying
from tests.support.sounds import RATE, noise, sine


class RulesTest(SampledKitTest):
    """The kit is made with one fault."""

    def found(self, rule: str, limits: Limits | None = None) -> list[Finding]:
        return [f for f in check(self.kit, self.takes, self.store, limits) if f.rule == rule]

    def one(self, rule: str) -> Finding:
        found = self.found(rule)
        self.assertEqual(len(found), 1, [f.message for f in found])
        self.assertIn(found[0].level, (BY_ID[rule].level, "error", "note"))
        return found[0]

    def mend(self, finding: Finding) -> None:
        pad = self.kit.pad(finding.pad)
        length = 0.0
        if pad is not None:
            audio = self.takes.sound(hardest(pad.sound)).audio
            length = 1000.0 * audio.shape[0] / RATE
        before = self.kit
        self.kit = mended(self.kit, finding, Limits(), length)
        self.assertIsNot(self.kit, before)

    def mends(self, rule: str) -> Finding:
        finding = self.one(rule)
        self.assertTrue(finding.mend)
        self.mend(finding)
        self.assertEqual(self.found(rule), [])
        return finding

    def test_a_kit_without_faults_has_no_findings(self) -> None:
        quiet = decaying(180.0)
        loud = loudness_lufs(quiet, RATE)
        assert loud is not None
        lift = ROLES["percussion"].loudness_lufs - loud
        self.pad(self.layer(quiet), level_db=lift)
        self.assertEqual(check(self.kit, self.takes, self.store), [])

    def test_over_the_ceiling(self) -> None:
        self.pad(self.layer(decaying(300.0, level=0.97)))
        near = self.one("clips")
        self.assertEqual(near.level, "warning")
        self.kit = edits.set_pad(self.kit, near.pad, level_db=3.0)
        self.assertEqual(self.one("clips").level, "error")
        self.mends("clips")

    def test_silent(self) -> None:
        self.pad(self.layer(decaying(300.0, level=1e-5)))
        self.assertEqual(self.one("silent").level, "error")

    def test_late(self) -> None:
        gap = np.zeros((480, 2), np.float32)
        self.pad(self.layer(np.concatenate([gap, decaying(300.0)])))
        self.assertAlmostEqual(self.mends("late").figure, 10.0, delta=0.3)

    def test_what_swells_is_not_late(self) -> None:
        rising = decaying(300.0)[::-1].copy()
        self.pad(self.layer(rising))
        self.assertEqual(self.found("late"), [])

    def test_a_jump_at_the_start_of_what_swells(self) -> None:
        swell = sine(50.0, 0.5, 0.5) * np.linspace(0.1, 1.0, RATE // 2)[:, None]
        shifted = np.roll(swell, -100, axis=0) * np.linspace(1.0, 1e-4, RATE // 2)[:, None]
        self.pad(self.layer(shifted.astype(np.float32)))
        self.mends("start-click")

    def test_cut_off_by_its_region_or_by_its_recording(self) -> None:
        whole = decaying(180.0)
        pad = self.pad(self.layer(whole))
        self.kit = edits.set_source(self.kit, pad.id, "layer1", end_ms=120.0)
        self.assertEqual(self.one("cut-off").mend, "Extend")
        self.mends("cut-off")
        other = self.pad(self.layer(whole[:6000]), name="Short")
        finding = self.one("cut-off")
        self.assertEqual((finding.pad, finding.mend), (other.id, "Fade out"))
        self.mends("cut-off")

    def test_silence_at_the_end(self) -> None:
        self.pad(self.layer(np.concatenate([decaying(300.0), noise(1.0, level=2e-6)])))
        self.assertGreater(self.one("end-silence").figure, 900.0)

    def test_off_zero(self) -> None:
        self.pad(self.layer(decaying(300.0) + np.float32(0.05)))
        self.mends("dc")

    def test_off_pitch(self) -> None:
        self.kit = edits.set_kit(self.kit, key=Key(root="D", scale="minor"))
        a2 = 110.0 * 2.0 ** (0.4 / 12.0)
        self.pad(self.layer(decaying(a2, 1.0)), role="bass")
        finding = self.mends("off-key")
        self.assertAlmostEqual(finding.figure, 40.0, delta=2.0)

    def test_layers_that_cancel(self) -> None:
        hit = decaying(60.0)
        self.pad(self.layer(hit, name="Low"), self.layer(-0.8 * hit, "layer2", name="Upside"))
        finding = self.one("cancelling")
        self.assertIn("Low and Upside", finding.message)

    def test_a_bottom_that_mono_loses(self) -> None:
        hit = decaying(60.0)
        hit[:, 1] *= -0.3
        self.pad(self.layer(hit))
        self.mends("mono-low")

    def rungs(self, *levels: float) -> None:
        """Recordings of several strengths, each with an equal share of the velocities."""
        edges = [round(127 * n / len(levels)) for n in range(len(levels) + 1)]
        layers = [
            self.layer(decaying(200.0, level=level), f"layer{n}", softest=a + 1, hardest=b)
            for n, (level, a, b) in enumerate(zip(levels, edges, edges[1:], strict=False))
        ]
        self.pad(*layers, velocity_amount=0.0)

    def test_a_harder_strike_that_is_softer(self) -> None:
        self.rungs(0.4, 0.2, 0.5)
        self.assertAlmostEqual(self.one("strength-order").figure, 6.02, delta=0.1)
        self.mends("strength-order")

    def test_a_strength_that_jumps(self) -> None:
        self.rungs(0.1, 0.5)
        self.assertAlmostEqual(self.mends("strength-jump").figure, 13.98, delta=0.1)

    def test_velocities_that_play_nothing_or_twice(self) -> None:
        hit = decaying(200.0)
        soft = self.layer(hit, "layer1", softest=1, hardest=50)
        hard = self.layer(0.9 * hit, "layer2", softest=61, hardest=127)
        pad = self.pad(soft, hard)
        self.assertEqual(self.mends("velocity-gap").velocities, (51, 60))
        self.kit = edits.set_layer(self.kit, pad.id, "layer1", hardest=80)
        self.mends("velocity-overlap")

    def test_turns_alike_and_apart(self) -> None:
        hit = decaying(200.0)
        pad = self.pad(self.layer(hit, turn=1), self.layer(hit, "layer2", turn=2))
        self.one("turns-alike")
        louder = self.layer(0.4 * hit, "layer2", turn=2)
        self.kit = edits.with_layers(self.kit, pad.id, (pad.sound.layers[0], louder))
        self.assertAlmostEqual(self.one("turns-apart").figure, 7.96, delta=0.1)

    def test_samples_missing_unused_and_too_hot(self) -> None:
        missing = Sample(content="0" * 64)
        content = self.kit.contents
        self.pad(self.layer(decaying(200.0)))
        known = self.kit.contents[0]
        lost = type(known)(
            hash="0" * 64, name="lost.wav", suffix=".wav", rate_hz=48000.0, channels=1, frames=10
        )
        self.kit = edits.add_content(self.kit, lost)
        self.pad(Layer(id="layer1", name="Gone", source=missing), name="Gone")
        self.assertEqual(self.one("missing-sample").where, "lost.wav")
        self.assertEqual(content, ())
        self.sample(noise(0.1), "spare.wav")
        self.assertEqual(self.mends("unused-sample").where, "spare.wav")
        hot = np.clip(4.0 * decaying(200.0), -1.0, 1.0)
        self.pad(self.layer(hot), name="Hot")
        self.assertGreater(self.one("clipped-sample").figure, 10)

    def test_a_loop_that_clicks(self) -> None:
        tone = sine(100.0, 1.0, 0.3)
        loop = self.sample(
            tone, loop=True, loop_start_ms=200.0, loop_end_ms=405.0, loop_fade_ms=0.0,
            loop_for_ms=2000.0, fade_out_ms=200.0,
        )  # fmt: skip
        self.pad(Layer(id="layer1", name="Round", source=loop), trigger="gate")
        self.mends("loop-click")

    def test_a_loop_of_whole_waves_does_not_click(self) -> None:
        loop = self.sample(
            sine(100.0, 1.0, 0.3), loop=True, loop_start_ms=200.0, loop_end_ms=400.0,
            loop_fade_ms=0.0, loop_for_ms=2000.0,
        )  # fmt: skip
        self.pad(Layer(id="layer1", name="Round", source=loop), trigger="gate")
        self.assertEqual(self.found("loop-click"), [])

    def test_loudness_of_the_role(self) -> None:
        self.pad(self.layer(decaying(200.0, level=0.02)))
        self.assertLess(self.mends("loudness").figure, -8.0)

    def test_names_and_notes(self) -> None:
        self.pad(self.layer(decaying(200.0)), name="Thud")
        self.pad(self.layer(decaying(210.0)), name="THUD")
        self.mends("name")
        self.pad(self.layer(decaying(220.0)), name="a/b:c")
        self.mends("name")
        last = self.kit.pads[-1]
        self.kit = edits.set_pad(self.kit, last.id, notes=())
        self.mends("no-note")
        self.kit = edits.set_pad(self.kit, last.id, notes=self.kit.pads[0].notes)
        self.mends("note-twice")
        self.kit = edits.set_pad(self.kit, last.id, tracking=100.0, notes=(90, 91, 95))
        self.mends("key-gap")
        self.assertEqual(self.kit.pads[-1].notes, (90, 91, 92, 93, 94, 95))

    def test_names_of_the_kit_of_buses_and_patterns(self) -> None:
        self.kit = edits.set_kit(self.kit, name="a/b")
        self.mends("name")
        self.assertEqual(self.kit.name, "a-b")
        self.kit, bus = edits.add_bus(self.kit, "LPT1")
        finding = self.one("name")
        self.assertEqual((finding.page, finding.mend), ("mix", ""))
        self.kit = edits.set_bus(self.kit, bus.id, name="")
        self.assertIn("no name", self.one("name").message)

    def test_what_is_silenced_by_a_switch(self) -> None:
        self.pad(self.layer(decaying(200.0)), mute=True)
        self.mends("unheard")

    def test_who_made_it_and_how_it_may_be_used(self) -> None:
        self.kit = edits.set_kit(self.kit, author="", license=" ")
        rules = {f.rule for f in check(self.kit, self.takes, self.store)}
        self.assertEqual(rules, {"author", "license"})
        with self.assertRaises(EditError):
            mended(self.kit, self.one("author"), Limits())

    def test_thresholds_can_be_set_and_rules_switched_off(self) -> None:
        self.pad(self.layer(decaying(200.0, level=0.7)))
        self.assertEqual(self.found("clips"), [])
        self.assertEqual(len(self.found("clips", Limits({"clips": -6.0}))), 1)
        off = Limits({"clips": -6.0}, frozenset({"clips"}))
        self.assertEqual(self.found("clips", off), [])
        self.assertEqual(Limits({"clips": 99.0}).of("clips"), BY_ID["clips"].high)

    def test_what_is_known_is_not_listened_to_again(self) -> None:
        pad = self.pad(self.layer(decaying(200.0, level=0.97)))
        known = Known()
        first = check(self.kit, self.takes, self.store, known=known)
        asked: list[Sound] = []
        sound = self.takes.sound
        self.takes.sound = lambda one: (asked.append(one), sound(one))[1]  # type: ignore[method-assign, func-returns-value]
        self.assertEqual(check(self.kit, self.takes, self.store, known=known), first)
        self.assertEqual(asked, [])
        self.kit = edits.set_pad(self.kit, pad.id, level_db=2.0)
        again = check(self.kit, self.takes, self.store, known=known)
        self.assertTrue(asked)
        self.assertNotEqual(again, first)

    def test_a_check_can_be_left_and_tells_how_far_it_is(self) -> None:
        from puddle.tasks import Cancelled, cancellable

        for n in range(4):
            self.pad(self.layer(decaying(200.0 + n)), name=f"Thud {n}")
        shares: list[float] = []
        check(self.kit, self.takes, self.store, progress=shares.append)
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(shares[-1], 1.0)
        with self.assertRaises(Cancelled), cancellable(lambda: False):
            check(self.kit, self.takes, self.store)

    def test_errors_come_first_and_each_rule_has_a_sentence(self) -> None:
        self.kit = edits.set_kit(self.kit, author="")
        self.pad(self.layer(decaying(300.0, level=1e-5)))
        levels = [f.level for f in check(self.kit, self.takes, self.store)]
        self.assertEqual(levels, sorted(levels, key=("error", "warning", "note").index))
        for rule in RULES:
            self.assertTrue(rule.says.endswith("."), rule.id)
            if rule.unit:
                self.assertTrue(rule.low <= rule.limit <= rule.high, rule.id)

    def test_voices_are_checked_as_recordings_are(self) -> None:
        kick = Layer(id="layer1", name="Kick", source=Kick(decay_ms=300.0))
        self.pad(kick, role="kick", level_db=12.0)
        self.assertEqual(self.one("clips").level, "error")


if __name__ == "__main__":
    unittest.main()
