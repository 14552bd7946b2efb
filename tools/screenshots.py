"""Takes the README's pictures of the demo: ``python -m tools.screenshots FOLDER``."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

os.environ["QT_QPA_PLATFORM"] = "offscreen"

SHOTS: tuple[tuple[str, dict[str, str]], ...] = (
    ("shape-day", {}),
    ("shape-night", {"theme": "night", "layer": "layer2", "tab": "Envelope"}),
    ("deliver-day", {"page": "deliver"}),
    ("deliver-night", {"theme": "night", "page": "deliver", "done": "yes"}),
    ("stages-day", {"page": "stages", "pad": "pad2", "tab": "Stages"}),
    ("mix-day", {"page": "mix", "place": "low"}),
    ("mix-night", {"theme": "night", "page": "mix", "place": "metals"}),
    ("gather-day", {"page": "gather", "pad": "pad4"}),
    ("gather-night", {"theme": "night", "page": "gather", "pad": "pad4", "like": "yes"}),
    ("cut-day", {"page": "cut", "file": "1"}),
    ("cut-night", {"theme": "night", "page": "cut", "file": "0"}),
    ("map-day", {"page": "map", "pad": "pad25", "tab": "Velocity"}),
    ("map-night", {"theme": "night", "page": "map", "pad": "pad26", "tab": "Gauges"}),
    ("groove-day", {"page": "groove", "pad": "Towline", "pattern": "b"}),
    ("groove-night", {"theme": "night", "page": "groove", "pad": "Plank", "pattern": "c"}),
    ("sorting-day", {"page": "sorting"}),
    ("compare-day", {"page": "compare"}),
    ("start-day", {"page": "start"}),
    ("controllers-day", {"page": "controllers"}),
)


def take(path: Path, wanted: dict[str, str]) -> None:
    """One picture at 1280 x 800."""

    from puddle.engine.devices import SIMULATED
    from puddle.home.settings import Settings
    from puddle.window.app import make_shell

    shell = make_shell(Settings(theme=wanted.get("theme", "day"), device=SIMULATED))
    session = shell.session
    shell.resize(1280, 800)
    if wanted.get("page") == "start":
        shell.do("start")
    else:
        session.file.open_demo()
        shell.pages.show_page("shape")
        if wanted.get("page") != "groove":
            session.selection.select_pad(wanted.get("pad", "pad1"))
        session.selection.select_layer(wanted.get("layer"))
        if "tab" in wanted and wanted.get("page") != "map":
            shell.pages.page("shape").properties.choose_tab(wanted["tab"])
        if wanted.get("page") == "stages":
            _put_stages(shell)
    shell.show()
    _wait(shell)
    if wanted.get("page") == "map":
        _map(shell, wanted["tab"])
    if wanted.get("page") == "gather":
        _gather(shell, like="like" in wanted)
    if wanted.get("page") == "groove":
        _groove(shell, wanted)
    if wanted.get("page") == "cut":
        _cut(shell, int(wanted["file"]))
    if wanted.get("page") == "compare":
        _compare(shell)
    if wanted.get("page") == "mix":
        _mix(shell, wanted["place"])
    if wanted.get("page") == "deliver":
        _deliver(shell, done="done" in wanted)
    if wanted.get("page") == "controllers":
        _strike_simulated(shell)
    if wanted.get("page") == "sorting":
        _sorting(shell).grab().save(str(path))
    else:
        shell.grab().save(str(path))
    session.history.mark_saved(session.kit)
    shell.close()


def _cut(shell: Any, which: int) -> None:
    """The session with its groups, or the loop as slices that were shuffled."""
    from puddle.demo.session import write_session

    shell.pages.show_page("cut")
    page = shell.pages.page("cut")
    with tempfile.TemporaryDirectory() as folder:
        page.cutter.bring(write_session(Path(folder))[which])
        _wait_until(shell, lambda: page.cutter.cut is not None and not page.cutter.grouping)
        if which:
            page.sends.send_in_order()
            _wait_until(shell, lambda: bool(page.slots.strip.blocks))
            page.slots.shuffle()
            page.show_tab(0)
        else:
            page.span.show(15.8 * 48000, 6.0 * 48000)
        page.choose(12)
        _wait(shell)


def _wait_until(shell: Any, done: Any) -> None:
    from PyQt6.QtWidgets import QApplication

    end = time.monotonic() + 60.0
    while not done() and time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.01)


def _groove(shell: Any, wanted: dict[str, str]) -> None:
    """A pattern that plays, and a lane's notes, or a gauge of single hits."""
    from puddle.kit.model.address import Address

    session = shell.session
    pad = next(pad for pad in session.kit.pads if pad.name == wanted["pad"])
    shell.do("groove")
    session.grooving.choose(wanted["pattern"])
    session.selection.select_pad(pad.id)
    page = shell.pages.page("groove")
    tune = Address(of="pad", pad=pad.id, field="tune_st")
    page.values.choose("note" if wanted["pattern"] == "b" else tune)
    page.menus.hide_empty(True)
    page.properties.choose(1)
    _wait(shell)


