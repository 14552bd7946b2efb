"""The engine as Python sees it: it owns all memory that the compiled side reads.

Nothing here is called from the live callback. Commands go in through a ring; meters, position and
strikes are read from shared cells; what the engine has let go of is freed once it says so.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec
import numpy as np

from puddle.engine import layout
from puddle.engine.graph import Graph, address, bus_graph
from puddle.engine.listening import speaker_sections
from puddle.engine.metronome import click_tables
from puddle.engine.monitoring import Monitoring
from puddle.engine.moving import (
    NO_CURVES,
    CurveTables,
    curve_tables,
    fit,
    move_events,
    with_moves,
)
from puddle.engine.output import Output
from puddle.engine.readings import Asked, Readings
from puddle.engine.safety import safety_cells, safety_coefficients
from puddle.engine.sending import Sender, Table
from puddle.engine.slots import Slots
from puddle.engine.tables import AUDITION, PadRows, event_table
from puddle.kernels.polyphase import LONG, voice_tables
from puddle.kernels.quantum import QUANTUM
from puddle.kit.edits.own_values import Varied
from puddle.kit.model.document import Kit, Pad, Pattern
from puddle.kit.model.tonality import NO_NOTE
from puddle.kit.playing.groove import Groove, groove_of
from puddle.kit.playing.schedule import LATE_BEATS, ended, loops_alike, pattern_beats
from puddle.render.takeset import TakeSet, single

_AHEAD_BEATS = 128.0  # of a groove that does not repeat, that are sent at once
_BEHIND_BEATS = 4.0
_AUDITION_VELOCITY = 110.0


class Repeated(msgspec.Struct, frozen=True):
    """A lane of note repeat."""

    slot: int
    velocities: tuple[float, ...]  # 1 to 127, in turn
    beats: float = 0.0  # from stroke to stroke, at the groove's tempo; 0 for an interval
    seconds: float = 1.0  # of that interval
    struck: bool = False  # whether a hand has struck it just now: the first comes half a period on


class Engine(Monitoring, Output, Readings):
    """Mixer and sequencer at one rate."""

    def __init__(self, rate_hz: float) -> None:
        self.rate_hz = rate_hz
        self._lock = threading.Lock()
        self._record = np.zeros(1, layout.ENGINE)
        self.voices = np.zeros(layout.VOICES + layout.SPARE_VOICES, layout.VOICE)
        self._audio = np.zeros((layout.MOST_BUSES + 2, QUANTUM, 2), np.float32)
        self._tenants = np.full(layout.SLOTS, layout.NO_SLOT, np.int64)
        self._struck = np.zeros(layout.SLOTS, np.int64)
        self._struck_velocity = np.zeros(layout.SLOTS)
        self._by_hand = np.zeros(layout.SLOTS, np.int64)
        self._last_pitch = np.zeros(layout.SLOTS)
        self._pending = np.zeros(layout.PENDING, layout.COMMAND)
        self._due = np.zeros(layout.PENDING, layout.COMMAND)
        self.sender = Sender()
        self._asked = Asked(0, False, 0.0)
        self.slots = Slots()
        self._rows = PadRows()
        self._audition: TakeSet | None = None
        self._pads = b""  # the table that was sent last
        self.pairs = 0  # of outputs beside the first
        self._takes: dict[int, np.ndarray] = {}  # by identity
        self._graph: Graph | None = None
        self._kit: Kit | None = None
        self._pattern: tuple[Any, ...] | None = None
        self._groove = Groove()
        self._curves = NO_CURVES
        self._varied: tuple[Varied, ...] = ()
        self._sets: dict[str, TakeSet] = {}
        self._until = math.inf  # the beat to which events were sent
        self.monitor = np.zeros(1, layout.MONITOR)
        self._sections = speaker_sections(rate_hz)
        self._speaker_states = np.zeros((len(self._sections), 2))
        record = self._record[0]
        record["rate"] = rate_hz
        record["bpm"] = 120.0
        record["voices"], record["voice_count"] = address(self.voices), len(self.voices)
        record["audio"] = address(self._audio)
        record["tenants"], record["struck"] = address(self._tenants), address(self._struck)
        record["struck_velocity"] = address(self._struck_velocity)
        record["by_hand"] = address(self._by_hand)
        record["last_pitch"] = address(self._last_pitch)
        record["pending"], record["due"] = address(self._pending), address(self._due)
        record["rings"] = self.sender.rings.address
        self._timespec = np.zeros(2, np.int64)
        record["timespec"] = address(self._timespec)
        record["window_least"] = record["window_before"] = 1e18
        self._strokes = np.zeros(layout.STROKES, layout.STROKE)
        self._strokes_count = np.zeros(1, np.int64)
        record["strokes"] = address(self._strokes)
        record["strokes_count"] = address(self._strokes_count)
        self._repeats = 0
        record["tables"] = address(self.sender.tables)
        self._filters = voice_tables()
        self._edge = np.zeros((LONG, 2), np.float32)
        record["filters"], record["edge"] = address(self._filters), address(self._edge)
        record["monitor"] = address(self.monitor)
        monitor = self.monitor[0]
        monitor["own_gain"] = monitor["own_gain_now"] = 1.0
        monitor["reference_gain"] = 1.0
        self._clicks = click_tables(rate_hz)
        monitor["clicks"] = address(self._clicks)
        monitor["click_unit"], monitor["click_count"], monitor["click_gain"] = 1.0, 4, 1.0
        monitor["sections"], monitor["section_count"] = address(self._sections), len(self._sections)
        monitor["states"] = address(self._speaker_states)
        self._scopes = np.zeros(layout.SCOPES, layout.SCOPE)
        self._rings = np.zeros((layout.SCOPES, layout.SCOPE_FRAMES, 2), np.float32)
        for scope, ring in zip(self._scopes, self._rings, strict=True):
            scope["audio"] = address(ring)
        self._looked_at: list[str | None] = [None] * layout.SCOPES
        record["scopes"] = address(self._scopes)
        self._pad_meters = np.zeros(layout.SLOTS)
        record["pad_meters"] = address(self._pad_meters)
        self._safety = np.tile(safety_cells(rate_hz), layout.MOST_PAIRS)
        self._safety_coefficients = safety_coefficients(rate_hz)
        cells = len(self._safety) // layout.MOST_PAIRS
        record["safety"], record["safety_cells"] = address(self._safety), cells
        self._pair = np.zeros((QUANTUM, 2), np.float32)
        record["pair"] = address(self._pair)
        self._apart = np.zeros((2, QUANTUM, 2), np.float32)
        record["apart"] = address(self._apart)
        self._apart_wanted = (0, 0)
        record["safety_coefficients"] = address(self._safety_coefficients)
        self.set_kit(Kit(name=""), {}, None)

    # What is played.

    def set_kit(
        self,
        kit: Kit,
        takes: Mapping[str, np.ndarray | TakeSet],
        pattern: Pattern | Groove | None,
        beats: float | None = None,
        varied: Sequence[Varied] = (),
        curves: CurveTables | None = None,
    ) -> None:
        """Pads, buses, tempo and pattern as in the kit; takes, or sets of them, by pad.

        The pattern loops; with `beats` it is struck that long, and not again. `varied` are the pads
        with own values of hits, whose takes are given by their ids. `curves` are what the patterns'
        curves move; without it that is worked out here, for up to half a second.
        """
        groove = pattern if isinstance(pattern, Groove) else groove_of(pattern)
        if curves is None:
            curves = self._curves_of(kit, groove)
        sets = {k: single(t) if isinstance(t, np.ndarray) else t for k, t in takes.items()}
        with self._lock:
            before, change = self._kit, list[Table]()
            if before is None or _routing(kit) != _routing(before):
                change += self._graph_tables(kit)
            if before is None or kit.tempo_bpm != before.tempo_bpm:
                change.append(Table(layout.TEMPO, 0, None, value=kit.tempo_bpm))
            self._sets, self._varied = sets, tuple(varied)
            change += self._pad_tables(kit)
            slots = self.slots.live
            pads = tuple((slots[p.id], p.trigger) for p in (*kit.pads, *(v.pad for v in varied)))
            key = (groove, beats, pads, kit.tempo_bpm, id(curves))
            if key != self._pattern:
                self._groove, self._curves = groove, curves
                change.append(self._events(kit, beats))
                self._pattern = key
            self._kit = kit
            self._publish(change)

    def _curves_of(self, kit: Kit, groove: Groove) -> CurveTables:
        if fit(self._curves, kit, groove, self.rate_hz, self.pairs):
            return self._curves
        return curve_tables(kit, groove, self.rate_hz, self.pairs)

    def audition(self, audio: np.ndarray) -> bool:
        """Strikes float32 (frames, 2) that is on no pad, and chokes what was auditioned before.

        Returns False when too many commands wait.
        """
        with self._lock:
            self._audition = single(audio)
            if self._kit is not None:
                self._publish(self._pad_tables(self._kit))
        return self.strike(layout.AUDITION_SLOT, _AUDITION_VELOCITY)

    def set_repeat(self, lane: Repeated | None, *, anew: bool = True) -> None:
        """Strikes a slot again and again from the next quantum on; None ends it.

        With `anew` it begins: the first velocity first. Else only its figures are others.
        """
        with self._lock:
            self._repeats += anew
            rows = np.zeros(1, layout.REPEATED)
            velocities = np.array(lane.velocities if lane is not None else [0.0])
            if lane is not None:
                rows[0]["slot"], rows[0]["serial"] = lane.slot, self._repeats
                rows[0]["struck"], rows[0]["beats"] = lane.struck, lane.beats
                rows[0]["frames"] = max(1.0, lane.seconds * self.rate_hz)
            rows[0]["velocities"], rows[0]["velocity_count"] = address(velocities), len(velocities)
            memory, count = (rows, velocities), int(lane is not None)
            self._publish([Table(layout.REPEAT, address(rows), memory, count=count)])

    def play_stamped_at_once(self, on: bool) -> None:
        """Whether strikes that carry a time are played as soon as possible, instead of one block
        after that time."""
        self._record[0]["immediate"] = int(on)

    def _publish(self, change: Sequence[Table]) -> None:
        """Sends the tables of one change, and lets go of what they have replaced before."""
        if change:
            self.sender.publish(change)
        self.sender.free(self.voices)
        in_force = int(self.sender.tables[layout.PADS]["generation"])
        rings = self.voices["state"] != layout.FREE
        sounding = {*self.voices["pad"][rings].tolist(), *self.voices["slot"][rings].tolist()}
        self.slots.let_go(in_force, sounding)

    def _graph_tables(self, kit: Kit) -> list[Table]:
        """Tables of the buses, and of the places of those that are looked at."""
        looked_at = frozenset(name for name in self._looked_at if name is not None)
        graph = bus_graph(kit, self.rate_hz, self.sender.graph, looked_at, self.pairs)
        self._graph = graph
        self._pads = b""  # they name their buses by place
        return [Table(layout.GRAPH, address(graph.header), graph), self._scope_table()]

    def _scope_table(self) -> Table:
        known = self._graph.places if self._graph is not None else {}
        places = [
            layout.UNSEEN if name is None else known.get(name, layout.MISSING)
            for name in self._looked_at
        ]
        table = np.array(places, np.int64)
        return Table(layout.SCOPED, address(table), table, count=len(table))

    def _pad_tables(self, kit: Kit) -> list[Table]:
        """The table of pads; nothing where it is as it was sent last."""
        if self._graph is None:
            raise RuntimeError("the buses come before the pads")
        takes, varied = self._sets, self._varied
        if self._audition is not None:
            takes = {**takes, AUDITION.id: self._audition}
        own = (one.pad.id for one in varied)
        generation = self.sender.next_generation
        slots = self.slots.assign((pad.id for pad in kit.pads), own, generation)
        sent, count, lists = self._rows.of(kit, takes, self._graph, slots, varied)
        if sent == self._pads:
            return []  # lists, and so takes, are those at the same addresses
        self._pads = sent
        current = {id(take): take for found in takes.values() for take in found.ready.values()}
        gone = [take for key, take in self._takes.items() if key not in current]
        self._takes = current
        table = np.frombuffer(bytearray(sent), np.int64)
        self.sender.retire(gone, generation)
        return [Table(layout.PADS, address(table), (table, lists), count=count)]

    def _events(self, kit: Kit, beats: float | None, since: float | None = None) -> Table:
        """The events of a pass that loops, or of a span of the groove from a beat, or from now."""
        groove, varied = self._groove, self._varied
        length: float = layout.NO_LOOP
        self._until = math.inf
        first, last, loops = 0.0, 0.0, False
        if not groove.parts:
            length = 0.0
        elif beats is not None:
            groove, last = Groove(ended(groove.parts, beats)), beats + LATE_BEATS
        elif loops_alike(groove.parts, kit.tempo_bpm):
            length = last = pattern_beats(groove.parts[0].pattern)
            loops = True
        else:
            if since is None:
                since = self.beat if self.playing else 0.0
            first = max(0.0, since - _BEHIND_BEATS)
            self._until = last = first + _AHEAD_BEATS
        struck = event_table(kit, groove, self.slots.live, varied, (first, last, loops))
        moves = move_events(self._curves, groove, (first, last))
        events = with_moves(struck, moves)
        memory = (events, moves.rows)
        return Table(layout.PATTERN, address(events), memory, count=len(events), value=length)

    def extend(self) -> None:
        """Sends more of a groove that does not repeat, before what was sent has been played.

        To be called every few seconds while it plays.
        """
        if self.playing and self.beat > self._until - 0.75 * _AHEAD_BEATS:
            with self._lock:
                if self._kit is not None:
                    self._publish([self._events(self._kit, None)])

    # What a person does.

    def strike(self, slot: int, velocity: float, frame: int = 0, note: int = NO_NOTE) -> bool:
        """Strikes the pad of a slot, now or at an absolute frame; False when too many wait.

        The note is the key that struck it: a pad that follows keys plays at its pitch. Where the
        pad has gone by then, nothing is struck.
        """
        hard = min(127.0, max(1.0, velocity))
        with self._lock:
            return self.sender.push(layout.STRIKE, a=slot, b=note, x=hard, frame=frame)

    def release(self, slot: int, frame: int = 0, note: int = NO_NOTE) -> None:
        """Lets the gated pad of a slot go, or only what one key struck on it."""
        with self._lock:
            self.sender.push(layout.RELEASE, a=slot, b=note, frame=frame)

    def play(self, beat: float = 0.0) -> None:
        """Starts the groove from its first step, or under zero from so many beats before."""
        with self._lock:
            if self._until < math.inf and self._kit is not None:
                self._publish([self._events(self._kit, None, since=beat)])
            if self.sender.push(layout.PLAY, x=beat):
                self._asked = Asked(self.sender.written, True, beat)

    def pace_again(self) -> None:
        """Plays at the kit's tempo, whatever paced it meanwhile."""
        with self._lock:
            if self._kit is not None:
                self._publish([Table(layout.TEMPO, 0, None, value=self._kit.tempo_bpm)])

    def stop(self) -> None:
        """Stops the pattern; what rings rings on."""
        with self._lock:
            self._push_stop()

    def _push_stop(self) -> None:
        if self.sender.push(layout.STOP):
            self._asked = Asked(self.sender.written, False, 0.0)

    def silence(self) -> None:
        """Stops the pattern and fades out every voice."""
        with self._lock:
            self._push_stop()
            self.sender.push(layout.SILENCE)

    def cross(self, slot: int, ahead: float = 0.0) -> None:
        """Crossfades a pad's ringing voices to the take it has now, at their place in the sound.

        `ahead` is by how many frames the new take's onset is later than the old one's.
        """
        with self._lock:
            self.sender.push(layout.CROSS, a=slot, x=ahead)

    # What is looked at and delivered.

    def meter_pads(self, on: bool) -> None:
        """Whether the pads' levels are looked at: it costs a little."""
        self._record[0]["metered"] = int(on)

    def look_at(self, which: int, name: str | None) -> None:
        """Keeps what a bus gives in one of the rings, by its name; None for nothing.

        A pad gets a bus of its own for that: its next strikes sound there.
        """
        with self._lock:
            self._looked_at[which] = name
            kit, graph = self._kit, self._graph
            if kit is not None and graph is not None and name and name not in graph.places:
                self._publish([*self._graph_tables(kit), *self._pad_tables(kit)])
            else:
                self._publish([self._scope_table()])

    def set_pairs(self, pairs: int) -> None:
        """How many pairs of outputs there are beside the first; without them buses flow on."""
        with self._lock:
            if pairs == self.pairs:
                return
            self.pairs = pairs
            self.set_apart(*self._apart_wanted)
            if self._kit is not None:
                self._publish([*self._graph_tables(self._kit), *self._pad_tables(self._kit)])

    def set_apart(self, monitor_pair: int, click_pair: int) -> None:
        """The pairs on which is listened and the metronome clicks; 0 for the master's.

        A pair that there is not is the master's.
        """
        self._apart_wanted = (monitor_pair, click_pair)
        for name, pair in (("monitor_pair", monitor_pair), ("click_pair", click_pair)):
            self._record[0][name] = pair if pair <= self.pairs else 0


def _way_of(pad: Pad) -> tuple[Any, ...]:
    level = pad.level_db if any(send.before for send in pad.sends) else 0.0
    return (pad.id, pad.bus, pad.stages, pad.sends, level)


def _solo(kit: Kit) -> tuple[str, ...]:
    return tuple(pad.id for pad in kit.pads if pad.solo)


def _routing(kit: Kit) -> tuple[Any, ...]:
    """What the buses are made of."""
    return (kit.buses, kit.master, tuple(map(_way_of, kit.pads)), _solo(kit))
