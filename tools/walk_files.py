"""Files that a walk drops: sounds of our own making, and what is none."""

from __future__ import annotations

import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def files_in(folder: Path) -> list[Path]:
    """Sounds of our own making, and what is none."""
    import numpy as np

    from puddle.demo.recordings import session_files
    from puddle.formats.sound import write_wav

    made = []
    for name, data in list(session_files().items())[:4]:
        (folder / name).write_bytes(data)
        made.append(folder / name)
    rng = np.random.default_rng(7)
    for n in range(3):
        decay = np.exp(-np.arange(9600) / 1500.0)[:, None]
        audio = (0.2 * (n + 1) * rng.standard_normal((9600, 2)) * decay).astype(np.float32)
        write_wav(folder / f"gravel {n + 1}.wav", audio, 48000.0)
        made.append(folder / f"gravel {n + 1}.wav")
    (folder / "broken.wav").write_bytes(b"RIFF" + bytes(60))
    (folder / "broken.puddle").write_bytes(b"PK\x03\x04 rubbish")
    (folder / "inside").mkdir()
    (folder / "inside" / "a.wav").write_bytes(made[0].read_bytes())
    os.mkfifo(folder / "pipe.wav")
    return [
        *made, folder / "broken.wav", folder / "broken.puddle", folder / "inside",
        folder / "pipe.wav", folder / "nowhere.wav",
    ]  # fmt: skip
