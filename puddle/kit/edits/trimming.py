"""A new sample's region: from its onset, with a lead-in that does not click."""

from __future__ import annotations

from puddle.kit.model.document import Content, Kit, Sample

LEAD_MS = 1.0  # of the recording before its onset, faded in
_LEAST_MS = 0.5  # a shorter start is left as it is


def trimmed(content: Content, onset_ms: float) -> Sample:
    """The region of a recording whose hit begins at an onset; the whole of it where that is 0."""
    start = onset_ms - LEAD_MS
    if start < _LEAST_MS or start >= content.length_ms:
        return Sample(content=content.hash, end_ms=content.length_ms)
    return Sample(
        content=content.hash, start_ms=start, end_ms=content.length_ms, fade_in_ms=LEAD_MS
    )


def as_used(kit: Kit, content: Content) -> Sample:
    """A recording of the kit as another layer cuts it; whole where none does."""
    for layer in (layer for pad in kit.pads for layer in pad.sound.layers):
        if isinstance(layer.source, Sample) and layer.source.content == content.hash:
            used = layer.source
            return Sample(
                content=content.hash,
                start_ms=used.start_ms,
                end_ms=used.end_ms,
                fade_in_ms=used.fade_in_ms,
                fade_out_ms=used.fade_out_ms,
            )
    return Sample(content=content.hash, end_ms=content.length_ms)
