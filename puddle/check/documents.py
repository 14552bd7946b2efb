"""Rules about the kit as a document: names, notes, samples, and what it says of itself."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

import numpy as np

from puddle.check.finding import Finding
from puddle.check.limits import BY_ID, Limits
from puddle.files import writable
from puddle.kit.edits.prints import without_unused_contents
from puddle.kit.model.document import Content, Kit, Pad, Sample
from puddle.render.samples import Decoded
from puddle.render.sampling import region, sampled
from puddle.units import note_name

_FULL = 32767.0 / 32768.0
_LONGEST_NAME = 80


def _made(
    rule: str,
    where: str,
    message: str,
    pad: str = "",
    *,
    mend: str = "",
    content: str = "",
    page: str = "",
) -> Finding:
    level = BY_ID[rule].level
    return Finding(rule, level, where, message, pad, content=content, page=page, mend=mend)


def document_findings(kit: Kit, limits: Limits) -> Iterator[Finding]:
    """What needs no rendering."""
    yield from _names(kit, limits)
    yield from _notes(kit, limits)
    if limits.on("unheard"):
        for pad in kit.pads:
            if pad.mute or pad.solo:
                said = "is muted" if pad.mute else "is solo: the others are silent"
                yield _made(
                    "unheard", pad.name, said, pad.id, mend="Unmute" if pad.mute else "No solo"
                )
    if limits.on("unused-sample"):
        used = {content.hash for content in without_unused_contents(kit).contents}
        for content in kit.contents:
            if content.hash not in used:
                yield _made(
                    "unused-sample", content.name, "is played by nothing",
                    content=content.hash, mend="Leave it out",
                )  # fmt: skip
    if limits.on("license") and not kit.license.strip():
        yield _made("license", "Kit", "says nothing of how it may be used", mend="Write")
    if limits.on("author") and not kit.author.strip():
        yield _made("author", "Kit", "says nothing of who made it", mend="Write")


def _names(kit: Kit, limits: Limits) -> Iterator[Finding]:
    if not limits.on("name"):
        return
    named = [("Kit", kit.name, "", "")]
    named += [(f"Pad {pad.place + 1}", pad.name, pad.id, "") for pad in kit.pads]
    named += [("Bus", bus.name, "", "mix") for bus in kit.buses]
    named += [("Pattern", pattern.name, "", "groove") for pattern in kit.patterns]
    for what, name, pad, page in named:
        if not name.strip():
            mend = "" if page else "Name it"
            yield _made("name", what, "has no name", pad, mend=mend, page=page)
        elif writable(name) != name and len(name) <= _LONGEST_NAME:
            message = f"“{name}” holds what other systems cannot write in a file's name"
            yield _made("name", what, message, pad, mend="" if page else "Rename", page=page)
    seen: dict[str, list[Pad]] = defaultdict(list)
    for pad_ in kit.pads:
        if pad_.name.strip():
            seen[pad_.name.casefold()].append(pad_)
    for pads in seen.values():
        for pad_ in pads[1:]:
            yield _made("name", pad_.name, "is the name of another pad too", pad_.id, mend="Rename")


def _notes(kit: Kit, limits: Limits) -> Iterator[Finding]:
    owners: dict[int, list[Pad]] = defaultdict(list)
    for pad in kit.pads:
        if not pad.notes and limits.on("no-note") and pad.sound.layers:
            yield _made("no-note", pad.name, "is played by no key", pad.id, mend="Give it one")
        for note in pad.notes:
            owners[note].append(pad)
        gaps = _gaps(pad)
        if gaps and limits.on("key-gap"):
            said = ", ".join(note_name(n) for n in gaps[:4])
            more = f" and {len(gaps) - 4} more" if len(gaps) > 4 else ""
            yield _made("key-gap", pad.name, f"leaves out {said}{more}", pad.id, mend="Fill them")
    for note, pads in sorted(owners.items()):
        if len(pads) > 1 and limits.on("note-twice"):
            names = " and ".join(pad.name for pad in pads[:3])
            yield _made(
                "note-twice", note_name(note), f"plays {names} at once", pads[-1].id,
                mend="Part them",
            )  # fmt: skip


def _gaps(pad: Pad) -> list[int]:
    """Keys between those of a pad that follows keys, that it does not answer to."""
    if pad.tracking == 0.0 or len(pad.notes) < 3:
        return []
    return [n for n in range(min(pad.notes), max(pad.notes)) if n not in pad.notes]


# Samples.


def sample_findings(
    kit: Kit, content: Content, decoded: Decoded | None, trouble: str, limits: Limits
) -> Iterator[Finding]:
    """What the rules say of a sample; `trouble` is what is wrong with its file, in words."""
    users = _users(kit, content.hash)
    pad = users[0].id if users else ""
    if trouble == "missing":
        if limits.on("missing-sample"):
            message = "is missing from the kit: its layers are silent"
            yield _made("missing-sample", content.name, message, pad, content=content.hash)
        return
    if trouble and limits.on("damaged-sample"):
        yield _made("damaged-sample", content.name, trouble, pad, content=content.hash)
    if decoded is None:
        return
    if limits.on("clipped-sample"):
        run = longest_clipped(decoded.audio)
        if run >= limits.of("clipped-sample"):
            yield Finding(
                "clipped-sample", BY_ID["clipped-sample"].level, content.name,
                f"was recorded too hot: {run} samples in a row stand at full scale",
                pad=pad, content=content.hash, figure=float(run),
            )  # fmt: skip


def longest_clipped(audio: np.ndarray) -> int:
    """The most samples of (frames, 2) in a row at full scale, of either side."""
    longest = 0
    for side in audio.T:
        full = np.abs(side) >= _FULL
        if not full.any():
            continue
        edges = np.flatnonzero(np.diff(np.concatenate([[False], full, [False]]).astype(np.int8)))
        longest = max(longest, int((edges[1::2] - edges[::2]).max(initial=0)))
    return longest


def _users(kit: Kit, content: str) -> list[Pad]:
    return [
        pad
        for pad in kit.pads
        if any(
            isinstance(k.source, Sample) and k.source.content == content for k in pad.sound.layers
        )
    ]


def loop_jump_db(sample: Sample, decoded: Decoded) -> float | None:
    """The sharpest bend (second difference) where a loop goes back, beside those within it, in dB.

    None where it does not loop, or goes round less than twice.
    """
    if not sample.loop or sample.loop_end_ms <= sample.loop_start_ms:
        return None
    made = sampled(sample, region(sample, decoded), decoded.rate_hz)
    rate = decoded.rate_hz
    end = round(sample.loop_end_ms / 1000.0 * rate)
    length = round((sample.loop_end_ms - sample.loop_start_ms) / 1000.0 * rate)
    if length < 8 or end + length >= made.shape[0] or sample.reverse:
        return None
    around = made[end - length : end + length].mean(axis=1, dtype=np.float64)
    bends = np.abs(np.diff(around, n=2))  # not steps: a loud low wave has steep ones of its own
    seam = float(bends[length - 4 : length + 2].max())
    inside = float(np.quantile(np.delete(bends, slice(length - 4, length + 2)), 0.999))
    if seam <= 0.0:
        return None
    return 20.0 * float(np.log10(seam / max(inside, 1e-6)))


def loop_findings(pad: Pad, decoded_of: dict[str, Decoded], limits: Limits) -> Iterator[Finding]:
    """Loops that click."""
    if not limits.on("loop-click"):
        return
    for layer in pad.sound.layers:
        source = layer.source
        if not isinstance(source, Sample) or source.content not in decoded_of:
            continue
        jump = loop_jump_db(source, decoded_of[source.content])
        if jump is not None and jump > limits.of("loop-click"):
            yield Finding(
                "loop-click", BY_ID["loop-click"].level, f"{pad.name}, {layer.name}",
                f"clicks where its loop goes round: {jump:.0f} dB over its sharpest bend",
                pad=pad.id, layer=layer.id, figure=jump, mend="Blend the loop",
            )  # fmt: skip
