"""How loud a kit's mix is over a pattern."""

from __future__ import annotations

from puddle.engine.offline import bounce_beats
from puddle.kit.model.document import Kit, Pattern
from puddle.kit.playing.groove import groove_of
from puddle.kit.playing.schedule import pattern_beats
from puddle.measure.levels import loudness_lufs
from puddle.render.take import Takes

_MOST_BEATS = 16.0


def mix_loudness(kit: Kit, pattern: Pattern, takes: Takes) -> float | None:
    """Integrated loudness of a pass, or of its first sixteen beats; None for silence."""
    beats = min(_MOST_BEATS, pattern_beats(pattern))
    made = bounce_beats(kit, groove_of(pattern), beats, takes)
    return loudness_lufs(made.master, takes.rate_hz)
