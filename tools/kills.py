"""Kills Puddle while it saves, opens, exports and renders: ``python -m tools.kills --times 100``.

A child process runs the window offscreen and goes on editing, saving to several places, writing
its journal, opening and exporting, while renders keep all workers busy. It is killed at a random
moment (SIGKILL). Then every file must be whole, hold no older state than the one that was reported
as saved, and the journal must hold what was reported as kept; a new start sweeps the rest.
"""

from __future__ import annotations

import argparse
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path

_PLACES = ("a.puddle", "b.puddle", "link.puddle")
_EXPORTS = ("sound.wav", "groove.wav")
_LONGEST_S = 4.0


@dataclass
class Outcome:
    """What was found after kills."""

    kills: int = 0
    saves: int = 0  # that were reported
    journals: int = 0
    faults: list[str] = field(default_factory=list)


def child(folder: Path, seed: int) -> None:
    """Works until it is killed; says on its output what has been done."""
    from PyQt6.QtWidgets import QApplication

    from puddle.engine.devices import SIMULATED
    from puddle.home.settings import Settings
    from puddle.kit import edits
    from puddle.window.app import make_shell, settle
    from puddle.window.session.saving import Saved

    chance = random.Random(seed)
    shell = make_shell(Settings(device=SIMULATED))
    session = shell.session
    session.file.open_demo()
    shell.pages.show_page("shape")
    shell.show()
    session.player.open()
    settle(shell)
    count = 0

    def say(*words: object) -> None:
        print(*words, flush=True)

    def told(saved: Saved) -> None:
        say("saved" if saved.done else "refused", saved.path.name, int(saved.kit.notes or 0))

    say("ready")
    while True:
        count += 1
        kit = edits.set_kit(session.kit, notes=str(count))
        for pad in kit.pads[:3]:  # renders for every worker
            level = chance.uniform(-20.0, 0.0)
            layer = pad.sound.layers[0].id
            kit = edits.set_layer(kit, pad.id, layer, tune_ct=level)
        session.edit("more", lambda _, kit=kit: kit)
        way = chance.randrange(8)
        if way < 3:
            name = chance.choice(_PLACES)
            session.file.save((folder / name), told, sure=True)
        elif way < 5:
            session.file.write_journal()
            if session.file.saving.wait_for_journal(5.0) and session.history.edited:
                say("kept", count)
        elif way == 5 and shell.exports.working is None:
            shell.exports.sound(folder / _EXPORTS[0], "24")
        elif way == 6 and shell.exports.working is None:
            shell.exports.groove(folder / _EXPORTS[1], "16")
        elif way == 7 and chance.random() < 0.3:
            place = folder / _PLACES[0]
            if place.exists() and not session.file.saving.busy:
                say("left")
                session.history.mark_saved(session.kit)
                session.file.open(place)
        for _ in range(chance.randrange(1, 6)):
            QApplication.processEvents()
            time.sleep(chance.uniform(0.0, 0.01))


def killed(home: Path, seed: int, outcome: Outcome) -> None:
    """Starts a child, kills it at a random moment, and looks at what is left."""
    folder = home / "files"
    folder.mkdir(parents=True)
    (folder / "link.puddle").symlink_to("elsewhere.puddle")
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "TMPDIR": str(home / "temp"),
        **{f"XDG_{name}_HOME": str(home / name.lower()) for name in ("CONFIG", "STATE", "DATA")},
    }
    (home / "temp").mkdir()
    words = [sys.executable, "-m", "tools.kills", "--child", str(folder), "--seed", str(seed)]
    said = home / "said.txt"
    with said.open("wb") as out:
        process = subprocess.Popen(words, env=environment, stdout=out, stderr=subprocess.STDOUT)
    end = time.monotonic() + 60.0
    while "ready" not in said.read_text():
        if process.poll() is not None or time.monotonic() > end:
            outcome.faults.append(f"seed {seed}: it did not start: {said.read_text()[-300:]}")
            process.kill()
            return
        time.sleep(0.01)
    time.sleep(random.Random(seed).uniform(0.0, _LONGEST_S))
    process.send_signal(signal.SIGKILL)
    process.wait()
    outcome.kills += 1
    lines = said.read_text().splitlines()
    outcome.faults += [f"seed {seed}: {fault}" for fault in _faults(home, lines, outcome)]


