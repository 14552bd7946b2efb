"""Mix as it is heard: levels, spectra, outputs of buses, and what is recorded."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile
from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QApplication, QComboBox

from puddle.engine.devices import SIMULATED
from puddle.engine.names import MASTER as MASTER_NODE
from puddle.engine.names import out_node, pad_node
from puddle.formats.cue_points import read_cues
from puddle.kit import edits
from puddle.kit.edits import routing
from puddle.kit.edits.snapshots import add_file_reference
from puddle.kit.model.document import Kit
from puddle.views.streams import MASTER, out_place, pad_place
from puddle.window.pages.mix.told_levels import ToldLevels
from puddle.window.session.mixing import Looks
from puddle.window.session.output_names import pair_names
from puddle.window.session.output_recorder import OutputRecorder
from puddle.window.shell.preferences import Preferences
from tests.support.mix_page import MixTest
from tests.support.windows import put


class _Events(QObject):
    """What is painted, and what is laid out anew."""

    def __init__(self) -> None:
        super().__init__()
        self.came: list[tuple[QObject, str]] = []

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        kinds = {QEvent.Type.Paint: "paint", QEvent.Type.LayoutRequest: "layout"}
        if watched is not None and event is not None and event.type() in kinds:
            self.came.append((watched, kinds[event.type()]))
        return False


class HeardTest(MixTest):
    """What comes of the engine, and where it leaves."""

    def test_streams_are_as_wide_as_they_are_loud_and_figures_come(self) -> None:
        self.page.choose("skins")
        self.session.grooving.toggle()
        looks: list[object] = []
        self.page._mixing.looked.connect(looks.append)
        self.until(lambda: len(looks) > 20)
        skins = next(s for s in self.page._streams if s.source == "skins" and not s.send)
        self.until(lambda: self.streams._levels.get(skins, 0.0) > 0.05)
        keel = next(s for s in self.page._streams if s.source == pad_place(self.pad("Keel").id))
        self.until(lambda: self.streams._levels.get(keel, 0.0) > 0.05)
        self.until(lambda: "LUFS" in self.page.analyzer.figures["integrated"].text())
        self.assertIsNotNone(looks[-1].other_db)  # type: ignore[attr-defined]
        masters: list[float] = []  # the meter on the shore reads them too
        self.page._mixing.levels_changed.connect(
            lambda: masters.append(self.page._mixing.levels[MASTER_NODE])
        )
        self.until(lambda: len(masters) > 20)
        self.assertGreater(min(masters), 0.1)
        self.session.grooving.toggle()
        self.page.analyzer.figures["integrated"].setText("x")
        self.page._mixing.reset()
        self.until(lambda: self.page.analyzer.figures["integrated"].text() == "–")

    def test_what_moves_is_painted_alone_and_asks_for_no_new_layout(self) -> None:
        """Figures, meter and pads: nothing under them is painted again while the demo plays."""
        self.session.grooving.toggle()
        self.until(lambda: "LUFS" in self.page.analyzer.figures["integrated"].text())
        seen = _Events()
        QApplication.instance().installEventFilter(seen)
        looks: list[object] = []
        self.page._mixing.looked.connect(looks.append)
        self.until(lambda: len(looks) > 20)
        QApplication.instance().removeEventFilter(seen)
        painted = {type(widget).__name__ for widget, kind in seen.came if kind == "paint"}
        self.assertLessEqual({"Meter", "Reading", "SpectrumView", "Streams"}, painted)
        self.assertLessEqual(painted & {"Shore", "MixPage", "Shell", "AnalyzerPanel"}, set())
        self.assertEqual([type(w).__name__ for w, kind in seen.came if kind == "layout"], [])

    def test_a_reference_lies_beside_in_thirds(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        rng = np.random.default_rng(1)
        path = folder / "trusted.wav"
        soundfile.write(path, 0.1 * rng.standard_normal((96_000, 2)), 48000)
        self.session.edit(
            "Beside", lambda kit: add_file_reference(kit, "Trusted", str(path), 0.0, 2000.0)[0]
        )
        analyzer = self.page.analyzer
        analyzer.thirds.click()
        analyzer.tilt.setCurrentIndex(2)
        compared = analyzer.compared
        self.pick(compared.beside, "Trusted")
        self.until(lambda: compared.reference is not None)
        self.session.grooving.toggle()
        self.until(lambda: len(analyzer.spectrum.backdrop.traces) >= 2)
        shown = analyzer.spectrum.backdrop.traces
        self.assertEqual((shown[0].dye, shown[0].filled), ("sun", True))
        self.assertEqual(len(shown[0].hz) % 2, 0)
        self.assertLess(len(shown[0].hz), 70)
        path.unlink()
        self.pick(compared.beside, "Trusted")
        self.until(lambda: compared.beside.currentIndex() == 0)

    def pick(self, box: QComboBox, name: str) -> None:
        at = box.findText(name)
        self.assertGreaterEqual(at, 0)
        box.setCurrentIndex(at)
        box.activated.emit(at)

    def test_any_stream_is_analyzed_beside_any_other(self) -> None:
        """The bus of the bass lies under 300 Hz, that of the hats over it; each is louder there."""
        compared, mixing = self.page.analyzer.compared, self.page._mixing
        looks: list[Looks] = []
        mixing.looked.connect(looks.append)
        self.session.grooving.toggle()
        self.until(lambda: len(looks) > 25)
        mix = looks[-1].loudness.integrated
        self.pick(compared.of, "Low end")
        self.pick(compared.beside, "Metals")
        looks.clear()
        self.until(lambda: len(looks) > 35)
        seen = looks[-1]
        assert seen.other_db is not None and mix is not None
        low, high = seen.hz < 200.0, seen.hz > 4000.0
        self.assertGreater(seen.slow_db[low].max(), seen.other_db[low].max() + 10.0)
        self.assertGreater(seen.other_db[high].max(), seen.slow_db[high].max() + 10.0)
        alone = seen.loudness.integrated
        assert alone is not None
        self.assertLess(alone, mix - 1.0, "the bus alone")
        shown = self.page.analyzer.spectrum.backdrop.traces
        metals = next(p.dye for p in self.page._places.values() if p.name == "Metals")
        self.assertEqual([trace.dye for trace in shown], [metals, "ink"])
        put(self.session, "silent", edits.set_bus(self.session.kit, "low", mute=True))
        self.until(lambda: mixing.levels[mixing._names[0]] < 1e-4)
        mixing.reset()  # else its slow spectrum falls for ten seconds
        self.until(lambda: [t.dye for t in self.page.analyzer.spectrum.backdrop.traces] == [metals])
        keel = self.pad("Keel")
        self.pick(compared.of, "Keel")
        self.until(lambda: mixing._names[0] == pad_node(keel.id))
        self.session.edit("gone", lambda kit: edits.remove_pad(kit, keel.id))
        self.assertEqual(compared.of.currentText(), "the mix")
        self.assertEqual(mixing._names[0], MASTER_NODE)

    def test_nothing_is_looked_for_while_nobody_looks(self) -> None:
        engine = self.session.player.engine
        assert engine is not None
        self.assertEqual(int(engine._record[0]["metered"]), 1)
        self.shell.do("map")
        self.assertEqual(int(engine._record[0]["metered"]), 0)

    def test_a_bus_leaves_on_outputs_of_its_own(self) -> None:
        session, page = self.session, self.page
        bus = session.kit.buses[0]
        page.choose(bus.id)
        fields = page.strip.fields
        assert fields is not None
        box = fields.choice("output")
        box.setCurrentText("3 and 4")
        box.textActivated.emit("3 and 4")
        self.assertEqual(session.kit.buses[0].output, "3 and 4")
        self.until(lambda: session.player.device is not None and session.player.device.channels > 2)
        engine = session.player.engine
        assert engine is not None
        self.until(lambda: out_node(1) in engine._graph.places)  # type: ignore[union-attr]
        out = out_place("3 and 4")
        self.assertIn(out, page._places)
        page.choose(out)  # nothing to be set there
        self.assertEqual(page.streams.selected, bus.id)
        second = session.kit.buses[1]
        page.route(second.id, out, False)
        self.assertEqual(session.kit.buses[1].output, "3 and 4")
        told: list[str] = []
        session.told.connect(told.append)
        page.route(pad_place(session.kit.pads[0].id), out, False)
        self.assertIn("let the pad flow", told[-1])
        page.route(bus.id, MASTER, False)
        self.assertEqual(session.kit.buses[0].output, "flows on")

    def recorder(self) -> OutputRecorder:
        return self.shell.context.of(OutputRecorder, lambda: OutputRecorder(self.session))

    def test_every_bus_is_written_from_the_same_frame_on(self) -> None:
        """Without the master's stages, what flows into it adds up to it, sample by sample."""
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

        def plain(kit: Kit) -> Kit:
            """Every pad on a bus, nothing over full scale, nothing after the buses."""
            kit = edits.set_master(kit, stages=(), level_db=0.0)
            for pad in kit.pads:
                if not pad.bus:
                    kit = routing.flow_into(kit, pad.id, "", kit.buses[0].id)
            for bus in kit.buses:
                kit = edits.set_bus(kit, bus.id, level_db=bus.level_db - 18.0)
            return kit

        self.session.edit("Plain", plain)
        self.settle()
        self.session.grooving.toggle()
        self.until(lambda: self.session.player.beat > 1.0)  # and the levels have arrived
        recorder = self.recorder()
        recorder.record_buses(folder)
        files = {bus.id: folder / f"Rain Gauge {bus.name}.wav" for bus in self.session.kit.buses}
        master = folder / "Rain Gauge Master.wav"
        self.until(lambda: master.exists() and master.stat().st_size > 300_000)
        # A route that changes meanwhile: the bus's file goes on.
        first, second = self.session.kit.buses[0].id, self.session.kit.buses[1].id
        self.session.edit("Route", lambda kit: routing.flow_into(kit, "", second, first))
        size = master.stat().st_size
        self.until(lambda: master.stat().st_size > size + 300_000)
        recorder.stop()
        self.until(lambda: not recorder.recording)
        audio = {key: soundfile.read(path)[0] for key, path in files.items()}
        whole = soundfile.read(master)[0]
        frames = 40_000  # before the route was changed; the levels have arrived
        lengths = {len(one) for one in audio.values()} | {len(whole)}
        self.assertLessEqual(max(lengths) - min(lengths), 9_600)
        part = slice(frames // 2, frames)
        left = whole[part] - sum(one[part] for one in audio.values())
        self.assertGreater(np.abs(whole[part]).max(), 0.01)
        # Each of six files is rounded to 24 bits.
        self.assertLess(np.abs(left).max(), 6 * 2.0**-24)

    def test_preferences_give_listening_and_the_metronome_outputs_of_their_own(self) -> None:
        self.shell.do("preferences")
        dialog = self.shell.context.of(Preferences)
        dialog.device.setCurrentIndex(max(0, dialog.device.findData(SIMULATED)))
        dialog.listening.setCurrentIndex(dialog.listening.findData("3 and 4"))
        dialog.click.setCurrentIndex(dialog.click.findData("5 and 6"))
        dialog.accept()

        def pairs() -> tuple[int, int]:
            record = self.engine._record[0]
            return int(record["monitor_pair"]), int(record["click_pair"])

        self.until(lambda: self.engine.pairs >= 2 and pairs() == (1, 2))
        names = pair_names(self.session.kit, 3, self.session.player.monitoring.apart)
        self.assertEqual(names, ["Master", "Listening", "Metronome"])

    def test_what_is_heard_is_written_without_a_gap(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        path = Path(holder.name) / "out.wav"
        recorder = self.recorder()
        told: list[str] = []
        self.session.told.connect(told.append)
        self.session.grooving.toggle()
        recorder.record(path)
        self.until(lambda: path.exists() and path.stat().st_size > 300_000)
        recorder.stop()
        self.until(lambda: not recorder.recording)
        audio, rate = soundfile.read(path)
        self.assertEqual((rate, audio.shape[1]), (48000, 2))
        self.assertIn("dBFS at", told[-1])
        self.assertGreater(np.abs(audio).max(), 0.05)
        (peak,) = read_cues(path)
        self.assertEqual(peak, int(np.argmax(np.abs(audio).max(axis=1))))
        engine = self.session.player.engine
        assert engine is not None
        ring, _ = engine.heard(0, 90_000)
        tail = np.round(ring[:, 0] * (1 << 23))
        written = np.round(audio[-20_000:-10_000, 0] * (1 << 23))
        # Found again in the ring, sample by sample (24 bits; the last one may round either way).
        starts = np.flatnonzero(np.abs(tail[: len(tail) - 10_000] - written[0]) <= 1)
        self.assertTrue(any(np.abs(tail[s : s + 10_000] - written).max() <= 1 for s in starts))


if __name__ == "__main__":
    unittest.main()


class ToldLevelsTest(unittest.TestCase):
    """Figures that can be read: four times a second, the highest since."""

    def test_the_highest_since_is_told_every_fifth_look(self) -> None:
        levels = ToldLevels()
        self.assertEqual(levels.told({"low": 0.0}), {"low": "silent"})
        for peak in (0.1, 0.5, 0.25, 0.1):
            self.assertEqual(levels.told({"low": peak}), {"low": "silent"})
        self.assertEqual(levels.told({"low": 0.1}), {"low": "\u22126.0 dBFS"})

    def test_a_new_place_is_told_at_once(self) -> None:
        levels = ToldLevels()
        levels.told({"low": 1.0})
        self.assertEqual(levels.told({"low": 1.0, "top": 0.1})["top"], "\u221220.0 dBFS")
