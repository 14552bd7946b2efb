"""Verbs that read a kit: render, bounce; and schema."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from puddle.cli.told import folder_at, progress
from puddle.errors import PuddleError

if TYPE_CHECKING:
    from puddle.formats.store import SampleStore
    from puddle.kit.model.document import Kit, Pad, Pattern
    from puddle.render.take import Takes


def with_kit(
    kit_path: str,
    rate: int,
    work: Callable[[Kit, Takes, SampleStore], None],
    *,
    tells_damage: bool = True,
    most_bytes: int = 512 << 20,
) -> None:
    """Opens a kit in a store of its own, calls `work`, and reports what was missing."""
    from puddle.files import scratch_folder, sweep
    from puddle.formats.kitfile import damage, open_kit
    from puddle.formats.sound import HIGHEST_RATE, LOWEST_RATE
    from puddle.formats.store import SampleStore
    from puddle.render.take import Takes

    if not max(8000, LOWEST_RATE) <= rate <= HIGHEST_RATE:
        raise PuddleError(f"--rate {rate} is outside 8000 to {HIGHEST_RATE} Hz.")
    sweep()
    with scratch_folder() as folder:
        store = SampleStore(folder, most_bytes)
        opened = open_kit(Path(kit_path), store)
        problems = list(opened.problems)
        try:
            if tells_damage:
                problems += damage(opened.kit, store)
                for problem in problems:
                    print(problem, file=sys.stderr)
            work(opened.kit, Takes(store, float(rate), most_bytes), store)
        finally:
            store.close()


def render(arguments: argparse.Namespace) -> int:
    """One strike of a pad."""

    def work(kit: Kit, takes: Takes, _: SampleStore) -> None:
        from puddle.engine.offline import strike
        from puddle.formats.sound import write_wav
        from puddle.kit.model.tonality import NO_NOTE
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

    with_kit(arguments.kit, arguments.rate, work)
    return 0


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


def bounce(arguments: argparse.Namespace) -> int:
    """The groove through the mix."""

    def work(kit: Kit, takes: Takes, _: SampleStore) -> None:
        from puddle.engine.offline import bounce as bounced
        from puddle.engine.offline import lane_stems
        from puddle.formats.midi import write_midi
        from puddle.formats.sound import write_wav
        from puddle.kit.model.pattern import bar_beats
        from puddle.kit.playing.schedule import bars_of

        pattern = _pattern_named(kit.patterns, arguments.pattern)
        bars = arguments.bars if arguments.bars is not None else bars_of(pattern)
        if not 1 <= bars <= 999:
            raise PuddleError(f"--bars {bars} is outside 1 to 999.")
        made = bounced(kit, pattern, bars, takes, progress("bouncing"))
        said = write_wav(arguments.out, made.master, made.rate_hz, arguments.bits)
        _warn_clipped(arguments.out, said)
        if arguments.stems:
            folder = folder_at(arguments.stems)
            stems = made.stems
            if arguments.by == "lane":
                stems = lane_stems(kit, pattern, bars, takes, progress("stems"))
            for name, audio in stems.items():
                safe = "".join(c if c.isalnum() or c in " -_" else "_" for c in name)
                stem = folder / f"{safe}.wav"
                _warn_clipped(stem, write_wav(stem, audio, made.rate_hz, arguments.bits))
        if arguments.midi:
            write_midi(Path(arguments.midi), kit, pattern, bars * bar_beats(pattern.meter))

    with_kit(arguments.kit, arguments.rate, work)
    return 0


def _pattern_named(patterns: Sequence[Pattern], wanted: str | None) -> Pattern:
    for pattern in patterns:
        if wanted is None or pattern.name == wanted:
            return pattern
    known = ", ".join(p.name for p in patterns)
    raise PuddleError(f"There is no pattern “{wanted or ''}”; the kit has {known or 'none'}.")


def schema(arguments: argparse.Namespace) -> int:
    """The kit file's JSON Schema."""
    from puddle.kit.codec.reading import kit_schema

    print(json.dumps(kit_schema(), indent=1))
    return 0
