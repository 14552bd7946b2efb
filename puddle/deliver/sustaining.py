"""Loops of held pads, found again in what was rendered."""

from __future__ import annotations

import numpy as np

from puddle.kit.model.document import Pad, Sample
from puddle.render.take import heard_layers
from puddle.units import ratio_from_semitones

_SAME = 10.0 ** (-90.0 / 20.0)
_LEAST_S = 0.01


def sustained(pad: Pad, audio: np.ndarray, rate_hz: float) -> tuple[int, int] | None:
    """The first and last frame of what goes round in a held pad's take, float32 (frames, 2).

    None where it does not: its one layer has to be a looped sample, and the take must repeat it
    sample by sample, twice, within -90 dB.
    """
    layers = heard_layers(pad.sound)
    if pad.trigger != "gate" or len(layers) != 1:
        return None
    layer, source = layers[0], layers[0].source
    if not isinstance(source, Sample) or not source.loop or source.loop_end_ms <= 0.0:
        return None
    ratio = ratio_from_semitones(layer.tune_st + layer.tune_ct / 100.0)
    ratio *= ratio_from_semitones(pad.tune_st + pad.tune_ct / 100.0)
    length = round((source.loop_end_ms - source.loop_start_ms) / 1000.0 * rate_hz / ratio)
    start = round((source.loop_end_ms + max(0.0, layer.offset_ms)) / 1000.0 * rate_hz / ratio) + 1
    if length < _LEAST_S * rate_hz or start + 3 * length > audio.shape[0]:
        return None
    turn = audio[start : start + length]
    peak = float(np.abs(turn).max(initial=0.0))
    later = audio[start + length : start + 3 * length]
    if peak == 0.0 or float(np.abs(later - np.tile(turn, (2, 1))).max()) > _SAME * peak:
        return None
    return start, start + length - 1
