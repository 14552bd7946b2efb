"""The commands: `puddle` and its verbs.

Exit 0 done, 2 bad input: one line on stderr that names the file and the reason. Nothing here loads
Qt unless a window is to be opened.
"""

from __future__ import annotations

import argparse
import gc
import signal
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NoReturn

from puddle import __version__
from puddle.cli import cutting, deliver, kits, library, sounds
from puddle.cli.told import folder_at, refused
from puddle.display import chosen_platform, why_none
from puddle.errors import PuddleError

VERBS = (
    "demo", "inspect", "align", "order", "cut", "sort", "render", "bounce", "check", "export",
    "import", "scan", "find", "schema",
)  # fmt: skip
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
        return refused(str(error))
    except KeyboardInterrupt:
        return 130


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
    inspect.set_defaults(run=sounds.inspect)

    align = verbs.add_parser("align", help="the shift and polarity of B that best adds to A")
    align.add_argument("first", metavar="A")
    align.add_argument("second", metavar="B")
    align.add_argument("--json", action="store_true", help="a JSON object")
    align.set_defaults(run=sounds.align)

    order = verbs.add_parser("order", help="recordings of one drum, from soft to hard")
    order.add_argument("files", nargs="+", metavar="FILE")
    order.add_argument("--json", action="store_true", help="a JSON object")
    order.set_defaults(run=sounds.order)

    cut = verbs.add_parser("cut", help="the hits of a recording")
    cut.add_argument("recording", metavar="RECORDING")
    cut.add_argument(
        "--sensitivity", type=_share, default=0.5, metavar="0..1", help="how unsure a hit may be"
    )
    cut.add_argument(
        "--gap", type=float, default=10.0, metavar="MS", help="how close two hits may lie"
    )
    cut.add_argument("-o", "--out", metavar="DIR", help="also the hits as WAV, and MIDI")
    cut.add_argument("--json", action="store_true", help="a JSON object")
    cut.set_defaults(run=cutting.cut)

    sort = verbs.add_parser("sort", help="recordings of several drums, each drum a pad of a kit")
    sort.add_argument("paths", nargs="+", metavar="PATH", help="a sound file, or a folder of them")
    sort.add_argument("-o", "--out", metavar="KIT", help="also writes the kit")
    sort.add_argument("--json", action="store_true", help="a JSON list, one object per drum")
    sort.set_defaults(run=sounds.sort)

    render = verbs.add_parser("render", help="one strike of a pad")
    render.add_argument("kit", metavar="KIT")
    render.add_argument("--pad", required=True, help="its number from 1, or its name")
    render.add_argument("--velocity", type=float, default=127.0)
    render.add_argument("--note", type=int, help="the key that was struck")
    render.add_argument("--turn", type=int, default=1, help="the round-robin turn, from 1")
    _add_output(render)
    render.set_defaults(run=kits.render)

    bounce = verbs.add_parser("bounce", help="the groove through the mix")
    bounce.add_argument("kit", metavar="KIT")
    bounce.add_argument("--pattern", help="its name; the first if left out")
    bounce.add_argument("--bars", type=int, help="bars of its meter; all of it if left out")
    bounce.add_argument("--stems", metavar="DIR", help="also stems as WAV files")
    bounce.add_argument(
        "--by", choices=("bus", "lane"), default="bus", help="what stems are made of"
    )
    bounce.add_argument("--midi", metavar="OUT.mid", help="also the notes as a MIDI file")
    _add_output(bounce)
    bounce.set_defaults(run=kits.bounce)

    deliver.add_verbs(verbs)
    library.add_verbs(verbs)

    schema = verbs.add_parser("schema", help="the kit file's JSON Schema")
    schema.set_defaults(run=kits.schema)
    return parser


def _share(text: str) -> float:
    """A number from 0 to 1."""
    value = float(text)
    if not 0.0 <= value <= 1.0:
        raise argparse.ArgumentTypeError(f"{text} is not from 0 to 1")
    return value


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
    gc.disable()  # until the window is painted: it would take a twentieth of the start
    from puddle.window.app import run_window

    return run_window(Path(words[0]) if words else None)


def _demo(arguments: argparse.Namespace) -> int:
    if arguments.write:
        from puddle.demo.writing import write_demo

        for path in write_demo(folder_at(arguments.write)):
            print(path)
        return 0
    if not _has_display():
        from puddle.demo.writing import demo_groove
        from puddle.engine.warm import warm_aloud

        print("There is no display: running the window on a virtual one.")
        out = folder_at(arguments.out)
        warm_aloud()
        demo_groove(out / "puddle-demo.wav")
        from puddle.window.app import picture_demo

        return picture_demo(out / "puddle-demo.png")
    gc.disable()  # as above
    from puddle.window.app import run_demo

    return run_demo()


def _has_display() -> bool:
    if chosen_platform() in ("offscreen", "minimal"):
        return False  # a window there would be seen by nobody
    return not why_none()