def _gather(shell: Any, *, like: bool) -> None:
    """Hats and percussion of some length; or what is like a pad."""
    from PyQt6.QtWidgets import QApplication

    shell.do("gather")
    page = shell.pages.page("gather")
    end = time.monotonic() + 120.0
    while time.monotonic() < end and (page.librarian.scans.scanning or page.model.ids.size < 600):
        QApplication.processEvents()
        time.sleep(0.01)
    page.sieve.near("length_ms", 260.0)
    page.sieve.roles["hat"].setChecked(True)
    page.sieve.roles["percussion"].setChecked(True)
    _wait(shell)
    page.list.selectRow(4)
    _wait(shell)
    if like:
        page.alike.like_pad()
        _wait(shell)
        page.details.step(1)
        _wait(shell)


def _wait(shell: Any) -> None:
    from PyQt6.QtWidgets import QApplication

    from puddle.window.app import settle

    settle(shell)
    for _ in range(30):
        QApplication.processEvents()
        time.sleep(0.02)
    settle(shell)
    QApplication.processEvents()


def _map(shell: Any, tab: str) -> None:
    """Map on one of its tabs, after a strike."""
    session = shell.session
    shell.do("map")
    shell.pages.page("map").pad.choose_tab(tab)
    if tab == "Gauges":
        shell.pages.page("map").pad.gauges.show_kit()
    session.player.open()
    _wait(shell)
    session.playing.strike(session.pad_id, 84)
    _wait(shell)


def _sorting(shell: Any) -> Any:
    """A folder of strikes of five drums, sorted, before they land."""
    from puddle.formats.sound import write_wav
    from puddle.kit.playing.velocity import lows_of, step_of, struck

    session = shell.session
    folder = Path(os.environ["XDG_STATE_HOME"]) / "boathouse"
    folder.mkdir(exist_ok=True)
    count = 0
    for pad in (session.kit.pad(f"pad{n}") for n in (2, 4, 6, 25)):
        for velocity in (30, 70, 100, 127):
            step = step_of(velocity, lows_of(pad.sound))
            audio = session.renders.takes.sound(struck(pad.sound, step, 0)).audio
            count += 1
            level = (velocity / 127.0) ** 2
            write_wav(folder / f"take {count:02}.wav", audio * level, session.renders.takes.rate_hz)
    shell.incoming.drop([folder], "", 26)
    end = time.monotonic() + 30.0
    while shell.incoming.sorting is None and time.monotonic() < end:
        _wait(shell)
    return shell.incoming.sorting


def _compare(shell: Any) -> None:
    """The kick, after a snapshot and an edit, beside another kick, which is heard."""
    from puddle.kit import edits

    session = shell.session
    shell.do("snapshot")
    session.edit("x", lambda _: edits.set_source(session.kit, "pad1", "layer1", decay_ms=560.0))
    shell.comparer.shelf.add_pad("pad21")
    shell.do("compare")
    shell.comparer.choose("reference reference1")
    _wait(shell)
    shell.do("switch")
    _wait(shell)
    shell.notice.hide()
    _wait(shell)


