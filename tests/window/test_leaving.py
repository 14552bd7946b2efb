"""Work that can be left, and what is left of dialogs, menus and themes."""

import tempfile
import threading
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import numpy as np
import soxr
from PyQt6.QtCore import QEvent, QPoint
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QMenu,
    QMessageBox,
    QProxyStyle,
    QStyle,
    QStyleHintReturn,
    QStyleOption,
    QWidget,
)

from puddle.formats.sound import content_of, decoded_sound
from puddle.formats.store import SampleStore
from puddle.kernels import interpolation
from puddle.kernels.interpolation import resampled
from puddle.kernels.true_peak import true_peak
from puddle.measure import levels
from puddle.measure.levels import loudness_lufs
from puddle.measure.pitch import fundamental
from puddle.measure.report import measured
from puddle.render.steps import converted
from puddle.stages import PROCESSES, chain
from puddle.stages.insert import Insert
from puddle.tasks import Cancelled, cancellable, check_cancelled
from puddle.views.sound import sound_view
from puddle.window import theme
from puddle.window.shell.preferences import Preferences
from puddle.window.shell.shortcuts import Shortcuts
from puddle.window.widgets.questions import confirmed
from tests.support.sounds import RATE, noise, sine, small_kit, wav, write
from tests.support.tasks import direct, request
from tests.support.windows import DemoTest, WindowTest, put

LONG = noise(12.0)


def longest_gap(work: Callable[[], object]) -> float:
    """Seconds of this thread's work between two checkpoints of some work, at most."""
    times = [time.thread_time()]

    def wanted() -> bool:
        times.append(time.thread_time())
        return True

    with cancellable(wanted):
        work()
    return float(np.diff([*times, time.thread_time()]).max())


class Checkpoints(unittest.TestCase):
    """Long work asks now and then whether it is still wanted."""

    def all(self) -> dict[str, Callable[[], object]]:
        sound = decoded_sound(wav(LONG), "a", ".wav")
        return {
            "decoding": lambda: decoded_sound(wav(LONG), "a", ".wav"),
            "hashing": lambda: content_of(sound, "a"),
            "at another rate": lambda: converted(LONG, 44100.0, 48000.0, 1.0),
            "tuned": lambda: resampled(LONG, 1.1, 0.0, 400000),
            "loudness": lambda: loudness_lufs(LONG, RATE),
            "true peak": lambda: true_peak(LONG),
            "pitch": lambda: fundamental(LONG + sine(100.0, 12.0), RATE),
            "all measures": lambda: measured(LONG, RATE),
            **{
                f"stage {kind.noun}": lambda kind=kind: chain.processed(LONG, [kind()], RATE)
                for kind in PROCESSES
            },
        }

    def test_each_is_left_where_it_is_not_wanted(self) -> None:
        for name, work in self.all().items():
            with self.subTest(name), self.assertRaises(Cancelled), cancellable(lambda: False):
                work()

    def test_none_goes_on_for_long(self) -> None:
        for name, work in self.all().items():
            work()  # kernels and tables are there
            with self.subTest(name):
                self.assertLess(longest_gap(work), 0.1)

    def test_nested_ones_all_count(self) -> None:
        with cancellable(lambda: True):
            check_cancelled()
            with cancellable(lambda: False), self.assertRaises(Cancelled):
                check_cancelled()
            check_cancelled()
        check_cancelled()


