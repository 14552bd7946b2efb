"""The picture of streams shows what a new one would, whatever it keeps of what it drew before."""

from __future__ import annotations

import unittest

import numpy as np
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication

from puddle.kit import edits
from puddle.kit.model.document import Bus, Kit, Layer, Pad, SendTo, Sound
from puddle.views.streams import MASTER, Stream, laid_out, pad_place
from puddle.voices import Hat, Kick
from puddle.window import theme
from puddle.window.app import make_app
from puddle.window.pages.mix.streams_picture import StreamsPicture


def kit() -> Kit:
    """Two pads, a bus and a room that one is sent to."""
    pads = (
        Pad(
            id="pad1",
            place=0,
            name="Keel",
            bus="skins",
            sound=Sound(layers=(Layer(id="one", name="one", source=Kick()),)),
        ),
        Pad(
            id="pad2",
            name="Drizzle",
            place=1,
            sends=(SendTo(bus="shed"),),
            sound=Sound(layers=(Layer(id="one", name="one", source=Hat()),)),
        ),
    )
    buses = (Bus(id="skins", name="Skins"), Bus(id="shed", name="Boat shed"))
    return Kit(name="streams", pads=pads, buses=buses)


class StreamsPictureTest(unittest.TestCase):
    """Steps of a walk, each seen by the one that walks and by a new one."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.app = make_app()
        theme.apply(cls.app, "day")

    def setUp(self) -> None:
        self.addCleanup(theme.apply, self.app, "day")
        self.kit, self.size = kit(), QSize(420, 260)
        self.chosen, self.loud, self.down = MASTER, 0.0, 0.0
        self.rng = np.random.default_rng(12)
        self.given: dict[StreamsPicture, list[Stream]] = {}
        self.walking = StreamsPicture()
        self.addCleanup(self.walking.deleteLater)

    def shown(self, picture: StreamsPicture, *, anew: bool) -> QImage:
        """All that is to be seen by now."""
        places, streams = laid_out(self.kit, self.kit.pads)
        if anew:
            picture.resize(self.size)
            picture.show_kit(places, streams)
            self.given[picture] = streams
        picture.select(self.chosen)
        levels = dict.fromkeys(self.given[picture], self.loud)
        told = {place.id: f"{self.loud:.1f} dBFS" for place in places if place.column}
        picture.show_levels(levels, told, {"skins": self.down})
        # Hidden, it would be laid out anew for each picture that is taken of it.
        picture.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # only one of two could have it
        picture.show()
        QApplication.processEvents()
        return picture.grab().toImage()

    def same(self, step: str, *, anew: bool = False) -> None:
        fresh = StreamsPicture()
        self.addCleanup(fresh.deleteLater)
        seen, wanted = self.shown(self.walking, anew=anew), self.shown(fresh, anew=True)
        self.assertEqual(seen, wanted, step)

    def test_after_each_step(self) -> None:
        self.same("first", anew=True)
        for self.loud in (0.01, 0.4, 0.4, 0.02, 1.0):
            self.same(f"level {self.loud}")
        self.chosen = pad_place("pad2")
        self.same("a pad is selected")
        self.down = 7.0
        self.same("a bus turns down")
        theme.apply(self.app, "night")
        self.same("night")
        self.chosen = "skins"
        self.same("a bus is selected by night")
        theme.apply(self.app, "day")
        self.same("day again")
        self.kit = edits.set_pad(self.kit, "pad1", name="Hull", mute=True)
        self.same("another name, muted", anew=True)
        self.size = QSize(520, 300)
        self.same("larger", anew=True)

    def test_what_it_keeps_is_seen(self) -> None:
        """Else two blank pictures would be the same."""
        self.shown(self.walking, anew=True)
        quiet = self.walking.grab().toImage()
        self.loud = 1.0
        loud = self.shown(self.walking, anew=False)
        self.assertNotEqual(quiet, loud)
        self.assertGreater(len({loud.pixel(x, 130) for x in range(0, 420, 2)}), 3)
