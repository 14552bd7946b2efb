"""The commands: `puddle` and its verbs.

Exit 0 done, 2 bad input: one line on stderr that names the file and the reason. Nothing here loads
Qt unless a window is to be opened.
"""

from __future__ import annotations

import argparse
import json
import signal
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

from puddle import __version__
from puddle.display import chosen_platform, why_none
from puddle.errors import PuddleError

if TYPE_CHECKING:
    from puddle.kit.model.document import Pad, Pattern
    from puddle.render.take import Takes

VERBS = ("demo", "inspect", "align", "order", "sort", "render", "bounce", "schema")
DEFAULT_RATE = 48000


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs a verb; returns the exit code."""
    signal.signal(signal.SIGPIPE, signal.SIG_DFL)
    words = list(sys.argv[1:] if arguments is None else arguments)
    try:
        if words and words[0] in VERBS:
            parsed = _parser().parse_args(words)
            return int(parsed.run(parsed))
        if words and words[0] in ("-h", "--help", "--version"):
            _parser().parse_args(words)
        return _open_window(words)
    except PuddleError as error:
        return _refuse(str(error))
    except KeyboardInterrupt:
        return 130


def _refuse(reason: str) -> int:
    line = " ".join(reason.split())
    print(line.encode("utf-8", "backslashreplace").decode(), file=sys.stderr)
    return 2


class _Parser(argparse.ArgumentParser):
    """Refuses in one line, like everything else here."""

    def error(self, message: str) -> NoReturn:
        raise PuddleError(f"{self.prog}: {message}; {self.prog} --help says more.")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(
        prog="puddle",
        description="Drum sounds made, layered, tuned, struck and handed over as kits.",
        epilog="`puddle [KIT]` opens the window.",
    )
    parser.add_argument("--version", action="version", version=f"puddle {__version__}")
    verbs = parser.add_subparsers(dest="verb", required=True)

    demo = verbs.add_parser("demo", help="the window with the demo kit")
    demo.add_argument("--write", metavar="DIR", help="write the kit and its recordings and exit")
    demo.add_argument("--out", metavar="DIR", default=".", help="for the PNG and WAV of the demo")
    demo.set_defaults(run=_demo)

    inspect = verbs.add_parser("inspect", help="measurements of sound files")
    inspect.add_argument("files", nargs="+", metavar="FILE")
    inspect.add_argument("--json", action="store_true", help="a JSON list, one object per file")
    inspect.set_defaults(run=_inspect)

    align = verbs.add_parser("align", help="the shift and polarity of B that best adds to A")
    align.add_argument("first", metavar="A")
    align.add_argument("second", metavar="B")
    align.add_argument("--json", action="store_true", help="a JSON object")
    align.set_defaults(run=_align)

    order = verbs.add_parser("order", help="recordings of one drum, from soft to hard")
    order.add_argument("files", nargs="+", metavar="FILE")
    order.add_argument("--json", action="store_true", help="a JSON object")
    order.set_defaults(run=_order)

    sort = verbs.add_parser("sort", help="recordings of several drums, each drum a pad of a kit")
    sort.add_argument("paths", nargs="+", metavar="PATH", help="a sound file, or a folder of them")
    sort.add_argument("-o", "--out", metavar="KIT", help="also writes the kit")
    sort.add_argument("--json", action="store_true", help="a JSON list, one object per drum")
    sort.set_defaults(run=_sort)

    render = verbs.add_parser("render", help="one strike of a pad")
    render.add_argument("kit", metavar="KIT")
    render.add_argument("--pad", required=True, help="its number from 1, or its name")
    render.add_argument("--velocity", type=float, default=127.0)
    render.add_argument("--note", type=int, help="the key that was struck")
    render.add_argument("--turn", type=int, default=1, help="the round-robin turn, from 1")
    _add_output(render)
    render.set_defaults(run=_render)

    bounce = verbs.add_parser("bounce", help="the groove through the mix")
    bounce.add_argument("kit", metavar="KIT")
    bounce.add_argument("--pattern", help="its name; the first if left out")
    bounce.add_argument("--bars", type=int, help="bars of four beats")
    bounce.add_argument("--stems", metavar="DIR", help="also each bus as a WAV file")
    bounce.add_argument("--midi", metavar="OUT.mid", help="also the notes as a MIDI file")
    _add_output(bounce)
    bounce.set_defaults(run=_bounce)

    schema = verbs.add_parser("schema", help="the kit file's JSON Schema")
    schema.set_defaults(run=_schema)
    return parser


def _add_output(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("-o", "--out", required=True, metavar="OUT.wav")
    parser.add_argument("--rate", type=int, default=DEFAULT_RATE)
    parser.add_argument("--bits", choices=("16", "24", "32f"), default="24")


def _open_window(words: Sequence[str]) -> int:
    if len(words) > 1 or (words and words[0].startswith("-")):
        _parser().parse_args(list(words))
    none = why_none()
    if none:
        raise PuddleError(f"Puddle cannot open its window: {none}.")
    from puddle.window.app import run_window

    return run_window(Path(words[0]) if words else None)


def _demo(arguments: argparse.Namespace) -> int:
    if arguments.write:
        from puddle.demo.writing import write_demo

        for path in write_demo(_folder(arguments.write)):
            print(path)
        return 0
    if not _has_display():
        from puddle.demo.writing import demo_groove
        from puddle.engine.warm import warm_aloud

        print("There is no display: running the window on a virtual one.")
        out = _folder(arguments.out)
        warm_aloud()
        demo_groove(out / "puddle-demo.wav")
        from puddle.window.app import picture_demo

        return picture_demo(out / "puddle-demo.png")
    from puddle.window.app import run_demo

    return run_demo()


def _has_display() -> bool:
    if chosen_platform() in ("offscreen", "minimal"):
        return False  # a window there would be seen by nobody
    return not why_none()


def _folder(name: str) -> Path:
    folder = Path(name)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise PuddleError(f"{name} cannot be made: {error.strerror}.") from None
    return folder


def _inspect(arguments: argparse.Namespace) -> int:
    from puddle.files import shown
    from puddle.formats.sound import read_sound
    from puddle.measure.report import measured

    found: list[dict[str, Any]] = []
    failed = 0
    for name in arguments.files:
        entry: dict[str, Any] = {"file": shown(name)}
        try:
            sound = read_sound(name)
            entry.update(measured(sound.audio, sound.rate_hz))
        except PuddleError as error:
            failed = _refuse(str(error))
            entry["error"] = str(error)
        found.append(entry)
    if arguments.json:
        print(json.dumps(found, indent=1))
    else:
        for entry in found:
            print("\n".join(f"{key:18} {value}" for key, value in entry.items()), end="\n\n")
    return failed


def _align(arguments: argparse.Namespace) -> int:
    from puddle.files import shown
    from puddle.formats.sound import read_sound
    from puddle.measure.alignment import NoAlignment, alignment
    from puddle.render.steps import converted

    first, second = (read_sound(name) for name in (arguments.first, arguments.second))
    other = converted(second.stereo, second.rate_hz, first.rate_hz, 1.0)
    found = alignment(first.stereo, other, first.rate_hz)
    if isinstance(found, NoAlignment):
        names = f"{shown(arguments.first)} and {shown(arguments.second)}"
        return _refuse(f"{names} cannot be aligned: {found.reason}.")
    told = {
        "shift_samples": found.shift_frames,
        "shift_ms": 1000.0 * found.shift_frames / first.rate_hz,
        "invert": found.invert,
        "gain_db": found.gain_db,
    }
    if arguments.json:
        print(json.dumps(told, indent=1))
    else:
        print("\n".join(f"{key:18} {value}" for key, value in told.items()))
    return 0


def _order(arguments: argparse.Namespace) -> int:
    """Files that are no sounds are named, and the others are ordered."""
    from puddle.errors import SoundFileError
    from puddle.files import shown
    from puddle.formats.sound import read_sound
    from puddle.measure.ordering import soft_to_hard, strength

    names, found, refused = [], [], 0
    for name in arguments.files:
        try:
            sound = read_sound(name)
        except SoundFileError as error:
            refused = _refuse(str(error))
            continue
        names.append(shown(name))
        found.append(strength(sound.stereo, sound.rate_hz))
    order = [names[n] for n in soft_to_hard(found)]
    loud = {name: round(s.loudness_lufs, 2) for name, s in zip(names, found, strict=True)}
    if arguments.json:
        print(json.dumps({"order": order, "loudness_lufs": loud}, indent=1))
    else:
        print("\n".join(f"{loud[name]:8.2f} LUFS  {name}" for name in order))
    return refused


def _sort(arguments: argparse.Namespace) -> int:
    """Files that are no sounds are named, and the others are sorted into drums."""
    from puddle.files import scratch_folder
    from puddle.formats.kitfile import save_kit
    from puddle.formats.store import SampleStore
    from puddle.kit.edits.landing import landed, told
    from puddle.kit.model.document import Kit
    from puddle.library.intake import found_in, sorted_drums, sound_files

    refused, found = 0, []
    with scratch_folder() as folder:
        store = SampleStore(folder)
        try:
            for path in sound_files([Path(name) for name in arguments.paths]):
                try:
                    content = store.add_file(path)
                    decoded = store.decoded(content.hash)
                except PuddleError as error:
                    refused = _refuse(str(error))
                    continue
                if decoded is not None:
                    found.append(found_in(content, decoded.audio, decoded.rate_hz))
            landings = [drum.landing() for drum in sorted_drums(found)]
            if arguments.out and landings:
                kit, _ = landed(Kit(name=Path(arguments.out).stem), landings)
                save_kit(Path(arguments.out), kit, store)
        finally:
            store.close()
    drums = [
        {
            "name": one.name,
            "role": one.role,
            "taken_as": told(one),
            "velocities": [[one.contents[n].name for n in rung] for rung in one.rungs],
        }
        for one in landings
    ]
    if arguments.json:
        print(json.dumps(drums, indent=1))
    else:
        for one in landings:
            print(f"{one.name:24} {one.role:11} {told(one)}")
    return refused


def _with_kit(arguments: argparse.Namespace, work: Any) -> int:
    """Opens a kit in a store of its own, calls `work`, and reports what was missing."""
    from puddle.files import scratch_folder, sweep
    from puddle.formats.kitfile import damage, open_kit
    from puddle.formats.sound import HIGHEST_RATE, LOWEST_RATE
    from puddle.formats.store import SampleStore
    from puddle.render.take import Takes

    if not max(8000, LOWEST_RATE) <= arguments.rate <= HIGHEST_RATE:
        raise PuddleError(f"--rate {arguments.rate} is outside 8000 to {HIGHEST_RATE} Hz.")
    sweep()
    with scratch_folder() as folder:
        store = SampleStore(folder)
        opened = open_kit(Path(arguments.kit), store)
        for problem in opened.problems:
            print(problem, file=sys.stderr)
        try:
            for problem in damage(opened.kit, store):
                print(problem, file=sys.stderr)
            work(opened.kit, Takes(store, float(arguments.rate)))
        finally:
            store.close()
    return 0


def _render(arguments: argparse.Namespace) -> int:
    def work(kit: Any, takes: Takes) -> None:
        from puddle.engine.offline import strike
        from puddle.formats.sound import write_wav
        from puddle.kit.playing.key_tracking import NO_NOTE
        from puddle.kit.playing.tempo import paced

        pad = _pad_named(paced(kit).pads, arguments.pad)
        if not 1.0 <= arguments.velocity <= 127.0:
            raise PuddleError(f"--velocity {arguments.velocity:g} is outside 1 to 127.")
        note = NO_NOTE if arguments.note is None else arguments.note
        if arguments.note is not None and not 0 <= note <= 127:
            raise PuddleError(f"--note {note} is outside 0 to 127.")
        audio = strike(pad, takes, arguments.velocity, arguments.turn - 1, note)
        said = write_wav(arguments.out, audio, takes.rate_hz, arguments.bits)
        _warn_clipped(arguments.out, said)

    return _with_kit(arguments, work)


def _warn_clipped(path: str | Path, said: str) -> None:
    if said:
        print(f"{path}: {said}. Lower it, or write --bits 32f.", file=sys.stderr)


def _pad_named(pads: Sequence[Pad], wanted: str) -> Pad:
    for pad in pads:
        if wanted == pad.name or (_as_place(wanted) == pad.place):
            return pad
    known = ", ".join(f"{p.place + 1} {p.name}" for p in pads)
    raise PuddleError(f"There is no pad “{wanted}”; the kit has {known or 'none'}.")


def _as_place(wanted: str) -> int | None:
    """A pad's place by its number, counted from 1; None where it is no number."""
    return int(wanted) - 1 if wanted.isdecimal() and len(wanted) < 6 else None


