"""What WAV files say beside their samples: root key, loops, cue points, and a comment.

`smpl` and `cue ` are those of Microsoft's *Multimedia Programming Interface and Data
Specifications 1.0* (1991) and its revision 3 (1994), `inst` likewise; `LIST INFO` holds texts.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

import msgspec

_SEMITONE = 1 << 32
_MOST_LOOPS = 64


class SamplerFacts(msgspec.Struct, frozen=True):
    """The key that plays a sound as it is, with cents over it; loops as first and last frame."""

    note: int | None = None
    cents: float = 0.0
    loops: tuple[tuple[int, int], ...] = ()
    comment: str = ""
    cues: tuple[int, ...] = ()
    velocities: tuple[int, int] | None = None  # of an `inst` chunk
    keys: tuple[int, int] | None = None


def with_chunks(wav: bytes, facts: SamplerFacts, rate_hz: float) -> bytes:
    """A WAV file with what is known of its sound; as it is where nothing is."""
    added = b""
    if facts.note is not None or facts.loops:
        added += _smpl(facts, rate_hz)
    if facts.comment:
        text = facts.comment.encode("utf-8") + b"\0"
        text += b"\0" * (len(text) % 2)
        info = b"INFO" + b"ICMT" + struct.pack("<I", len(text)) + text
        added += b"LIST" + struct.pack("<I", len(info)) + info
    if not added:
        return wav
    wav += b"\0" * (len(wav) % 2)
    size = len(wav) + len(added) - 8
    return wav[:4] + struct.pack("<I", size) + wav[8:] + added


def _smpl(facts: SamplerFacts, rate_hz: float) -> bytes:
    note = 60 if facts.note is None else facts.note
    whole = round(facts.cents / 100.0 * _SEMITONE)
    note, fraction = note + whole // _SEMITONE, whole % _SEMITONE
    note = min(127, max(0, note))
    period = round(1e9 / rate_hz)
    body = struct.pack("<9I", 0, 0, period, note, fraction, 0, 0, len(facts.loops), 0)
    for n, (first, last) in enumerate(facts.loops):
        body += struct.pack("<6I", n, 0, first, last, 0, 0)
    return b"smpl" + struct.pack("<I", len(body)) + body


def sampler_facts(wav: bytes) -> SamplerFacts:
    """What a WAV file says beside its samples; nothing of another file, or of a broken chunk."""
    note, cents, comment = None, 0.0, ""
    loops: tuple[tuple[int, int], ...] = ()
    cues: tuple[int, ...] = ()
    velocities = keys = None
    for name, body in _chunks(wav):
        if name == b"smpl" and len(body) >= 36:
            fields = struct.unpack("<9I", body[:36])
            note = min(127, fields[3])
            cents = 100.0 * fields[4] / _SEMITONE
            loops = tuple(_loops(body[36:], min(_MOST_LOOPS, fields[7])))
        elif name == b"inst" and len(body) >= 7:
            root, fine, _, low, high, soft, hard = struct.unpack("<BbbBBBB", body[:7])
            if note is None:
                note, cents = min(127, root), float(fine)
            if low <= high <= 127:
                keys = (low, high)
            if 1 <= soft <= hard <= 127:
                velocities = (soft, hard)
        elif name == b"cue " and len(body) >= 4:
            count = min(struct.unpack("<I", body[:4])[0], (len(body) - 4) // 24)
            cues = tuple(struct.unpack("<I", body[4 + 24 * n + 20 :][:4])[0] for n in range(count))
        elif name == b"LIST" and body[:4] == b"INFO":
            comment = _comment(body[4:])
    return SamplerFacts(note, cents, loops, comment, cues, velocities, keys)


def _loops(body: bytes, count: int) -> Iterator[tuple[int, int]]:
    for n in range(min(count, len(body) // 24)):
        fields = struct.unpack("<6I", body[24 * n : 24 * n + 24])
        if fields[2] < fields[3]:
            yield fields[2], fields[3]


def _comment(body: bytes) -> str:
    at = 0
    while at + 8 <= len(body):
        name, size = struct.unpack("<4sI", body[at : at + 8])
        if name == b"ICMT":
            return body[at + 8 : at + 8 + size].split(b"\0")[0].decode("utf-8", "replace")
        at += 8 + size + size % 2
    return ""


def _chunks(wav: bytes) -> Iterator[tuple[bytes, bytes]]:
    if wav[:4] != b"RIFF" or wav[8:12] != b"WAVE":
        return
    at = 12
    while at + 8 <= len(wav):
        name, told = struct.unpack("<4sI", wav[at : at + 8])
        size = min(told, len(wav) - at - 8)
        if name != b"data":
            yield name, wav[at + 8 : at + 8 + size]
        at += 8 + size + size % 2