def _faults(home: Path, lines: list[str], outcome: Outcome) -> list[str]:
    folder = home / "files"
    found = [line for line in lines if "Traceback" in line or line.startswith("refused")]
    saved: dict[str, int] = {}
    kept = 0
    for line in lines:
        match line.split():
            case ["saved", name, count]:
                saved[name] = int(count)
                outcome.saves += 1
                kept = 0  # a save may end the journal
            case ["kept", count]:
                kept = int(count)
                outcome.journals += 1
            case ["left"]:
                kept = 0
    for name in _PLACES:
        found += _of_kit(folder / name, saved.get(name))
    if not (folder / "link.puddle").is_symlink():
        found.append("the link is gone")
    for name in _EXPORTS:
        found += _of_sound(folder / name)
    found += _of_journal(home, kept)
    return found + _of_traces(home)


def _of_kit(path: Path, at_least: int | None) -> list[str]:
    """A kit is whole, and no older than what was reported."""
    from puddle.errors import PuddleError
    from puddle.formats.kitfile import damage, open_kit
    from puddle.formats.store import SampleStore

    if not path.exists():
        return [f"{path.name} was saved and is gone"] if at_least is not None else []
    with tempfile.TemporaryDirectory() as place:
        store = SampleStore(Path(place))
        try:
            opened = open_kit(path, store)
            found = [*opened.problems, *damage(opened.kit, store)]
            if at_least is not None and int(opened.kit.notes) < at_least:
                found.append(f"{path.name} holds {opened.kit.notes}, {at_least} was reported")
        except PuddleError as error:
            found = [str(error)]
        finally:
            store.close()
    return found


def _count_of(path: Path) -> int:
    """Which state a kit file holds."""
    from puddle.formats.archive import Archive
    from puddle.kit.codec.reading import MOST_JSON_BYTES, kit_from_json

    if not path.exists():
        return 0
    with Archive(path) as file:
        return int(kit_from_json(file.read("kit.json", MOST_JSON_BYTES), path.name).notes or 0)


def _of_sound(path: Path) -> list[str]:
    from puddle.errors import PuddleError
    from puddle.formats.sound import read_sound

    try:
        return [] if not path.exists() or read_sound(path).audio.size else [f"{path.name} is empty"]
    except PuddleError as error:
        return [str(error)]


def _of_journal(home: Path, kept: int) -> list[str]:
    """What was reported as kept is recovered, with all of its samples."""
    from puddle.errors import PuddleError
    from puddle.formats.journal import lost_journals, recovered

    lost = lost_journals(home / "state" / "puddle" / "journals")
    if not lost:
        # A save ends the journal a moment before it is reported.
        on_disk = max((_count_of(home / "files" / name) for name in _PLACES), default=0)
        return [f"{kept} was kept, and is nowhere"] if on_disk < kept else []
    try:
        kit, journal = recovered(lost[0])
    except PuddleError as error:
        return [str(error)]
    found = [f"{c.name} is lost" for c in kit.contents if journal.store.as_it_came(c.hash) is None]
    if int(kit.notes or 0) < kept:
        found.append(f"the journal holds {kit.notes}, {kept} was reported")
    journal.close()
    return found


def _of_traces(home: Path) -> list[str]:
    """A new start sweeps what was half-written."""
    code = "from puddle.files import sweep; sweep()"
    environment = {**os.environ, "XDG_STATE_HOME": str(home / "state"),
                   "TMPDIR": str(home / "temp")}  # fmt: skip
    subprocess.run([sys.executable, "-c", code], env=environment, check=True)
    left = [*(home / "files").glob(".puddle-*"), *(home / "temp").iterdir()]
    return [f"{path.name} is left" for path in left]


def run(times: int, first_seed: int) -> Outcome:
    """So many kills, one after another."""
    outcome = Outcome()
    for seed in range(first_seed, first_seed + times):
        with tempfile.TemporaryDirectory(prefix="kills-") as home:
            killed(Path(home), seed, outcome)
    return outcome


def main() -> int:
    """Kills, and tells what was found; 1 where anything was lost."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--times", type=int, default=10)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--child", type=Path)
    arguments = parser.parse_args()
    if arguments.child is not None:
        child(arguments.child, arguments.seed)
    outcome = run(arguments.times, arguments.seed)
    print(f"{outcome.kills} kills, {outcome.saves} saves and {outcome.journals} journals reported")
    print("\n".join(outcome.faults) or "nothing was lost")
    return 1 if outcome.faults else 0


if __name__ == "__main__":
    sys.exit(main())
