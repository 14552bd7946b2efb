"""Deliver: a kit checked, written whole, and ten thousand one-shots streamed."""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tools.bench_kits import large_pads
from tools.bench_lines import RATE, line, most_mib

_RUNS = 3
_ONE_SHOTS = "one_shots"
_PADS, _STRENGTHS = 416, 12  # with two turns each: 9,984 one-shots


def deliver() -> None:
    """Every line."""
    with tempfile.TemporaryDirectory() as home:
        _check_demo(Path(home))
        _check_large(Path(home))
        _whole(Path(home))
        _many(Path(home))
        _regions(Path(home))


def _check_demo(home: Path) -> None:
    """A first check of the demo: nothing is rendered yet."""
    from puddle.check.checking import check
    from puddle.demo.raingauge import demo_kit
    from puddle.formats.store import SampleStore
    from puddle.render.take import Takes

    store = SampleStore(home / "demo")
    kit = demo_kit(store)
    times = []
    for n in range(_RUNS + 1):
        start = time.perf_counter()
        check(kit, Takes(store, RATE), store)
        if n:
            times.append(time.perf_counter() - start)
    line("the demo checked", f"{statistics.median(times):.2f} s", "2 s")


def _check_large(home: Path) -> None:
    from puddle.check.checking import check
    from puddle.formats.store import SampleStore
    from puddle.kit.model.document import Kit
    from puddle.render.take import Takes

    store = SampleStore(home / "large")
    pads, contents = large_pads(store)
    kit = Kit(name="large", pads=tuple(pads), contents=tuple(contents))
    start = time.perf_counter()
    check(kit, Takes(store, RATE), store)
    line("a kit of 1,152 samples checked", f"{time.perf_counter() - start:.2f} s", "20 s")


def _whole(home: Path) -> None:
    """The command, from its start to its end."""
    folder = home / "written"
    subprocess.run([sys.executable, "-m", "puddle", "demo", "--write", folder], check=True,
                   capture_output=True)  # fmt: skip
    times = []
    for n in range(_RUNS):
        start = time.perf_counter()
        words: list[str | Path] = [
            "export",
            folder / "Rain Gauge.puddle",
            "--as",
            "whole",
            "--to",
            home / f"{n}",
        ]
        subprocess.run([sys.executable, "-m", "puddle", *words], check=True, capture_output=True)
        times.append(time.perf_counter() - start)
    line("the demo delivered whole, by the command", f"{statistics.median(times):.2f} s", "10 s")


def _many(home: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "tools.bench_deliver", _ONE_SHOTS, home / "many"],
        check=True, capture_output=True, text=True,
    )  # fmt: skip
    seconds, mib = done.stdout.split()
    line("9,984 one-shots: memory at most", f"{float(mib):.0f} MiB, in {float(seconds):.0f} s",
         "600 MiB")  # fmt: skip


def _one_shots(home: Path) -> None:
    """In a process of its own, whose memory is looked at when it ends."""
    from puddle.deliver.making import Making
    from puddle.deliver.options import Options
    from puddle.deliver.whole import plan_of
    from puddle.deliver.writing import write_plan
    from puddle.formats.store import SampleStore
    from puddle.kit.model.document import Kit
    from puddle.render.take import Takes

    store = SampleStore(home / "samples", 128 << 20)
    pads, contents = large_pads(store, _PADS, _STRENGTHS, 0.15)
    kit = Kit(name="many", pads=tuple(pads), contents=tuple(contents))
    takes = Takes(store, RATE, 128 << 20)
    start = time.perf_counter()
    plan = plan_of(
        Making(kit, takes, store, Options(what=("one-shots",), scheme="{pad} {velocity} {turn}"))
    )
    made = write_plan(plan, home / "out")
    seconds = time.perf_counter() - start
    assert len(made.paths) == 2 * _PADS * _STRENGTHS
    print(seconds, most_mib())


def _regions(home: Path) -> None:
    """An instrument of 100,000 regions read, and made a kit."""
    from puddle.deliver.from_sfz import kit_from_sfz
    from puddle.formats.sound import wav_bytes
    from puddle.formats.store import SampleStore

    folder = home / "sfz"
    folder.mkdir()
    import numpy as np

    (folder / "a.wav").write_bytes(wav_bytes(np.ones((480, 2), np.float32), RATE, "16"))
    lines = [
        f"<region> sample=a.wav key={n % 128} tune={n % 128} lovel={n // 128 % 126 + 1}"
        for n in range(100_000)
    ]
    (folder / "a.sfz").write_text("\n".join(lines))
    start = time.perf_counter()
    kit_from_sfz(folder / "a.sfz", SampleStore(home / "sfz-samples"))
    line("an SFZ instrument of 100,000 regions read", f"{time.perf_counter() - start:.1f} s", "-")


if __name__ == "__main__":
    if sys.argv[1:2] == [_ONE_SHOTS]:
        _one_shots(Path(sys.argv[2]))
    else:
        deliver()
