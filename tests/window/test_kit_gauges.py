"""Kit gauges in the window: assigned, moved, ranged."""

from unittest.mock import patch

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog, QMenu

from puddle.kit import edits
from puddle.kit.edits import gauges
from puddle.window.pages.shape.layer_header import LayerHeader
from puddle.window.widgets.gauge import Gauge
from tests.support.map_page import MappedTest
from tests.support.windows import LEFT


class KitGauges(MappedTest):
    def assign(self, gauge: Gauge, name: str) -> None:
        """Through the context menu of a gauge."""
        menu = gauge.made_menu()
        inner = next(a.menu() for a in menu.actions() if a.text() == "Kit gauge")
        assert isinstance(inner, QMenu)
        self.menu = menu  # it is kept while its actions are used
        next(a for a in inner.actions() if a.text() == name).trigger()

    def test_assigned_from_any_gauges_menu_and_moved_on_the_shore(self) -> None:
        self.session.selection.select_pad("pad1")
        self.session.selection.select_layer("layer1")
        gauge = self.page.properties.fields.gauge("start_hz")  # type: ignore[union-attr]
        with patch.object(QInputDialog, "getText", return_value=("Bite", True)):
            self.assign(gauge, "A new kit gauge …")
        made = self.session.kit.gauges[-1]
        self.assertEqual((made.name, made.on_shore, len(made.targets)), ("Bite", True, 1))
        before = self.layer("layer1").source.start_hz  # type: ignore[union-attr]
        shown = self.shell.shore.gauges.gauges[made.id]
        shown.setFocus()
        QTest.keyClick(shown, Qt.Key.Key_PageUp)
        self.assertGreater(self.layer("layer1").source.start_hz, before)  # type: ignore[union-attr]
        self.assertEqual(self.session.history.undo_name, "Bite 60 %")
        self.until(lambda: self.session.renders.can_play(self.pad("pad1")))
        self.shell.do("undo")
        self.assertEqual(self.layer("layer1").source.start_hz, before)  # type: ignore[union-attr]
        self.assign(gauge, "Bite")  # a second time lets it go
        self.assertEqual(self.session.kit.gauges[-1].targets, ())
        self.settle()

    def test_stages_pads_buses_and_master_can_be_assigned(self) -> None:
        properties = self.page.properties
        self.session.selection.select_pad("pad1")
        self.session.selection.select_layer(None)
        for tab, of, field in (
            ("Pad", "pad", "level_db"),
            ("Bus", "bus", "level_db"),
            ("Master", "master", "level_db"),
        ):
            properties.choose_tab(tab)
            fields = properties.fields
            assert fields is not None
            self.assign(fields.gauge(field), "Weather")
            self.assertEqual(self.session.kit.gauges[0].targets[-1].of, of)
        properties.choose_tab("Stages")
        card = properties.stages.cards[0]
        properties.stages.open(card.stage.id)
        card = properties.stages.cards[0]
        assert card.fields is not None and card.levels is not None
        field = next(iter(card.fields._gauges))
        self.assign(card.fields.gauge(field), "Weather")
        self.assign(card.levels.gauge("dry"), "Weather")
        targets = self.session.kit.gauges[0].targets[-2:]
        self.assertEqual([t.of for t in targets], ["process", "stage"])
        self.settle()

    def test_a_lanes_level_and_the_tempo_too(self) -> None:
        self.session.selection.select_pad("pad1")
        header = self.page.lanes.findChildren(LayerHeader)[0]
        self.assign(header.level, "Weather")
        self.assign(self.shell.shore.transport.tempo, "Weather")
        targets = self.session.kit.gauges[0].targets[-2:]
        self.assertEqual([(t.of, t.field) for t in targets],
                         [("layer", "level_db"), ("kit", "tempo_bpm")])  # fmt: skip
        self.settle()

    def test_ranges_and_curves_on_map(self) -> None:
        self.show("pad1", "Gauges")
        lines = self.map.pad.gauges
        lines.show_kit()
        self.assertEqual(lines.open_id, "gauge1")
        low, high, curve = lines.targets[0]
        low.moved.emit(30.0)
        high.moved.emit(300.0)
        curve.moved.emit(40.0)
        target = self.session.kit.gauges[0].targets[0]
        self.assertEqual((target.low, target.high, target.curve), (30.0, 300.0, 40.0))
        with patch.object(QInputDialog, "getText", return_value=("Tide", True)):
            QTest.mouseClick(lines.new, LEFT)
        self.assertEqual(self.session.kit.gauges[-1].name, "Tide")
        self.assertIn(self.session.kit.gauges[-1].id, self.shell.shore.gauges.gauges)
        lines.rename(self.session.kit.gauges[-1], "Ebb")
        self.assertEqual(self.session.kit.gauges[-1].name, "Ebb")
        lines._remove(self.session.kit.gauges[-1])
        for gauge in self.session.kit.gauges:
            lines._to_shore(gauge, False)
        self.assertFalse(self.shell.shore.gauges.isVisible())
        self.settle()

    def test_one_of_them_steps_through_alternates(self) -> None:
        timber = next(g for g in self.session.kit.gauges if g.name == "Timber")
        names = []
        for value in (0.0, 50.0, 100.0):
            kit = gauges.move_gauge(self.session.kit, timber.id, value)
            names.append(edits.pad_of(kit, "pad2").alternate)
        self.assertEqual(names, [0, 1, 2])
        shown = self.shell.shore.gauges.gauges[timber.id]
        shown.moved.emit(100.0)
        self.assertEqual(self.pad("pad2").alternate, 2)
        self.settle()

    def test_a_kit_without_any_says_what_they_are(self) -> None:
        self.session.file.new()
        self.shell.do("map")
        self.map.pad.choose_tab("Gauges")
        self.assertFalse(self.shell.shore.gauges.isVisible())
        self.assertEqual(self.map.pad.gauges.gauges, {})
        self.assertFalse(self.map.pad.grab().isNull())
