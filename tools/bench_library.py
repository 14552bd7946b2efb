"""Speed of the library on made-up entries, and of scanning on made one-shots.

`python -m tools.bench_library [ENTRIES [FILES]]`: by default a million entries, and 1,600 files.
"""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from puddle.formats.sound import wav_bytes
from puddle.kit.model.roles import ROLES
from puddle.library.index import Index
from puddle.library.library import Library
from puddle.library.measuring import Processes, all_cores
from puddle.library.scanner import scan
from puddle.library.search import Query
from puddle.measure.likeness import WIDTH
from puddle.voices import STARTING_POINTS
from tools.bench_lines import line, most_mib

_WORDS = ("oak", "rain", "hull", "chain", "plank", "tarp", "lantern", "gull", "slip",
          "keel", "rope", "nail", "crate", "drum", "wet", "short", "dark", "bell")  # fmt: skip
_PART = 50_000
_SHOT_S = 0.7


def _rows(
    count: int,
) -> Iterator[tuple[list[tuple[object, ...]], list[tuple[object, ...]], list[tuple[object, ...]]]]:
    """Sounds, files and words, part by part."""
    roles = list(ROLES)
    for start in range(0, count, _PART):
        rng = np.random.default_rng(start)
        size = min(_PART, count - start)
        logs = np.exp(rng.normal(0.0, 1.0, (size, 7)))
        rows = rng.standard_normal((size, WIDTH)).astype(np.float32) * 3.0
        words = rng.integers(len(_WORDS), size=(size, 3))
        picture = bytes(192)
        sounds, files, texts = [], [], []
        for n in range(size):
            number = start + n + 1
            name = " ".join(_WORDS[w] for w in words[n]) + f" {number % 97:02}.wav"
            length, bright, pitch, attack, decay, noise, loud = logs[n].tolist()
            role = roles[number % len(roles)]
            sounds.append((f"{number:064x}", "{}", picture, rows[n].tobytes(), 300.0 * length,
                           3000.0 * bright, 200.0 * pitch if number % 3 else None,
                           -20.0 + 3.0 * np.log(loud), attack, 200.0 * decay, 0.05 * noise, None,
                           0, 0.0, role, 0.7))  # fmt: skip
            folder = f"{number // 400:06}"
            path = f"/made/{folder}/{number} {name}".encode()
            files.append((number, 1 + number // 400, path, name, 1, 1, f"{number:064x}"))
            texts.append((number, f"made {folder} {name}"))
        yield sounds, files, texts


def made_library(folder: Path, count: int) -> None:
    """An index of so many entries."""
    index = Index(folder)
    with index.change() as db:
        for sounds, files, texts in _rows(count):
            db.executemany(f"INSERT INTO sounds VALUES ({','.join('?' * 16)})", sounds)
            db.executemany(
                "INSERT INTO files (id, folder, path, name, size, changed_ns, hash)"
                " VALUES (?, ?, ?, ?, ?, ?, ?)", files,
            )  # fmt: skip
            db.executemany("INSERT INTO words (rowid, text) VALUES (?, ?)", texts)
        db.executemany(
            "INSERT INTO folders (id, path, parent) VALUES (?, ?, 0)",
            [(1 + n, f"/made/{n:06}".encode()) for n in range(count // 400 + 1)],
        )
    index.columns = index._columns_of_all()
    index.close()


def _ms(work: object, times: int = 7) -> float:
    assert callable(work)
    taken = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        taken.append(1000.0 * (time.perf_counter() - began))
    return float(np.median(taken))


def asked(folder: Path, count: int) -> None:
    """Questions over many entries."""
    began = time.perf_counter()
    library = Library(folder)
    opened = time.perf_counter() - began
    line(f"library of {count:,} opened", f"{opened:.2f} s", "away from the window")
    ranges = {"length_ms": (100.0, 900.0), "brightness_hz": (500.0, 9000.0),
              "loudness_lufs": (-30.0, -10.0)}  # fmt: skip

    words = iter(_WORDS * 3)

    def page() -> None:
        query = Query(words=next(words), roles=("hat", "kick"), ranges=ranges)
        found = library.sieved(query)
        library.entries(library.ordered(found.ids, "length_ms")[:40])

    line("first page: a word, two roles, three ranges", f"{_ms(page):.0f} ms", "100 ms")
    ends = iter(np.linspace(200.0, 2000.0, 40).tolist())

    def drag() -> None:
        library.sieved(Query(ranges={**ranges, "length_ms": (50.0, next(ends))}))

    line("histograms while a range is dragged", f"{_ms(drag, 15):.0f} ms", "50 ms")
    every = library.sieved(Query()).ids
    row = library.row_of(77)
    near = _ms(lambda: library.nearest(row, every, 16))
    line("more like this", f"{near:.0f} ms", "40 ms")
    line("memory", f"{most_mib():.0f} MiB", "700 MiB")
    library.close()


def scanned(folder: Path, count: int) -> None:
    """Files of 0.7 s measured on all cores."""
    sounds = folder / "sounds"
    sounds.mkdir()
    points = [v for named in STARTING_POINTS.values() for v in named.values()]
    for n in range(count):
        audio = points[n % len(points)].render(48000.0, 1.0)[: round(_SHOT_S * 48000.0), :1]
        data = wav_bytes(audio * np.float32(0.9 - 0.4 * n / count), 48000.0, "16")
        (sounds / f"{n}.wav").write_bytes(data)
    index = Index(folder / "index")
    for what, budget in (("scanned", "143 a second on two cores"), ("nothing changed", "-")):
        began = time.perf_counter()
        counts = scan(index, [os.fsencode(sounds)], Processes(all_cores()))
        taken = time.perf_counter() - began
        said = f"{taken:.2f} s, {counts.entries / taken:.0f} a second"
        line(f"{count} one-shots {what}", said, budget)
    index.close()


def main() -> None:
    """Both."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    files = int(sys.argv[2]) if len(sys.argv) > 2 else 1600
    folder = Path(tempfile.mkdtemp(prefix="puddle-bench-"))
    try:
        scanned(folder, files)
        made_library(folder / "made", count)
        asked(folder / "made", count)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