class InParts(unittest.TestCase):
    """What is done part by part is equal to the bit to what is done at once."""

    def test_reading_between_samples(self) -> None:
        audio = noise(0.5)
        for step, start in ((1.0, -0.3), (1.37, 0.0), (0.6, 11.7), (3.1, -50.5)):
            frames = int(audio.shape[0] / step) + 200
            with mock.patch.object(interpolation, "_PART", 1 << 30):
                whole = resampled(audio, step, start, frames)
            for part in (1, 777, 4096):
                with mock.patch.object(interpolation, "_PART", part):
                    few = resampled(audio, step, start, min(frames, 40 * part))
                np.testing.assert_array_equal(few, whole[: len(few)])

    def test_another_rate(self) -> None:
        for from_hz, to_hz in ((44100.0, 48000.0), (96000.0, 48000.0), (22050.0, 44100.0)):
            whole = soxr.resample(LONG, from_hz, to_hz, "VHQ")
            made = converted(LONG, from_hz, to_hz, 1.0)
            np.testing.assert_array_equal(made, whole[: len(made)])
            self.assertEqual(len(made), len(whole))

    def test_no_more_is_converted_than_is_played(self) -> None:
        long = np.zeros((44100 * 70, 2), np.float32)
        long[:] = noise(1.0)[:44100][np.arange(len(long)) % 44100]
        made = converted(long, 44100.0, 48000.0, 1.0)
        self.assertEqual(len(made), 60 * 48000)
        whole = soxr.resample(long, 44100.0, 48000.0, "VHQ")
        np.testing.assert_array_equal(made, whole[: len(made)])

    def test_stages(self) -> None:
        audio = noise(1.0)
        for kind in PROCESSES:
            with mock.patch.object(chain, "_PART", 1 << 30):
                whole, _ = chain.processed(audio, [Insert(kind(), dry=20.0)], RATE)
            with mock.patch.object(chain, "_PART", 10 * 32):
                parts, _ = chain.processed(audio, [Insert(kind(), dry=20.0)], RATE)
            np.testing.assert_array_equal(parts, whole, kind.noun)

    def test_levels(self) -> None:
        audio = noise(3.0)
        whole = loudness_lufs(audio, RATE)
        with mock.patch.object(levels, "_PART", 1000):
            self.assertEqual(loudness_lufs(audio, RATE), whole)
        for length in (10, 65535, 65536, 65537, 70000):
            tone = sine(0.4 * RATE, 2.0)[:length]
            tone[-1] = 3.0  # a peak at the very end
            self.assertGreaterEqual(true_peak(tone), 3.0)


class Left(unittest.TestCase):
    def test_workers_end_at_the_next_checkpoint(self) -> None:
        workers, started, ended = direct(2), threading.Event(), threading.Event()

        def work() -> None:
            started.set()
            try:
                while True:
                    check_cancelled()
                    time.sleep(0.001)
            finally:
                ended.set()

        request(workers, "a", work, lambda _: self.fail("it was left"))
        self.assertTrue(started.wait(5.0))
        self.assertTrue(workers.close(5.0))
        self.assertTrue(ended.is_set())

    def test_what_has_no_checkpoint_is_not_waited_for(self) -> None:
        workers, gate = direct(1), threading.Event()
        request(workers, "a", lambda: gate.wait(20.0), lambda _: None)
        time.sleep(0.05)
        start = time.monotonic()
        self.assertFalse(workers.close())
        self.assertLess(time.monotonic() - start, 1.0)
        gate.set()


