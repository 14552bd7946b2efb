"""What a fresh process with a window measures of itself: `python -m tools.bench_inside RUN WORD…`.

Each run prints its figures on one line; `bench_window` starts them and says what they are.
"""

from __future__ import annotations

import gc
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QEventLoop, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from puddle.home.settings import Settings
from puddle.kit.edits import rows, set_source
from puddle.kit.edits.rows import RowPath
from puddle.kit.model.document import Kit, Stage
from puddle.stages import PROCESSES
from puddle.window.app import make_shell, settle, show_first
from puddle.window.pages.shape.page import ShapePage
from puddle.window.shell.shell import Shell
from puddle.window.widgets.gauge import Gauge

HAND: Any = QTest  # its stubs take static methods for bound ones
CARD = "Simulated sound card"


def start(began: str) -> tuple[float, ...]:
    """Seconds from `began` (seconds since 1970) to a painted window and to the first strike."""
    gc.disable()  # as the command does, there before it loads all this
    shell = make_shell(Settings(device=CARD))
    session, seen = shell.session, list[float]()
    session.background.tasks.hold()
    session.file.open_demo()
    shell.first_painted.connect(lambda: seen.append(time.time() - float(began)))
    show_first(shell)
    _until(lambda: bool(seen), 0.0)
    _until(lambda: "pad1" in session.renders.audio and session.player.engine is not None, 0.0)
    QApplication.processEvents()
    session.playing.strike("pad1", 127)
    while max(session.player.master_peaks()) < 0.01:
        time.sleep(0.001)
    heard = time.time() - float(began)
    _close(shell)
    return seen[0], heard


def window() -> tuple[float, ...]:
    """Shares of a core that the window's thread takes while sixteen pads ring, and idle."""
    shell = _playing_demo(512)
    session = shell.session

    def ring() -> None:
        for pad in session.kit.pads:
            session.playing.strike(pad.id, 90)

    beat = QTimer()
    beat.timeout.connect(ring)
    beat.setInterval(200)

    beat.start()
    _share(1)
    ringing = _share(4)
    beat.stop()
    session.player.silence()
    _share(3)
    idle = _share(4)
    _close(shell)
    return ringing, idle


def pages() -> tuple[float, ...]:
    """Shares of a core of the window's thread on Groove and on Mix while the demo plays."""
    shell = _playing_demo(512)
    shell.do("play")
    shares = []
    for page in ("groove", "mix"):
        shell.do(page)
        _share(2)
        shares.append(_share(6))
    _close(shell)
    return tuple(shares)


def _share(seconds: int) -> float:
    """The share of a core that this thread takes meanwhile."""
    work = time.thread_time()
    loop = QEventLoop()  # to quit the application would close its window
    QTimer.singleShot(seconds * 1000, loop.quit)
    loop.exec()
    return (time.thread_time() - work) / seconds


