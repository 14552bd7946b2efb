"""The document: a kit as an immutable tree of plain data.

An edit makes a new tree that shares all that did not change; see `edits`. Samples are not in the
tree: a layer names the hash of a sample's decoded content, and the store holds the file as it came.
Layers are in `layer`, pads in `pad`; whoever reads a kit finds all of them here.
"""

from typing import Annotated

import msgspec

from puddle.kit.model.backing import Backing as Backing
from puddle.kit.model.bus import Bus as Bus
from puddle.kit.model.bus import Master as Master
from puddle.kit.model.bus import SendTo as SendTo
from puddle.kit.model.content import Content as Content
from puddle.kit.model.content import Print as Print
from puddle.kit.model.gauge import KitGauge as KitGauge
from puddle.kit.model.gauge import Target as Target
from puddle.kit.model.layer import Band as Band
from puddle.kit.model.layer import Envelope as Envelope
from puddle.kit.model.layer import Layer as Layer
from puddle.kit.model.layer import Node as Node
from puddle.kit.model.layer import Reach as Reach
from puddle.kit.model.layer import Source as Source
from puddle.kit.model.mix import MOST_MIXES as MOST_MIXES
from puddle.kit.model.mix import Mix as Mix
from puddle.kit.model.pad import MOST_PADS as MOST_PADS
from puddle.kit.model.pad import PADS_PER_BANK as PADS_PER_BANK
from puddle.kit.model.pad import Alternate as Alternate
from puddle.kit.model.pad import Link as Link
from puddle.kit.model.pad import Pad as Pad
from puddle.kit.model.pad import Point as Point
from puddle.kit.model.pad import Snapshot as Snapshot
from puddle.kit.model.pad import Sound as Sound
from puddle.kit.model.pad import Trigger as Trigger
from puddle.kit.model.pattern import Chord as Chord
from puddle.kit.model.pattern import Feel as Feel
from puddle.kit.model.pattern import FeelStep as FeelStep
from puddle.kit.model.pattern import Flam as Flam
from puddle.kit.model.pattern import Hit as Hit
from puddle.kit.model.pattern import Lane as Lane
from puddle.kit.model.pattern import OwnValue as OwnValue
from puddle.kit.model.pattern import Pattern as Pattern
from puddle.kit.model.pattern import Play as Play
from puddle.kit.model.recording import Likes as Likes
from puddle.kit.model.recording import Mark as Mark
from puddle.kit.model.recording import Recording as Recording
from puddle.kit.model.reference import Reference
from puddle.kit.model.sample import Sample as Sample  # a source of the document
from puddle.kit.model.tonality import Key
from puddle.parameter import number, switch
from puddle.stages import Stage as Stage  # a row of the document holds them

KIT_VERSION = 12


class Kit(Node, frozen=True):
    """Everything that one file holds."""

    name: Annotated[str, msgspec.Meta(max_length=120)]
    version: int = KIT_VERSION
    tempo_bpm: Annotated[float, number("Tempo", 20, 300, "bpm", "How fast the groove plays.")] = (
        120.0
    )
    pads: tuple[Pad, ...] = ()
    buses: tuple[Bus, ...] = ()
    master: Master = Master()
    mixes: Annotated[tuple[Mix, ...], msgspec.Meta(max_length=MOST_MIXES)] = ()  # side by side
    mix: Annotated[int, msgspec.Meta(ge=0)] = 0  # which of them plays: it counts as the kit has it
    patterns: tuple[Pattern, ...] = ()
    order: tuple[Play, ...] = ()  # in which patterns play one after the other; none: one loops
    tempos: tuple[Annotated[float, msgspec.Meta(ge=20, le=300)], ...] = ()  # kept, to be tried
    metronome: Annotated[
        bool, switch("Metronome", "Clicks on the beats while the groove plays; never exported.")
    ] = False
    metronome_db: Annotated[
        float, number("Click level", -40, 6, "dB", "How loud the clicks are.")
    ] = -6.0
    count_in: Annotated[
        int,
        number(
            "Count-in",
            0,
            2,
            "bars",
            "How many bars are counted before a recording begins.",
            decimals=0,
            zero="none",
            one="1 bar",
        ),
    ] = 1
    pattern_key: Annotated[
        int,
        number(
            "Keys from",
            0,
            127,
            "note",
            "The key that plays the first pattern; those above it play the others.",
            decimals=0,
            zero="none",
        ),
    ] = 0
    feels: tuple[Feel, ...] = ()
    backings: tuple[Backing, ...] = ()  # the rest of the track
    recordings: tuple[Recording, ...] = ()  # that hits are cut out of
    contents: tuple[Content, ...] = ()
    references: tuple[Reference, ...] = ()
    key: Key = Key()
    gauges: tuple[KitGauge, ...] = ()
    controller_map: Annotated[str, msgspec.Meta(max_length=120)] = ""  # the one it likes, by name
    notes: Annotated[str, msgspec.Meta(max_length=20000)] = ""
    author: Annotated[str, msgspec.Meta(max_length=200)] = ""
    license: Annotated[str, msgspec.Meta(max_length=2000)] = ""  # how it may be used, in words

    def pad(self, pad_id: str) -> Pad | None:
        """The pad of that id, if there is one."""
        return next((p for p in self.pads if p.id == pad_id), None)

    def pad_at(self, place: int) -> Pad | None:
        """The pad at a place, counted through all banks."""
        return next((p for p in self.pads if p.place == place), None)

    def pattern(self, pattern_id: str) -> Pattern | None:
        """The pattern of that id, if there is one."""
        return next((p for p in self.patterns if p.id == pattern_id), None)

    def recording(self, recording_id: str) -> Recording | None:
        """The recording of that id, if there is one."""
        return next((r for r in self.recordings if r.id == recording_id), None)

    def content(self, hash_: str) -> Content | None:
        """What is known of a sample, if the kit names it."""
        return next((c for c in self.contents if c.hash == hash_), None)

    @property
    def banks(self) -> int:
        """How many banks of sixteen the pads reach into; at least one."""
        return 1 + max((p.place for p in self.pads), default=0) // PADS_PER_BANK
