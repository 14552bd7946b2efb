"""A short random walk over everything, and a few kills: the tools run for longer."""

import tempfile
import unittest
from pathlib import Path

from tests.support.windows import WindowTest
from tools.kills import run
from tools.walk import Walk
from tools.walk_report import Report


class AWalk(WindowTest):
    """See `tools.walk`; a fixed seed."""

    def test_no_traceback_no_warning_and_the_window_is_never_held(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.demo()
        self.session.player.open()
        self.until(lambda: self.session.player.engine is not None)
        report = Walk(self.shell, Path(holder.name), seed=14).run(12.0, least=200)
        told = "\n".join(report.lines())
        self.assertEqual(report.tracebacks, [], told)
        self.assertEqual(report.warnings, [], told)
        # Of the window's own thread, at the machine's usual speed: see `Report.turns`.
        self.assertLess(report.worst[0][0], 0.2, told)
        self.assertGreater(sum(report.actions.values()), 150, told)
        self.assertGreater(len(report.actions), 10, told)


class OfTheReport(unittest.TestCase):
    def test_growth_is_the_difference_of_medians_after_some_time(self) -> None:
        report = Report()
        report.memory = [(float(at), 100.0 + (200.0 if at > 300 else at)) for at in range(600)]
        self.assertEqual(report.growth_mib(), 0.0)
        report.memory = [(float(at), 0.1 * at) for at in range(0, 900, 10)]
        self.assertAlmostEqual(report.growth_mib(), 30.0, delta=1.0)


class Killed(unittest.TestCase):
    """See `tools.kills`: while it saves, opens, exports and renders."""

    def test_nothing_is_lost(self) -> None:
        outcome = run(3, first_seed=1)
        self.assertEqual(outcome.faults, [])
        self.assertEqual(outcome.kills, 3)
        self.assertGreater(outcome.saves, 0)
