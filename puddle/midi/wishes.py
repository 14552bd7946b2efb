"""What the window wishes of the process that reads controllers, and what that tells in return."""

from __future__ import annotations

import msgspec

from puddle.kit.model.tonality import NO_NOTE
from puddle.midi.outgoing import Note
from puddle.midi.table import NO_SLOT


class Hat(msgspec.Struct, frozen=True):
    """A pad that follows the hat pedal: its slot, and those it plays from closed to open."""

    slot: int
    openings: tuple[int, ...]


class Read(msgspec.Struct, frozen=True, tag=True):
    """Read a port, and how its notes strike; again for one that is read already: only how."""

    port: str
    slots: bytes
    as_key: bytes
    velocities: bytes
    double_ms: float = 0.0
    crosstalk_ms: float = 0.0
    sustain: bool = True
    pressure_chokes: bool = False
    foot: bool = True
    hats: tuple[Hat, ...] = ()


class Leave(msgspec.Struct, frozen=True, tag=True):
    """Read a port no more."""

    port: str


class Scripts(msgspec.Struct, frozen=True, tag=True):
    """Ports that play what was written, beside those of the system."""

    scripts: dict[str, list[tuple[float, bytes]]]


class Simulate(msgspec.Struct, frozen=True, tag=True):
    """The simulated controller is there, or goes."""

    on: bool


class Simulated(msgspec.Struct, frozen=True, tag=True):
    """The simulated controller was played."""

    message: bytes


class InTime(msgspec.Struct, frozen=True, tag=True):
    """Whose time the groove follows, whether it leads JACK's transport, and the card's latency."""

    follows: str = ""  # a port, JACK, or nothing
    leads: bool = False
    bpm: float = 120.0  # of the kit: until a clock has told its own
    block: int = 0
    latency_frames: float = 0.0


class Send(msgspec.Struct, frozen=True, tag=True):
    """What leaves by a port while the groove plays."""

    port: str
    clock: bool = False
    notes: tuple[Note, ...] = ()


class Unsend(msgspec.Struct, frozen=True, tag=True):
    """Nothing leaves by a port any more."""

    port: str


class Followed(msgspec.Struct, frozen=True, tag=True):
    """How the groove follows: whether the other runs, its tempo, and how late the groove is."""

    running: bool
    locked: bool
    bpm: float
    off_ms: float


class Lit(msgspec.Struct, frozen=True, tag=True):
    """What left for the simulated controller."""

    at_s: float
    message: bytes


class Came(msgspec.Struct, frozen=True, tag=True):
    """A message came in at a time of `time.monotonic`, and was done with at another."""

    port: str
    at_s: float
    done_s: float
    message: bytes
    slot: int = NO_SLOT  # of the pad that was struck or let go
    velocity: float = 0.0  # as it was played, or 0
    key: int = NO_NOTE  # the note that a pad plays at, where it follows keys
    zone: int = -1  # how open a hat that follows the pedal was, from 0 for closed
    dropped: bool = False  # as a double trigger, or as crosstalk


class Names(msgspec.Struct, frozen=True, tag=True):
    """The ports that are there, those that are read, and those that can be sent to."""

    there: tuple[str, ...]
    read: tuple[str, ...]
    outs: tuple[str, ...] = ()


class Failed(msgspec.Struct, frozen=True, tag=True):
    """A port is not read, and why; it is tried again whenever it comes back."""

    port: str
    reason: str


class Ended(msgspec.Struct, frozen=True, tag=True):
    """The process has died: nothing is read, and what was held is still held."""


class Missed(msgspec.Struct, frozen=True, tag=True):
    """So many messages were played and not told."""

    count: int


Wish = Read | Leave | Scripts | Simulate | Simulated | InTime | Send | Unsend
Told = Came | Names | Failed | Missed | Ended | Followed | Lit
