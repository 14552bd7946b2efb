"""What goes by the kit's tempo: delays that are counted in steps."""

import unittest

from puddle.kit import edits
from puddle.kit.edits import rows
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Kit, Master, Pad, Stage
from puddle.kit.playing.tempo import Pacer, paced
from puddle.parameter import changed
from puddle.stages import Branch, Delay


class Pace(unittest.TestCase):
    """A delay that is counted in steps."""

    def test_three_steps_are_three_sixteenths_at_the_kits_tempo(self) -> None:
        delay = Stage(id="d", process=Delay(counted="in steps", steps=3))
        kit = Kit(name="", tempo_bpm=125.0, master=Master(stages=(delay,)))
        self.assertAlmostEqual(paced(kit).master.stages[0].process.time_ms, 3 * 60000 / 125 / 4)
        inside = Stage(id="b", process=Branch(stages=(delay,)))
        kit = changed(kit, master=Master(stages=(inside,)))
        found = paced(kit).master.stages[0].process.stages[0].process
        self.assertEqual((found.counted, found.time_ms), ("in ms", 360.0))

    def test_what_goes_by_no_tempo_stays_the_very_same(self) -> None:
        pads = tuple(Pad(id=f"pad{n}", name="", place=n) for n in range(3))
        plain = Kit(name="", pads=pads)
        self.assertIs(paced(plain), plain)
        delay = Stage(id="d", process=Delay(counted="in steps"))
        kit = rows.with_stages(plain, RowPath(pad="pad1"), (delay,))
        pacer = Pacer()
        first = pacer.paced(kit)
        self.assertIs(first.pads[0], kit.pads[0])
        again = pacer.paced(edits.set_pad(kit, "pad0", level_db=-3.0))
        self.assertIs(again.pads[1], first.pads[1])
        faster = pacer.paced(edits.set_kit(kit, tempo_bpm=60.0))
        self.assertAlmostEqual(faster.pads[1].sound.stages[0].process.time_ms, 750.0)


if __name__ == "__main__":
    unittest.main()