class Closing(WindowTest):
    def test_it_does_not_wait_for_renders_of_minutes(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        path = Path(holder.name) / "long.wav"
        minutes = np.tile(noise(10.0, rate=44100), (18, 1))  # three of them
        write(path, minutes, 44100)
        put(self.session, "x", small_kit())
        self.shell.incoming.drop([path], "pad1", None)
        self.until(lambda: len(self.session.kit.pads[0].sound.layers) == 2, 30.0)
        self.session.history.mark_saved(self.session.kit)
        QApplication.processEvents()
        start = time.thread_time(), time.monotonic()
        self.shell.close()
        self.assertLess(time.thread_time() - start[0], 0.2)
        self.assertLess(time.monotonic() - start[1], 2.0)

    def test_reading_a_recording_is_left_too(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        path = write(Path(holder.name) / "a.wav", noise(0.2))
        reading, add = threading.Event(), SampleStore.add_file

        def slowly(store: SampleStore, name: Path) -> object:
            reading.set()
            for _ in range(4000):
                check_cancelled()
                time.sleep(0.005)
            return add(store, name)

        with mock.patch.object(SampleStore, "add_file", slowly):
            self.shell.incoming.drop([path], "", 0)
            self.until(reading.is_set)
            start = time.monotonic()
            self.shell.close()
            self.assertLess(time.monotonic() - start, 2.0)


class WithPictures(QProxyStyle):
    """Of a desktop that has pictures in the buttons of dialogs."""

    def styleHint(
        self,
        hint: QStyle.StyleHint,
        option: QStyleOption | None = None,
        widget: QWidget | None = None,
        data: QStyleHintReturn | None = None,
    ) -> int:
        if hint == QStyle.StyleHint.SH_DialogButtonBox_ButtonsHaveIcons:
            return 1
        return super().styleHint(hint, option, widget, data)


class Freed(DemoTest):
    """What is opened forty times is there once at most."""

    def settled_count(self) -> int:
        for _ in range(3):
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            QApplication.processEvents()
        return len(QApplication.allWidgets())

    def close_all(self) -> None:
        for widget in QApplication.topLevelWidgets():
            if isinstance(widget, QDialog | QMenu) and widget.isVisible():
                widget.close()

    def test_dialogs(self) -> None:
        for name in ("shortcuts", "preferences", "template", "add_voice", "conflicts", "pitches"):
            self.shell.do(name)
            self.settle()  # rows that are measured come later
            self.close_all()
            before = self.settled_count()
            for _ in range(10):
                self.shell.do(name)
                QApplication.processEvents()
                self.close_all()
            with self.subTest(name):
                self.assertLessEqual(self.settled_count(), before)
        self.until(lambda: self.session.background.tasks.wait(0.0))
        kinds = (Shortcuts, Preferences)
        self.assertEqual([w for w in QApplication.allWidgets() if isinstance(w, kinds)], [])

    def test_buttons_of_dialogs_are_words_without_pictures(self) -> None:
        self.addCleanup(QApplication.setStyle, "fusion")
        QApplication.setStyle(WithPictures("fusion"))
        with mock.patch.object(QMessageBox, "exec", return_value=0):
            confirmed(self.page, "Shall it?", "It shall")
        for name in ("shortcuts", "preferences", "template", "add_voice"):
            self.shell.do(name)
        boxes = self.shell.findChildren(QDialogButtonBox)
        self.assertEqual(len(boxes), 5)
        buttons = [button for box in boxes for button in box.buttons()]
        self.assertEqual([button.text() for button in buttons if not button.icon().isNull()], [])
        self.close_all()

    def test_menus(self) -> None:
        self.shell.do("copy_pad")  # then a pad's menu holds another: what can be taken over
        self.until(lambda: bool(self.shell.parcels.copied_name()))
        before = self.settled_count()
        for _ in range(10):
            self.shell.pad_menu.open_at(0, QPoint(5, 5))
            self.close_all()
            self.shell.do("take_over")
            self.close_all()
        self.assertLessEqual(self.settled_count(), before)

    def test_themes(self) -> None:
        self.shell.do("map")
        self.shell.do("compare")
        self.shell.do("shape")
        self.shell.do("night")
        self.shell.do("day")
        before = self.settled_count()
        for n in range(20):
            self.shell.do("night" if n % 2 == 0 else "day")
            QApplication.processEvents()
        self.assertLessEqual(self.settled_count(), before)

    def test_a_page_out_of_sight_takes_the_theme_when_it_is_shown(self) -> None:
        self.shell.do("map")
        page = self.shell.pages.page("map")
        self.shell.do("shape")
        self.addCleanup(lambda: self.shell.do("day"))
        self.shell.do("night")
        night = theme.colors().panel
        self.assertIn(night, self.page.styleSheet())
        self.assertNotIn(night, page.styleSheet())
        self.shell.do("map")
        self.assertIn(night, page.styleSheet())
        self.assertIn(night, self.shell.pages.page("groove").styleSheet())  # made by night
        self.shell.do("preferences")
        dialog = self.shell.context.of(Preferences)
        self.assertIn(night, dialog.styleSheet())
        box = dialog.findChildren(QComboBox)[0]
        self.assertEqual(box.styleSheet(), "")  # it has its dialog's
        dialog.reject()

    def test_a_view_is_left(self) -> None:
        pad = self.session.kit.pads[0]
        takes = self.session.renders.takes
        with self.assertRaises(Cancelled), cancellable(lambda: False):
            sound_view(takes, pad.sound)
