"""Cut: two hours looked at, marks that follow a gauge, hits found, sent and lifted."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

from tools.bench_lines import RATE, line, timed

_HOURS_S = 7200
_CASES = 40


def _long(folder: Path) -> Path:
    """Two hours of a made minute, again and again."""
    from tests.support.made_recordings import recording

    audio = recording(5, seconds=60.0).audio
    path = folder / "long.wav"
    with soundfile.SoundFile(path, "w", round(RATE), 2, "PCM_24") as file:
        for _ in range(_HOURS_S // 60):
            file.write(audio)
    return path


def looking() -> None:
    """Overview, marks and a moved sensitivity of two hours."""
    from puddle.formats.recording_file import RecordingFile
    from puddle.kit.model.document import Recording
    from puddle.library.cutting import first_look, looked_at
    from puddle.library.marked import marked
    from puddle.parameter import changed

    with tempfile.TemporaryDirectory() as folder:
        path = _long(Path(folder))
        with RecordingFile(path) as file:
            start = time.perf_counter()
            first_look(file)
            line("overview of two hours", f"{time.perf_counter() - start:.2f} s", "1 s")
            start = time.perf_counter()
            noted, _ = looked_at(file)
            line("marks of two hours, two cores", f"{time.perf_counter() - start:.1f} s", "60 s")
        shown = Recording(id="r", name="r", path=str(path))
        count = len(marked(noted, shown))
        other = changed(shown, sensitivity=55.0)
        ms = timed(lambda: marked(noted, other), 7)
        line(f"another sensitivity, {count:,} hits", f"{ms:.0f} ms", "50 ms")


def finding() -> None:
    """How many of the hits of unseen made recordings are found, and how near."""
    from puddle.measure.hits import starts_of
    from puddle.measure.onsets import risen
    from tests.support.made_recordings import matched, recording

    right = found = wanted = 0
    away: list[float] = []
    for seed in range(900, 920):
        made = recording(seed, floor_db=-50.0 if seed % 2 else -70.0)
        mono = made.audio.mean(axis=1).astype(np.float32)
        starts = starts_of(risen(mono, RATE), RATE, 0.5, 10.0)
        near = matched(starts, made.begins, 0.010 * RATE)
        right, found, wanted = right + len(near), found + starts.size, wanted + len(made.begins)
        away += near
    line("hits found within 10 ms", f"F {2.0 * right / (found + wanted):.4f}", "0.985")
    line("... from where they begin", f"{1000.0 * np.mean(away) / RATE:.2f} ms", "0.3 ms")


def sending() -> None:
    """Two hundred hits into a kit."""
    from puddle.formats.recording_file import RecordingFile
    from puddle.formats.store import SampleStore
    from puddle.kit.model.document import Recording
    from puddle.library.cutting import looked_at
    from puddle.library.marked import marked
    from puddle.library.sending import sent
    from tests.support.made_recordings import recording

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "take.wav"
        soundfile.write(path, recording(7, seconds=90.0).audio, round(RATE), subtype="PCM_24")
        with RecordingFile(path) as file:
            noted, _ = looked_at(file)
            cut = marked(noted, Recording(id="r", name="r", path=str(path)))
            names = [(int(at), f"hit {n}") for n, at in enumerate(cut.starts[:200])]
            for whole in (True, False):
                store = SampleStore(Path(folder) / f"store {whole}")
                start = time.perf_counter()
                sent(file, cut, names, store, whole=whole)
                seconds = time.perf_counter() - start
                kept = "as regions" if whole else "each as its part"
                line(f"{len(names)} hits sent, {kept}", f"{seconds:.2f} s", "1 s")
                store.close()


def lifting() -> None:
    """Signal to distortion of lifted hits beside the plain cut's, by how much rings on."""
    from puddle.measure.lifting import lifted
    from tests.measure.test_lifting import Lifted, ratio_db

    cases = []
    for seed in range(1000, 1000 + _CASES):
        before, hit, truth = Lifted().mix(seed)
        made = lifted(before, hit, RATE, 1.0)
        cases.append((ratio_db(truth, hit), ratio_db(truth, made)))
    plain, won = np.array(cases)[:, 0], np.diff(np.array(cases), axis=1)[:, 0]
    for low, high in ((-40, 10), (10, 30), (30, 90)):
        here = (plain >= low) & (plain < high)
        if here.any():
            line(
                f"lifted, plain cut {low} to {high} dB, {here.sum()} hits",
                f"{won[here].mean():+.1f} dB, worst {won[here].min():+.1f}",
                "over -0.5",
            )


def cut() -> None:
    """All of Cut."""
    looking()
    finding()
    sending()
    lifting()


if __name__ == "__main__":
    cut()
