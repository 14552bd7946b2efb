"""What mends findings: each an edit of the kit, so that one undo takes it back."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import msgspec

from puddle.check.finding import Finding
from puddle.check.limits import Limits
from puddle.check.sounds import shortened
from puddle.errors import EditError
from puddle.files import writable
from puddle.kit import edits
from puddle.kit.edits.items import fresh_id
from puddle.kit.edits.levels import raised
from puddle.kit.model.document import Kit, Layer, Pad, Sample, Stage
from puddle.kit.model.roles import free_note
from puddle.kit.playing.key_tracking import pad_tune_st
from puddle.stages import Equalizer, Fade, Stereo

replace = msgspec.structs.replace
_LEAD_MS = 0.3  # before an onset
_FADE_IN_MS = 1.0
_SHORTEST_FADE_MS = 20.0
_LOW_CUT_HZ = 20.0
_MONO_HZ = 200.0  # two one-poles: what lies under 150 Hz is well below it
_LOOP_FADE_MS = 20.0
_MORE_DB = 6.0  # than just under the limit: what was loud before it is faded less
_LISTENED_MS = 8.0  # before the end: there a fade has to have done its work


def mended(kit: Kit, finding: Finding, limits: Limits, length_ms: float = 0.0) -> Kit:
    """The kit without what was found; `length_ms` is that of the sound, where its end is mended.

    Raises EditError where nothing mends it by itself, or the pad is gone.
    """
    mend = _MENDS.get(finding.rule)
    if mend is None or not finding.mend:
        raise EditError(f"Nothing mends it by itself: {finding.where} {finding.message}.")
    return mend(kit, finding, limits, length_ms)


def _pad(kit: Kit, finding: Finding) -> Pad:
    return edits.pad_of(kit, finding.pad)


def _lower(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    pad = _pad(kit, finding)
    by = math.ceil(100.0 * (finding.figure - limits.of("clips"))) / 100.0
    return edits.set_pad(kit, pad.id, level_db=pad.level_db - by)


def _trim(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    start = _pad(kit, finding).sound.start_ms + max(0.0, finding.figure - _LEAD_MS)
    return edits.set_sound(kit, finding.pad, start_ms=start)


def _with_stage(
    kit: Kit, pad: Pad, process: Equalizer | Fade | Stereo, *, first: bool = False
) -> Kit:
    stages = pad.sound.stages
    stage = Stage(id=fresh_id("stage", [s.id for s in stages]), process=process)
    row = (stage, *stages) if first else (*stages, stage)
    return edits.with_pad(kit, pad, replace(pad, sound=replace(pad.sound, stages=row)))


def _fade_in(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    return _with_stage(kit, _pad(kit, finding), Fade(in_ms=_FADE_IN_MS))


def _tail(kit: Kit, finding: Finding, limits: Limits, length_ms: float) -> Kit:
    """Longer where the recording goes on; else faded by what is missing to the limit."""
    pad = _pad(kit, finding)
    found = shortened(kit, pad)
    if found:
        ends = {k.id: _content_ms(kit, k) for k in found}
        return _with_layers(
            kit, pad, lambda k: replace(k, source=changed_sample(k, end_ms=ends[k.id])), ends
        )
    wanted = 10.0 ** (-(finding.figure - limits.of("cut-off") + _MORE_DB) / 20.0)
    fade = math.pi * _LISTENED_MS / (2.0 * math.asin(math.sqrt(min(1.0, wanted))))
    fade = min(max(fade, _SHORTEST_FADE_MS), 0.9 * length_ms)
    return _with_stage(
        kit, pad, Fade(out_on=True, out_at_ms=max(1.0, length_ms - fade), out_ms=max(1.0, fade))
    )


def _content_ms(kit: Kit, layer: Layer) -> float:
    content = kit.content(layer.source.content) if isinstance(layer.source, Sample) else None
    return content.length_ms if content is not None else 0.0


def changed_sample(layer: Layer, **values: float) -> Sample:
    """A layer's sample with other values. Raises EditError where it is none."""
    if not isinstance(layer.source, Sample):
        raise EditError(f"{layer.name} is no sample.")
    return replace(layer.source, **values)


def _with_layers(kit: Kit, pad: Pad, change: Callable[[Layer], Layer], ids: Iterable[str]) -> Kit:
    """The kit with some layers of a pad changed."""
    chosen = set(ids)
    layers = tuple(change(k) if k.id in chosen else k for k in pad.sound.layers)
    return edits.with_layers(kit, pad.id, layers)