def held() -> tuple[float, ...]:
    """Longest turns of the event loop while gauges move, in seconds.

    The 99th percentile by the clock, the same of the thread's own work, and the most work.
    """
    shell = make_shell(Settings(device=CARD, block=512))
    session = shell.session
    session.background.tasks.hold()
    session.file.open_demo()
    show_first(shell)
    _until(lambda: session.player.engine is not None)
    settle(shell)
    times, work = list[float](), list[float]()

    def timed(done: Callable[[], None]) -> None:
        began, own = time.perf_counter(), time.thread_time()
        done()
        times.append(time.perf_counter() - began)
        work.append(time.thread_time() - own)

    def move(gauge: Gauge) -> None:
        for n in range(60):
            if n % 12 == 0:
                for pad in session.kit.pads:
                    session.playing.strike(pad.id, 90)
            value = gauge.parameter.at(0.3 + 0.4 * n / 60)
            timed(lambda value=value: gauge.moved.emit(value))  # type: ignore[misc]
            end = time.perf_counter() + 0.016
            while time.perf_counter() < end:
                timed(QApplication.processEvents)
                time.sleep(0.001)
        gauge.settled.emit()

    page = shell.pages.page("shape")
    assert isinstance(page, ShapePage)
    properties = page.properties
    session.selection.select_layer("layer1")
    properties.choose_tab("Source")
    decay = properties.gauge("decay_ms")
    assert decay is not None
    move(decay)
    properties.choose_tab("Stages")
    row = RowPath(pad="pad1", layer="layer1")
    for kind in PROCESSES:
        added = list[Stage]()

        def only_this(kit: Kit, kind: type = kind, added: list[Stage] = added) -> Kit:
            kit, stage = rows.add_stage(rows.with_stages(kit, row, ()), row, kind())
            added.append(stage)
            return kit

        session.edit("A stage", only_this)
        properties.stages.open(added[0].id)
        QApplication.processEvents()
        fields = properties.stages.cards[0].fields
        assert fields is not None
        for gauge in fields.gauges[:1]:
            move(gauge)
    times.sort()
    work.sort()
    _close(shell)
    return times[-len(times) // 100 - 1], work[-len(work) // 100 - 1], work[-1]


def large_kit(path: str, small: str) -> tuple[float, ...]:
    """Seconds until pads and takes of a large kit are there, memory over sound, late blocks.

    A kit of one pad (`small`) was open before: its code is loaded.
    """
    shell = make_shell(Settings(device=CARD))
    session = shell.session
    player, renders = session.player, session.renders
    show_first(shell)
    _until(lambda: player.engine is not None)
    session.file.open_soon(Path(small))
    _until(lambda: bool(renders.audio) and renders.complete)
    end = time.time() + 1.0
    _until(lambda: time.time() > end)
    before, began = _resident(), time.time()
    session.file.open_soon(Path(path))
    _until(lambda: len(session.kit.pads) == 96)
    _until(lambda: "pad1" in renders.audio)
    first = time.time() - began
    device, journal = player.device, session.file.journal
    assert device is not None and journal is not None
    late, struck = device.late_blocks, 0

    def played(done: Callable[[], bool]) -> None:
        nonlocal struck
        while not done():
            struck += 1
            session.playing.strike(f"pad{struck % 96 + 1}", 30 + struck % 97)
            QApplication.processEvents()
            time.sleep(0.02)

    played(lambda: renders.ready(session.kit))
    whole = time.time() - began
    played(lambda: sum(len(found.ready) for found in renders.sets.values()) == 1152)
    every = time.time() - began
    held = {}
    for found in renders.sets.values():
        for take in found.ready.values():
            held[take.ctypes.data] = take.nbytes
    for content in session.kit.contents:
        decoded = journal.store.decoded(content.hash)
        assert decoded is not None
        audio = decoded.audio
        held[audio.ctypes.data] = audio.nbytes
    grown = (_resident() - before) / sum(held.values())
    late = device.late_blocks - late
    _close(shell)
    return first, whole, every, grown, late


def strike() -> tuple[float, ...]:
    """Seconds from a key or a click until the engine has been told: median, 99th percentile."""
    shell = _playing_demo(128)
    engine = shell.session.player.engine
    assert engine is not None
    told, real = list[float](), engine.strike

    def tell(*words: Any, **more: Any) -> bool:
        taken = real(*words, **more)
        told.append(time.perf_counter())
        return taken

    engine.strike = tell  # type: ignore[method-assign]
    times = []
    for n in range(200):
        drop = shell.shore.drops[n % 16]
        began = time.perf_counter()
        if n % 2:
            HAND.mousePress(drop, Qt.MouseButton.LeftButton, pos=drop.center().toPoint())
        else:
            HAND.keyClick(shell, "qwertyuiasdfghjk"[n % 16])
        times.append(told[-1] - began)
        QApplication.processEvents()
        time.sleep(0.004)
        if n % 2:
            HAND.mouseRelease(drop, Qt.MouseButton.LeftButton)
    times.sort()
    _close(shell)
    return times[100], times[-3]


def switch() -> tuple[float, ...]:
    """Seconds from the key until the engine crosses to what was heard before: median, most."""
    shell = _playing_demo(128)
    player = shell.session.player
    shell.do("snapshot")
    shell.session.edit("Pitch", lambda kit: set_source(kit, "pad1", "layer1", end_hz=50.0))
    settle(shell)
    shell.do("switch")
    _until(lambda: bool(shell.comparer.hearing), 0.0)
    settle(shell)
    seen, real = list[float](), player.cross

    def cross(*words: object) -> None:
        real(*words)  # type: ignore[arg-type]
        seen.append(time.perf_counter())

    player.cross = cross  # type: ignore[method-assign,assignment]
    times = []
    for _ in range(40):
        began, count = time.perf_counter(), len(seen)
        shell.do("switch")
        while len(seen) == count:
            QApplication.processEvents()
        times.append(seen[-1] - began)
        end = time.perf_counter() + 0.05
        _until(lambda end=end: time.perf_counter() >= end, 0.002)  # type: ignore[misc]
    times.sort()
    _close(shell)
    return times[len(times) // 2], times[-1]


def _playing_demo(block: int) -> Shell:
    """A window with the demo, shown, with the simulated card open."""
    shell = make_shell(Settings(device=CARD, block=block))
    shell.session.file.open_demo()
    shell.show()
    settle(shell)
    shell.session.player.open()
    _until(lambda: shell.session.player.engine is not None, 0.0)
    return shell


def _until(done: Callable[[], bool], pause_s: float = 0.001) -> None:
    """Runs the event loop until `done()`."""
    while not done():
        QApplication.processEvents()
        time.sleep(pause_s)


def _resident() -> int:
    """Bytes of this process that are in memory."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * 4096


def _close(shell: Shell) -> None:
    shell.session.history.mark_saved(shell.session.kit)
    shell.close()
    sip.delete(shell)  # while Qt is whole, as the command does


RUNS: dict[str, Callable[..., tuple[float, ...]]] = {
    run.__name__: run for run in (start, window, pages, held, large_kit, strike, switch)
}

if __name__ == "__main__":
    print(*RUNS[sys.argv[1]](*sys.argv[2:]))
