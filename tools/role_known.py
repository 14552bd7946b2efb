"""Measures the traits of recordings whose role is known, for `tools/role_fit.py` and the tests.

`python -m tools.role_known FOLDER TABLE` reads the sound files of folders that are called after
roles (`FOLDER/kick/a001.wav`) and writes a line for each; with `--varied` a second one, as the same
hit might also have been recorded: faster or slower, damped, duller, in a room, begun late. The
letters that a file's name begins with tell which recordings are of one source.
"""

from __future__ import annotations

import argparse
import csv
import re
from pathlib import Path

import numpy as np
from scipy import signal

from puddle.formats.sound import read_sound
from puddle.measure.pitch import fundamental_of
from puddle.measure.role import ROLES
from puddle.measure.spectrum import whole_spectrum
from puddle.measure.traits import NAMES, traits


def traits_of(audio: np.ndarray, rate_hz: float) -> np.ndarray | None:
    """The traits of float32 (frames, 1 or 2)."""
    whole = whole_spectrum(audio, rate_hz)
    return traits(whole, fundamental_of(whole))


def recorded_otherwise(audio: np.ndarray, rate_hz: float, rng: np.random.Generator) -> np.ndarray:
    """A hit as it might also have been recorded: float32 (frames, channels)."""
    slower = round(100 * 2.0 ** (rng.uniform(-2.5, 2.5) / 12.0))
    wave = signal.resample_poly(audio.astype(np.float64), 100, slower, axis=0)
    if rng.random() < 0.5:  # damped
        time = np.arange(wave.shape[0]) / rate_hz
        wave *= np.exp(-time / rng.uniform(0.08, 1.0))[:, None]
    if rng.random() < 0.4:  # duller
        edge = min(rng.uniform(7000.0, 16000.0), 0.45 * rate_hz)
        wave = signal.sosfilt(signal.butter(1, edge, fs=rate_hz, output="sos"), wave, axis=0)
    if rng.random() < 0.5:  # in a room, begun late
        before, behind = (round(rng.uniform(0.0, s) * rate_hz) for s in (0.05, 0.2))
        wave = np.pad(wave / np.abs(wave).max(), ((before, behind), (0, 0)))
        wave += 10.0 ** (rng.uniform(-75.0, -50.0) / 20.0) * rng.standard_normal(wave.shape)
    return wave.astype(np.float32)


def _rows(folder: Path, varied: bool) -> list[list[str]]:
    found = []
    for role in ROLES:
        for number, path in enumerate(sorted((folder / role).glob("*"))):
            sound = read_sound(path)
            takes = [sound.audio]
            if varied:
                rng = np.random.default_rng((ROLES.index(role), number))
                takes.append(recorded_otherwise(sound.audio, sound.rate_hz, rng))
            source = re.match(r"[a-z]*", path.stem).group()  # type: ignore[union-attr]
            for take in takes:
                row = traits_of(take, sound.rate_hz)
                if row is not None:
                    found.append([role, source, *(f"{value:.3f}" for value in row)])
    return found


def read_table(path: Path) -> tuple[list[str], list[str], np.ndarray]:
    """Roles, sources and traits, float32 (rows, traits), of a table."""
    with path.open(newline="") as file:
        head, *rows = csv.reader(file)
    if tuple(head[2:]) != NAMES:
        raise ValueError(f"{path} was measured with other traits.")
    return [r[0] for r in rows], [r[1] for r in rows], np.array([r[2:] for r in rows], np.float32)


def main() -> None:
    """Writes a table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("table", type=Path)
    parser.add_argument("--varied", action="store_true")
    given = parser.parse_args()
    rows = _rows(given.folder, given.varied)
    with given.table.open("w", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["role", "source", *NAMES])
        writer.writerows(rows)
    print(f"{given.table}: {len(rows)} lines")


if __name__ == "__main__":
    main()
