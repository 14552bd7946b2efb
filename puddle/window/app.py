"""Opening the window: on a kit, on the start page, on the demo, or for its picture."""

from __future__ import annotations

import gc
import logging
import os
import sys
import threading
import time
import traceback
from functools import partial
from pathlib import Path
from typing import Any

from platformdirs import user_state_path
from PyQt6 import sip
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from puddle.errors import PuddleError
from puddle.files import open_regular, scratch_folder, sweep
from puddle.formats.archive import MOST_PACKED
from puddle.home.settings import Settings, heed, load_settings
from puddle.window import theme
from puddle.window.session.session import Session
from puddle.window.shell.shell import Shell
from puddle.window.watchdog import watched

_MIDI = Path("/dev/snd/seq")  # where it is, controllers are looked for from the start
_held: list[QApplication] = []  # Qt's object dies with its last Python name


def make_app() -> QApplication:
    """The application object, dressed."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        # Asked for in words: `setStyle` would show Python the style and its enums (30 ms).
        app = QApplication([*sys.argv[:1], "-style", "fusion"])
        _held.append(app)
    sys.setswitchinterval(0.001)  # a worker in the interpreter gives way to the window sooner
    app.setApplicationName("puddle")
    app.setApplicationDisplayName("")
    app.setDesktopFileName("puddle")
    app.setWindowIcon(QIcon(str(theme.ASSETS / "puddle.svg")))
    return app


def make_shell(settings: Settings, note: str = "") -> Shell:
    """A session and its window, not shown yet; a sentence about the settings is told there."""
    app = make_app()
    heed(settings)
    theme.apply(app, settings.theme)
    session = Session(settings)
    shell = Shell(session)
    session.file.new()
    if note:
        shell.tell(note)
    session.background.start(sweep, key="sweep", priority="low")
    return shell


def run_window(kit: Path | None) -> int:
    """The window on a kit, or on the start page."""
    if kit is not None:
        kit = kit.absolute()  # the folder that this process started in may be another one later
        open_regular(kit, MOST_PACKED).close()
    shell = make_shell(*load_settings())
    shell.session.background.tasks.hold()
    if kit is not None:
        try:
            shell.session.file.open(kit)
        except PuddleError:
            shell.session.close()
            sip.delete(
                shell
            )  # while Qt is whole: at the interpreter's end its parts go in any order
            raise
    elif shell.session.settings.straight:
        shell.kits.new()
    else:
        shell.pages.show_page("start")
    return _run(shell)


def run_demo() -> int:
    """The window with the demo."""
    shell = make_shell(*load_settings())
    shell.session.background.tasks.hold()
    shell.session.file.open_demo()
    return _run(shell)


def _catch(shell: Shell) -> None:
    """No stack trace reaches a person: it goes to a log, and they are told in a sentence."""
    log = user_state_path("puddle") / "errors.log"

    def caught(kind: type[BaseException], error: BaseException, trace: Any) -> None:
        if isinstance(error, PuddleError):  # a refusal that nobody told
            shell.tell(str(error))
            return
        text = "".join(traceback.format_exception(kind, error, trace))
        try:
            log.parent.mkdir(parents=True, exist_ok=True)
            with log.open("a") as file:
                file.write(text)
        except OSError:
            sys.stderr.write(text)
        shell.tell(f"Something went wrong in Puddle; your kit is unharmed. Details are in {log}.")

    def caught_in_thread(failure: threading.ExceptHookArgs) -> None:
        error = failure.exc_value
        if error is not None:  # an interpreter that ends has none
            told = partial(caught, failure.exc_type, error, failure.exc_traceback)
            shell.session.background.tasks.deliver(told)

    sys.excepthook, threading.excepthook = caught, caught_in_thread


def _run(shell: Shell) -> int:
    _catch(shell)
    show_first(shell)
    dog = watched()
    done = int(QApplication.exec())
    if dog is not None:
        dog[0].write(dog[1])
    session = shell.session
    if session.background.busy or session.player.busy or shell.preparing.busy:
        # What nobody waits for, a transform or a compilation, cannot be stopped half way, nor may
        # the interpreter end beneath it; everything is on disk.
        logging.shutdown()
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(done)
    sip.delete(shell)
    return done


def show_first(shell: Shell) -> None:
    """Paints the window, and only then loads the engine, renders, and opens the card."""
    shell.first_painted.connect(_allow_collections)
    shell.first_painted.connect(shell.session.player.open)
    shell.first_painted.connect(shell.session.background.tasks.go)
    card = shell.session.player.device_changed

    def once() -> None:
        card.disconnect(once)
        if _MIDI.exists():
            shell.read_controllers()
        leave_out_of_collections()

    card.connect(once)
    shell.show()


def _allow_collections() -> None:
    """Garbage is collected from now on."""
    leave_out_of_collections()
    gc.enable()


def leave_out_of_collections() -> None:
    """What is loaded by now stays: the collector of garbage never looks through it.

    Even once, over all modules, kernels and widgets, that holds the window for some 40 ms.
    """
    gc.freeze()


def picture_demo(path: Path) -> int:
    """The window with the demo on a virtual display, as a PNG."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with scratch_folder() as state:
        os.environ["XDG_STATE_HOME"] = str(state)
        os.environ["XDG_CONFIG_HOME"] = str(state)
        shell = make_shell(Settings())
        shell.session.file.open_demo()
        shell.pages.show_page("shape")
        shell.show()
        settle(shell)
        shell.grab().save(str(path))
        shell.session.history.mark_saved(shell.session.kit)
        shell.close()
        sip.delete(shell)
    return 0


def settle(shell: Shell, timeout_s: float = 30.0) -> None:
    """Until everything that was asked for is rendered and shown."""
    end = time.monotonic() + timeout_s
    quiet = 0
    while quiet < 5 and time.monotonic() < end:
        QApplication.processEvents()
        idle = shell.session.background.tasks.wait(0.05, "now")
        renders = shell.session.renders
        done = idle and renders.ready(shell.session.kit) and not shell.session.looks.to_be_seen
        quiet = quiet + 1 if done else 0
        time.sleep(0.003)  # the spectrum follows the strata after a moment