def _cut_bottom(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    cut = Equalizer(low_cut_on=True, low_cut_hz=_LOW_CUT_HZ)
    return _with_stage(kit, _pad(kit, finding), cut, first=True)


def _tune(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    tune = pad_tune_st(_pad(kit, finding)) - finding.figure / 100.0
    whole = round(tune)
    return edits.set_pad(
        kit, finding.pad, tune_st=float(whole), tune_ct=round(100.0 * (tune - whole), 1)
    )


def _mono(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    return _with_stage(kit, _pad(kit, finding), Stereo(mono_on=True, mono_hz=_MONO_HZ))


def _moved_under(kit: Kit, finding: Finding, by_db: float) -> Kit:
    """All layers that end at a velocity or under it, louder."""
    below = finding.velocities[0]
    pad = _pad(kit, finding)
    ids = [k.id for k in pad.sound.layers if k.hardest <= below]
    return _with_layers(kit, pad, lambda k: replace(k, level_db=_level(k.level_db + by_db)), ids)


def _level(db: float) -> float:
    return min(12.0, max(-60.0, db))


def _in_order(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    return _moved_under(kit, finding, -finding.figure - 0.1)


def _even_out(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    return _moved_under(kit, finding, finding.figure - limits.of("strength-jump") + 0.1)


def _close_gap(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    low, high = finding.velocities
    pad = _pad(kit, finding)
    below = [k.id for k in pad.sound.layers if k.on and k.hardest == low - 1]
    if below:
        return _with_layers(kit, pad, lambda k: replace(k, hardest=high, blend_out=0), below)
    above = [k.id for k in pad.sound.layers if k.on and k.softest == high + 1]
    return _with_layers(kit, pad, lambda k: replace(k, softest=low, blend_in=0), above)


def _part(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    low, high = finding.velocities
    pad = _pad(kit, finding)
    ids = [k.id for k in pad.sound.layers if k.hardest == high and k.softest < low]
    return _with_layers(kit, pad, lambda k: replace(k, hardest=low - 1), ids)


def _drop_sample(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    return replace(kit, contents=tuple(c for c in kit.contents if c.hash != finding.content))


def _to_role(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    return raised(kit, finding.pad, -finding.figure)


def _rename(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    if not finding.pad:
        return edits.set_kit(kit, name=writable(kit.name) if kit.name.strip() else "Kit")
    pad = _pad(kit, finding)
    taken = {p.name.casefold() for p in kit.pads if p.id != pad.id}
    base = writable(pad.name) if pad.name.strip() else pad.role.capitalize()
    name, count = base, 1
    while name.casefold() in taken:
        count += 1
        name = f"{base} {count}"
    return edits.set_pad(kit, pad.id, name=name)


def _note(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    """A pad without a note gets the first free one of its role; of two the later gives way."""
    pad = _pad(kit, finding)
    others = frozenset(n for p in kit.pads if p.id != pad.id for n in p.notes)
    kept = tuple(n for n in pad.notes if n not in others)
    if not kept:
        free = free_note(pad.role, others)
        kept = () if free is None else (free,)
    return edits.set_pad(kit, pad.id, notes=kept)


def _fill_keys(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    notes = _pad(kit, finding).notes
    return edits.set_pad(kit, finding.pad, notes=tuple(range(min(notes), max(notes) + 1)))


def _blend_loop(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    pad = _pad(kit, finding)

    def blended(layer: Layer) -> Layer:
        source = changed_sample(layer)
        most = min(source.loop_start_ms, source.loop_end_ms - source.loop_start_ms)
        fade = min(most, max(_LOOP_FADE_MS, 2.0 * source.loop_fade_ms))
        return replace(layer, source=replace(source, loop_fade_ms=fade))

    return _with_layers(kit, pad, blended, [finding.layer])


def _heard(kit: Kit, finding: Finding, limits: Limits, _: float) -> Kit:
    pad = _pad(kit, finding)
    return edits.set_pad(kit, pad.id, **({"mute": False} if pad.mute else {"solo": False}))


_MENDS: dict[str, Callable[[Kit, Finding, Limits, float], Kit]] = {
    "clips": _lower,
    "late": _trim,
    "start-click": _fade_in,
    "cut-off": _tail,
    "dc": _cut_bottom,
    "off-key": _tune,
    "mono-low": _mono,
    "strength-order": _in_order,
    "strength-jump": _even_out,
    "velocity-gap": _close_gap,
    "velocity-overlap": _part,
    "unused-sample": _drop_sample,
    "loudness": _to_role,
    "name": _rename,
    "no-note": _note,
    "note-twice": _note,
    "key-gap": _fill_keys,
    "loop-click": _blend_loop,
    "unheard": _heard,
}
