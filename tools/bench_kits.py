"""A large kit of made recordings, for the benchmarks."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tools.bench_lines import RATE

if TYPE_CHECKING:
    from puddle.formats.store import SampleStore
    from puddle.kit.model.document import Content, Pad


def large_pads(
    store: SampleStore, pads: int = 96, strengths: int = 6, seconds: float = 0.5
) -> tuple[list[Pad], list[Content]]:
    """Pads of several strengths, two turns each, and their samples: noise that falls."""
    from puddle.formats.sound import decoded_sound, wav_bytes
    from puddle.kit.model.document import Layer, Pad, Sample, Sound

    rng = np.random.default_rng(0)
    frames = round(seconds * RATE)
    fall = np.exp(-np.arange(frames) / (frames / 6.0))[:, None]
    wide = 127 // strengths
    made, contents = [], []
    for p in range(pads):
        layers = []
        for k in range(2 * strengths):
            hit = (0.1 * fall * rng.standard_normal((frames, 2))).astype(np.float32)
            raw = wav_bytes(hit, RATE, "24")
            content = store.add(decoded_sound(raw, "a.wav", ".wav"), f"{p}-{k}.wav")
            contents.append(content)
            rung, last = k // 2, k // 2 == strengths - 1
            layer = Layer(
                id=f"layer{k + 1}",
                name=f"{k}",
                source=Sample(content=content.hash, end_ms=content.length_ms),
                softest=1 + wide * rung,
                hardest=127 if last else wide * (rung + 1),
                turn=k % 2 + 1,
            )
            layers.append(layer)
        made.append(Pad(id=f"pad{p + 1}", name=f"{p}", place=p, sound=Sound(layers=tuple(layers))))
    return made, contents
