"""The metronome: clicks on the beats of the groove, mixed in after everything that is exported.

A click sounds with the strokes of its beat: as late as the stages of the buses make them.
"""

from __future__ import annotations

import math

import numpy as np

from puddle.engine.layout import CLICK_FRAMES
from puddle.engine.pointers import f32_at
from puddle.kernels.compiling import carray, kernel
from puddle.kernels.quantum import QUANTUM

_EXACT = 1e-6


def click_tables(rate_hz: float) -> np.ndarray:
    """A click of the first beat and one of the others: float32 (2, CLICK_FRAMES), at -12 dBFS.

    Decaying sines with a soft edge, an octave apart, so that drums do not hide them.
    """
    seconds = np.arange(CLICK_FRAMES) / rate_hz
    edge = np.minimum(1.0, seconds / 0.0005)
    made = [
        0.25 * edge * np.exp(-seconds / decay) * np.sin(2.0 * np.pi * hz * seconds)
        for hz, decay in ((2637.0, 0.012), (1318.5, 0.009))
    ]
    fade = np.clip((CLICK_FRAMES - np.arange(CLICK_FRAMES)) / (0.2 * CLICK_FRAMES), 0.0, 1.0)
    return (np.array(made) * fade).astype(np.float32)


@kernel
def add_clicks(engine, monitor, audio, ran):
    """Adds the next quantum of clicks."""
    if engine.playing == 0:
        monitor.click_left = 0
        return
    per_beat = 60.0 * engine.rate / engine.bpm
    first = engine.clock - QUANTUM - engine.late
    if ran == 0 or monitor.click_on == 0.0:
        monitor.click_left = 0
    begun = engine.base_beat + (first - engine.base_frame) / per_beat
    unit = monitor.click_unit
    coming = math.ceil((begun - monitor.click_origin) / unit - 2.0 / per_beat)
    clicks = carray(f32_at(monitor.clicks), (2, CLICK_FRAMES))
    for n in range(QUANTUM):
        beat = monitor.click_origin + coming * unit
        frame = engine.base_frame + math.floor((beat - engine.base_beat) * per_beat + 0.5)
        while frame < first + n:
            coming += 1
            beat = monitor.click_origin + coming * unit
            frame = engine.base_frame + math.floor((beat - engine.base_beat) * per_beat + 0.5)
        counted = beat >= engine.first_beat - _EXACT
        wanted = monitor.click_on == 1.0 or (monitor.click_on == 2.0 and beat < -_EXACT)
        if frame == first + n and counted and wanted:
            monitor.click_left = CLICK_FRAMES
            monitor.click_which = 0 if coming % monitor.click_count == 0 else 1
        if monitor.click_left > 0:
            place = CLICK_FRAMES - monitor.click_left
            level = np.float32(clicks[monitor.click_which, place] * monitor.click_gain)
            audio[n, 0] += level
            audio[n, 1] += level
            monitor.click_left -= 1