def _bounce(arguments: argparse.Namespace) -> int:
    def work(kit: Any, takes: Takes) -> None:
        from puddle.engine.offline import bounce
        from puddle.formats.midi import write_midi
        from puddle.formats.sound import write_wav
        from puddle.kit.playing.schedule import bars_of

        pattern = _pattern_named(kit.patterns, arguments.pattern)
        bars = arguments.bars if arguments.bars is not None else bars_of(pattern)
        if not 1 <= bars <= 999:
            raise PuddleError(f"--bars {bars} is outside 1 to 999.")
        made = bounce(kit, pattern, bars, takes, _progress())
        said = write_wav(arguments.out, made.master, made.rate_hz, arguments.bits)
        _warn_clipped(arguments.out, said)
        if arguments.stems:
            folder = _folder(arguments.stems)
            for name, audio in made.stems.items():
                safe = "".join(c if c.isalnum() or c in " -_" else "_" for c in name)
                stem = folder / f"{safe}.wav"
                _warn_clipped(stem, write_wav(stem, audio, made.rate_hz, arguments.bits))
        if arguments.midi:
            write_midi(Path(arguments.midi), kit, pattern, bars)

    return _with_kit(arguments, work)


def _pattern_named(patterns: Sequence[Pattern], wanted: str | None) -> Pattern:
    for pattern in patterns:
        if wanted is None or pattern.name == wanted:
            return pattern
    known = ", ".join(p.name for p in patterns)
    raise PuddleError(f"There is no pattern “{wanted or ''}”; the kit has {known or 'none'}.")


def _progress() -> Any:
    if not sys.stderr.isatty():
        return None

    def show(share: float) -> bool:
        end = "\n" if share >= 1.0 else ""
        print(f"\rbouncing {100.0 * share:3.0f} %", end=end, file=sys.stderr, flush=True)
        return True

    return show


def _schema(arguments: argparse.Namespace) -> int:
    from puddle.kit.codec.reading import kit_schema

    print(json.dumps(kit_schema(), indent=1))
    return 0
