"""A whole kit checked, on several threads, with progress."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Protocol

from puddle.check.documents import document_findings, loop_findings, sample_findings
from puddle.check.finding import Finding, ordered
from puddle.check.heard import heard_of
from puddle.check.limits import Limits
from puddle.check.sounds import PITCHED, sound_findings
from puddle.check.strengths import range_findings, strength_findings
from puddle.kit.model.document import Content, Kit, Pad, Sample
from puddle.kit.playing.tempo import paced
from puddle.render.samples import Decoded
from puddle.render.take import Takes
from puddle.tasks import check_cancelled, in_parallel

Progress = Callable[[float], object]
Work = Callable[[], list[Finding]]


class Store(Protocol):
    """Where the kit's samples are."""

    def decoded(self, content: str) -> Decoded | None:
        """The content, or None where it is missing or damaged."""

    def holds(self, content: str) -> bool:
        """Whether it is there, whole or damaged."""

    def genuine(self, content: str) -> bool:
        """Whether it is the one that it is named after."""


class Known:
    """What was found before, of pads and samples that are as they were."""

    def __init__(self) -> None:
        self._found: dict[str, tuple[object, list[Finding]]] = {}

    def of(self, name: str, made_from: object, work: Work) -> list[Finding]:
        """What was found, or what `work` finds now."""
        known = self._found.get(name)
        if known is not None and known[0] == made_from:
            return known[1]
        found = work()
        self._found[name] = made_from, found
        return found


def check(
    kit: Kit,
    takes: Takes,
    store: Store,
    limits: Limits | None = None,
    progress: Progress = lambda share: None,
    jobs: int | None = None,
    known: Known | None = None,
) -> list[Finding]:
    """What the rules find, errors first. Passes checkpoints: it can be left."""
    held = limits or Limits()
    timed = paced(kit)
    found = list(document_findings(kit, held))
    seen = known or Known()
    work: list[Work] = []
    for content in kit.contents:
        users = tuple(pad.id for pad in kit.pads if content.hash in pad_contents(pad))
        look = _sample_work(kit, content, store, held)
        made_from = (content, users, store.holds(content.hash), held.signature, store)
        work.append(partial(seen.of, content.hash, made_from, look))
    for pad in timed.pads:
        if pad.sound.layers:
            samples = tuple(kit.content(hash_) for hash_ in pad_contents(pad))
            like = (pad, kit.key, samples, held.signature, store, takes.rate_hz)
            work.append(partial(seen.of, pad.id, like, _pad_work(kit, pad, takes, store, held)))
    for n, part in enumerate(in_parallel(_made, work, jobs, "puddle-check")):
        found += part
        progress((n + 1) / len(work))
    return ordered(found)


def _made(work: Work) -> list[Finding]:
    return work()


def pad_contents(pad: Pad) -> tuple[str, ...]:
    """The samples that a pad's layers play, by their hashes."""
    return tuple(k.source.content for k in pad.sound.layers if isinstance(k.source, Sample))


def _sample_work(kit: Kit, content: Content, store: Store, limits: Limits) -> Work:
    def work() -> list[Finding]:
        check_cancelled()
        decoded, trouble = None, ""
        if not store.holds(content.hash):
            trouble = "missing"
        else:
            decoded = store.decoded(content.hash)
            if decoded is None:
                trouble = "is damaged: its layers are silent"
            elif not store.genuine(content.hash):
                trouble = "is not the sample that was saved"
        return list(sample_findings(kit, content, decoded, trouble, limits))

    return work


def _pad_work(kit: Kit, pad: Pad, takes: Takes, store: Store, limits: Limits) -> Work:
    return lambda: list(_of_pad(kit, pad, takes, store, limits))


def _of_pad(kit: Kit, pad: Pad, takes: Takes, store: Store, limits: Limits) -> Iterator[Finding]:
    check_cancelled()
    yield from range_findings(pad, limits)
    decoded = {
        layer.source.content: found
        for layer in pad.sound.layers
        if isinstance(layer.source, Sample) and layer.source.loop
        if (found := store.decoded(layer.source.content)) is not None
    }
    yield from loop_findings(pad, decoded, limits)
    heard = heard_of(pad, takes, pitched=pad.role in PITCHED)
    if heard is not None:
        yield from sound_findings(kit, heard, takes, limits)
        yield from strength_findings(heard, limits)
