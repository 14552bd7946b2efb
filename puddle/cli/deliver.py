"""Verbs before and after a kit travels: check, export, import."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from puddle.cli.told import folder_at, progress
from puddle.errors import PuddleError

_KINDS = ("sfz", "wav", "flac", "aiff", "midi", "stems", "whole", "zip")
_BYTES = 128 << 20  # of takes, and of samples, that are kept


def add_verbs(verbs: Any) -> None:
    """check, export, import."""
    check_ = verbs.add_parser("check", help="findings before a kit is delivered")
    check_.add_argument("kit", metavar="KIT")
    check_.add_argument("--json", action="store_true", help="a JSON object")
    check_.add_argument(
        "--limit", action="append", default=[], metavar="RULE=VALUE",
        help="another threshold, or off; --limit list tells them all",
    )  # fmt: skip
    check_.add_argument("--jobs", type=int, metavar="N")
    check_.set_defaults(run=check)

    export_ = verbs.add_parser("export", help="a kit in open formats")
    export_.add_argument("kit", metavar="KIT")
    export_.add_argument("--as", dest="kind", required=True, choices=_KINDS)
    export_.add_argument("--to", required=True, metavar="DIR", help="a folder; for zip a file too")
    export_.add_argument("--rate", type=int, default=48000)
    export_.add_argument("--bits", choices=("16", "24", "32f"), default="24")
    export_.add_argument(
        "--from", dest="source", choices=("dry", "live", "bus", "master"), default="dry",
        help="dry, with live stages, through buses, or through the master",
    )  # fmt: skip
    export_.add_argument("--names", metavar="SCHEME", help="of one-shots, as “{kit} {pad}”")
    export_.add_argument(
        "--there", choices=("keep", "replace", "skip"),
        help="what becomes of files that are there; without it nothing is written then",
    )  # fmt: skip
    export_.add_argument("--jobs", type=int, metavar="N")
    export_.set_defaults(run=export)

    import_ = verbs.add_parser("import", help="a kit from a sampler instrument")
    import_.add_argument("file", metavar="FILE.sfz")
    import_.add_argument("-o", "--out", required=True, metavar="KIT")
    import_.add_argument(
        "--root", metavar="DIR", help="samples may lie anywhere below it, not only beside FILE"
    )
    import_.set_defaults(run=import_sfz)


def check(arguments: argparse.Namespace) -> int:
    """Findings; exit 1 where there are any."""
    from puddle.check.checking import check as checked
    from puddle.check.limits import RULES
    from puddle.cli.kits import with_kit

    if "list" in arguments.limit:
        for rule in RULES:
            limit = f"{rule.limit:g} {rule.unit}" if rule.unit else ""
            print(f"{rule.id:18} {rule.level:8} {limit:12} {rule.says}")
        return 0
    limits = _limits(arguments.limit)
    found: list[Any] = []

    def work(kit: Any, takes: Any, store: Any) -> None:
        show = progress("checking")
        found.extend(checked(kit, takes, store, limits, show, arguments.jobs))

    with_kit(arguments.kit, 48000, work, tells_damage=False)
    if arguments.json:
        findings = [
            {"rule": f.rule, "level": f.level, "where": f.where, "message": f.message}
            for f in found
        ]
        print(json.dumps({"kit": arguments.kit, "findings": findings}, indent=1))
    else:
        for f in found:
            print(f"{f.level:8} {f.where}: {f.message}  [{f.rule}]")
    return 1 if found else 0


def _limits(words: list[str]) -> Any:
    from puddle.check.limits import BY_ID, Limits

    own: dict[str, float] = {}
    off = set()
    for word in words:
        name, _, value = word.partition("=")
        if name not in BY_ID:
            raise PuddleError(
                f"--limit {word}: there is no rule “{name}”; --limit list tells them."
            )
        if value == "off":
            off.add(name)
            continue
        rule = BY_ID[name]
        try:
            own[name] = float(value)
        except ValueError:
            raise PuddleError(f"--limit {word}: “{value}” is no number.") from None
        if not rule.unit or not rule.low <= own[name] <= rule.high:
            span = f"from {rule.low:g} to {rule.high:g} {rule.unit}" if rule.unit else "off"
            raise PuddleError(f"--limit {word}: {name} can be {span}.")
    return Limits(own, frozenset(off))


def export(arguments: argparse.Namespace) -> int:
    """Writes all, or nothing."""
    from puddle.cli.kits import with_kit
    from puddle.deliver.making import Making
    from puddle.deliver.whole import plan_of
    from puddle.deliver.writing import standing, write_plan, write_zip
    from puddle.files import shown

    options = _options(arguments)
    kind = arguments.kind

    def work(kit: Any, takes: Any, store: Any) -> None:
        plan = plan_of(Making(kit, takes, store, options), flat=kind not in ("whole", "zip"))
        if not plan.files:
            raise PuddleError(f"{arguments.kit} holds nothing that can be exported as {kind}.")
        share = progress("exporting")

        def show(done: int, of: int, one: Any) -> None:
            share(done / of)

        if kind == "zip":
            target = Path(arguments.to)
            path = target if target.suffix.lower() == ".zip" else target / f"{plan.name}.zip"
            if path.exists() and arguments.there != "replace":
                raise PuddleError(f"{shown(path)} is there already; --there replace replaces it.")
            folder_at(str(path.parent))
            _tell(plan.told)
            write_zip(plan, path, show, arguments.jobs)
            print(shown(path))
            return
        folder = Path(arguments.to)
        there = standing(plan, folder)
        if there and not arguments.there:
            raise PuddleError(
                f"{len(there)} of {len(plan.files)} files are in {shown(folder)} already, as "
                f"{there[0]}; --there keep, replace or skip says what becomes of them."
            )
        _tell(plan.told)
        how = {"keep": "keep both", "replace": "replace", "skip": "skip"}
        made = write_plan(plan, folder, how.get(arguments.there or "keep"), show, arguments.jobs)  # type: ignore[arg-type]
        print(f"{len(made.paths)} files, {made.size / 1e6:.1f} MB in {shown(folder)}")

    with_kit(arguments.kit, arguments.rate, work, most_bytes=_BYTES)
    return 0


def _tell(sentences: list[str]) -> None:
    for sentence in sentences:
        print(sentence, file=sys.stderr)


def _options(arguments: argparse.Namespace) -> Any:
    from puddle.deliver.options import NAME_SCHEME, Options

    formats = {"flac": "flac", "aiff": "aiff"}
    kinds: dict[str, tuple[str, ...]] = {
        "sfz": ("instrument",),
        "midi": ("midi",),
        "stems": ("groove", "stems"),
        "whole": ("one-shots", "instrument", "groove", "stems", "midi", "kit"),
    }
    kinds["zip"] = kinds["whole"]
    return Options(
        what=kinds.get(arguments.kind, ("one-shots",)),  # type: ignore[arg-type]
        format=formats.get(arguments.kind, f"wav {arguments.bits}"),  # type: ignore[arg-type]
        rate_hz=arguments.rate,
        source=arguments.source,
        scheme=arguments.names or NAME_SCHEME,
    )


def import_sfz(arguments: argparse.Namespace) -> int:
    """A kit file; what of the instrument is not in it is told on stderr."""
    from puddle.deliver.from_sfz import kit_from_sfz
    from puddle.files import scratch_folder, sweep
    from puddle.formats.kitfile import SUFFIX, save_kit
    from puddle.formats.store import SampleStore

    sweep()
    out = Path(arguments.out)
    if out.suffix.lower() != SUFFIX:
        out = out.with_name(f"{out.name}{SUFFIX}")
    with scratch_folder() as folder:
        store = SampleStore(folder, _BYTES)
        try:
            root = Path(arguments.root) if arguments.root else None
            made = kit_from_sfz(Path(arguments.file), store, root)
            _tell(made.told)
            save_kit(out, made.kit, store)
        finally:
            store.close()
    count = len(made.kit.pads)
    print(f"{out}: {count} pad{'s' if count != 1 else ''}, {len(made.kit.contents)} samples")
    return 0
