"""The timing of a recording's hits by itself: silent pads and a pattern, for MIDI files."""

from __future__ import annotations

from collections.abc import Sequence

from puddle.kit.edits.pads import add_pad
from puddle.kit.edits.slices import Tempo, timed_pattern
from puddle.kit.model.document import Kit, Likes, Pattern, Sound
from puddle.library.marked import Marked


def timing(name: str, cut: Marked, groups: Sequence[Likes], tempo: Tempo) -> tuple[Kit, Pattern]:
    """Each group a pad of its role's note, its hits at exact times. Raises EditError for none."""
    kit = Kit(name=name[:120], tempo_bpm=min(300.0, max(20.0, tempo.bpm)))
    pads: dict[int, str] = {}
    for group in groups:
        kit, pad = add_pad(kit, group.name, group.role, Sound())
        pads |= dict.fromkeys(group.hits, pad.id)
    hits = [
        (pads[at], at / cut.rate_hz, level)
        for at, level in zip(cut.starts.tolist(), levels_of(cut), strict=True)
        if at in pads
    ]
    return kit, timed_pattern(name, hits, tempo, cut.frames / cut.rate_hz)


def levels_of(cut: Marked) -> list[float]:
    """How high each hit comes beside the highest, 0 to 1."""
    highest = float(cut.peaks.max(initial=1e-9))
    return [float(peak) / highest for peak in cut.peaks]