def _put_stages(shell: Any) -> None:
    """A row of stages under the demo's snare, the saturator open."""
    from puddle.kit.edits import rows
    from puddle.stages import BandCompressor, Branch, Reverb, Saturator, Transient

    session = shell.session
    kit = rows.with_stages(session.kit, session.row, ())
    reverb = Reverb(decay_ms=700)
    for process in (Transient(), Saturator(drive_db=12), BandCompressor(), Branch(), reverb):
        kit, _ = rows.add_stage(kit, session.row, process)
    session.edit("Plank: stages", lambda _: kit)
    shell.pages.page("shape").properties.stages.open("stage2")


def _mix(shell: Any, place: str) -> None:
    """The mix while the groove plays, a bus or pad of it selected."""
    shell.session.player.open()
    shell.do("mix")
    page = shell.pages.page("mix")
    page.choose(place)
    _wait_until(shell, lambda: shell.session.player.engine is not None)
    page.watch(True)
    shell.session.grooving.toggle()
    looks: list[object] = []
    page._mixing.looked.connect(looks.append)
    _wait_until(shell, lambda: len(looks) > 60)
    _show_now()


def _deliver(shell: Any, *, done: bool) -> None:
    """The kit checked and listed; half of it written, or all."""
    shell.do("deliver")
    page = shell.pages.page("deliver")
    deliverer, checker = page._deliverer, page._checker
    folder = Path(os.environ["HOME"]) / "Music" / "kits"
    folder.mkdir(parents=True, exist_ok=True)
    deliverer.set_folder(str(folder))
    _wait_until(shell, lambda: checker.current and deliverer.plan is not None)
    _wait_until(shell, lambda: deliverer._cancel_plan is None)
    deliverer.deliver()
    written: list[int] = []
    deliverer.wrote.connect(lambda one, count, of: written.append(count / of))
    _wait_until(
        shell, lambda: not deliverer.writing if done else bool(written) and written[-1] > 0.6
    )
    _show_now()


def _strike_simulated(shell: Any) -> None:
    """The simulated controller with a curve, one pad of it asked for."""
    from puddle.kit.model.document import Point
    from puddle.midi.ports import SIMULATED
    from puddle.window.pages.controllers.simulator import NOTES, off, on

    shell.session.player.open()
    shell.do("controllers")
    page = shell.pages.page("controllers")
    page.controlling.simulate(True)
    _wait_until(shell, lambda: page.controlling.read == (SIMULATED,))
    bends = (Point(struck=40.0, plays=36.0), Point(struck=84.0, plays=92.0))
    page.controlling.maps.set(SIMULATED, "curve", bends)
    seen: list[object] = []
    page.controlling.came.connect(lambda *came: seen.append(came))
    struck = ((36, 96), (42, 61), (38, 104), (42, 58), (59, 80), (45, 72))
    for n, (note, velocity) in enumerate(struck):
        for message in (on(NOTES.index(note), velocity), off(NOTES.index(note))):
            page.controlling.play_simulated(message)
        _wait_until(shell, lambda n=n: len(seen) > n)  # type: ignore[misc]
    count = len(seen)
    for number, value in ((21, 60), (21, 90), (22, 75)):
        page.controlling.play_simulated(bytes([0xB0, number, value]))
    _wait_until(shell, lambda: len(seen) > count + 1)
    page.controlling.teaching.set_on(True)
    shell.session.selection.select_pad("pad10")
    for _ in range(5):
        _show_now()


def _show_now() -> None:
    from PyQt6.QtWidgets import QApplication

    QApplication.processEvents()


def main() -> None:
    """Every picture into a folder, or those that are named after it."""
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    os.environ.setdefault("XDG_CACHE_HOME", str(Path.home() / ".cache"))  # compiled kernels stay
    with tempfile.TemporaryDirectory() as home:
        os.environ["XDG_STATE_HOME"] = os.environ["XDG_CONFIG_HOME"] = home
        os.environ["XDG_DATA_HOME"] = os.environ["HOME"] = home
        for name, wanted in SHOTS:
            if sys.argv[2:] and name not in sys.argv[2:]:
                continue
            take(folder / f"{name}.png", wanted)


if __name__ == "__main__":
    main()
