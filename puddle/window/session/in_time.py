"""In time with others: whose clock the groove follows, and what leaves by which port."""

from __future__ import annotations

from collections.abc import Callable

from puddle.kit import edits
from puddle.midi.controller_map import table_of
from puddle.midi.groove_notes import groove_notes, lights
from puddle.midi.jack_transport import JACK
from puddle.midi.link import Link
from puddle.midi.outgoing import Note
from puddle.midi.wishes import Followed, InTime, Send
from puddle.window.session.controller_maps import ControllerMaps
from puddle.window.session.session import Session
from puddle.window.session.timing import once_after, repeated

_EXTENDS_MS = 500
_AHEAD_S = 12.0  # of the groove is known to the process: so long may the window be busy
_BEHIND_BEATS = 1.0
_SOON_MS = 30
_SAME_BPM = 0.1
SENDS = ("groove", "clock", "lights")
_CHANNEL, _PADS = "channel ", "pads "
PERCUSSION = 9


class KeepsTime:
    """Tells the reading process what to follow and what to send."""

    def __init__(
        self, session: Session, maps: ControllerMaps, link: Callable[[], Link | None],
        changed: Callable[[], None],
    ) -> None:  # fmt: skip
        self._session, self._maps, self._link = session, maps, link
        self._changed = changed
        self.outs: tuple[str, ...] = ()
        self.followed: Followed | None = None
        self._told_bpm = 0.0  # of the kit
        self._bpm = 0.0  # of the clock, when it was told last
        self._send_soon = once_after(session, _SOON_MS, self.send)
        self._timer = repeated(session, _EXTENDS_MS, self._extend)
        session.kit_changed.connect(self._follow_kit)
        session.grooving.chosen.connect(self._send_later)
        session.player.device_changed.connect(self.tell)

    @property
    def follows(self) -> str:
        """A port, JACK, or nothing."""
        return self._session.settings.follows

    @property
    def active(self) -> bool:
        """Whether anything is followed, led or sent."""
        settings = self._session.settings
        return bool(settings.follows or settings.leads_jack or any(settings.sends.values()))

    # Chosen.

    def follow(self, name: str) -> None:
        """Follows another clock; with "" none: the groove goes at the kit's tempo again."""
        self._session.settings.follows = name
        self.followed = None
        self.tell()
        engine = self._session.player.engine
        if not name and engine is not None:
            engine.pace_again()
        self._changed()

    def set_leads(self, on: bool) -> None:
        """Whether JACK's transport goes with the groove."""
        self._session.settings.leads_jack = on
        self.tell()
        self._changed()

    def sends(self, port: str) -> frozenset[str]:
        """What leaves by a port."""
        return frozenset(self._words(port)) & frozenset(SENDS)

    def set_sends(self, port: str, what: str, on: bool) -> None:
        """Has something leave by a port, or not."""
        kept = [word for word in self._words(port) if word != what]
        self._put(port, [*kept, what] if on else kept)

    def channel(self, port: str) -> int:
        """The channel of the groove's notes, from 0."""
        found = [w for w in self._words(port) if w.startswith(_CHANNEL)]
        number = found[0].removeprefix(_CHANNEL) if found else ""
        return int(number) - 1 if number.isdigit() and 1 <= int(number) <= 16 else PERCUSSION

    def set_channel(self, port: str, channel: int) -> None:
        """Another channel for the groove's notes, from 0."""
        kept = [word for word in self._words(port) if not word.startswith(_CHANNEL)]
        self._put(port, [*kept, f"{_CHANNEL}{channel + 1}"])

    def places(self, port: str) -> frozenset[int]:
        """The places of the pads whose lanes leave by a port; none for all."""
        found = [w for w in self._words(port) if w.startswith(_PADS)]
        numbers = found[0].removeprefix(_PADS).split() if found else []
        return frozenset(int(n) - 1 for n in numbers if n.isdigit())

    def set_places(self, port: str, places: frozenset[int]) -> None:
        """Only these lanes leave by a port; with none all do."""
        kept = [word for word in self._words(port) if not word.startswith(_PADS)]
        named = [f"{_PADS}{' '.join(str(n + 1) for n in sorted(places))}"] if places else []
        self._put(port, [*kept, *named])

    def _words(self, port: str) -> list[str]:
        return self._session.settings.sends.get(port, [])

    def _put(self, port: str, words: list[str]) -> None:
        self._session.settings.sends[port] = words
        self.send()
        self._changed()

    # Told to the process.

    def tell(self) -> None:
        """Whose time is followed, on the card that there is; and all that is sent."""
        link, player = self._link(), self._session.player
        if link is None:
            return
        self._told_bpm = self._session.kit.tempo_bpm
        engine, device, settings = player.engine, player.device, self._session.settings
        late = float(engine.delay_frames - engine.latency_frames) if engine is not None else 0.0
        link.keep_time(
            InTime(
                follows=settings.follows,
                leads=settings.leads_jack and settings.follows != JACK,
                bpm=self._told_bpm,
                block=device.block if device is not None else 0,
                latency_frames=late + (device.latency_frames if device is not None else 0.0),
            )
        )
        self.send()

    def _follow_kit(self) -> None:
        if self._session.kit.tempo_bpm != self._told_bpm:
            self.tell()
        self._send_later()

    def _send_later(self) -> None:
        if self.active:
            self._send_soon.start()

    def send(self) -> None:
        """What leaves by each port in the next seconds."""
        link = self._link()
        if link is None:
            return
        for port in self._session.settings.sends:
            what = self.sends(port)
            if what:
                link.send(Send(port, "clock" in what, self._notes(port, what)))
            else:
                link.unsend(port)
        if self.active and not self._timer.isActive():
            self._timer.start()

    def _notes(self, port: str, what: frozenset[str]) -> tuple[Note, ...]:
        session = self._session
        kit, parts = session.heard, session.grooving.groove.parts
        beat = session.player.beat if session.player.playing else 0.0
        span = (max(0.0, beat - _BEHIND_BEATS), beat + _AHEAD_S * kit.tempo_bpm / 60.0)
        found: tuple[Note, ...] = ()
        if "groove" in what:
            found += groove_notes(kit, parts, span, self.channel(port), self.places(port))
        if "lights" in what:
            number = {pad.id: n for n, pad in enumerate(kit.pads)}
            table = table_of(self._maps.of(port), kit, number.__getitem__)
            found += lights(kit, parts, span, table.slots)
        return found

    def _extend(self) -> None:
        if not self.active:
            self._timer.stop()
            return
        if self._session.player.playing:
            self._session.grooving.go_along()
            self.send()

    # Told by it.

    def take_in(self, followed: Followed) -> None:
        """How the clock is followed; a kit whose tempo is another takes the clock's."""
        self.followed = followed
        session, bpm = self._session, round(followed.bpm, 1)
        steady = abs(followed.bpm - self._bpm) < _SAME_BPM
        self._bpm = followed.bpm
        away = abs(bpm - session.kit.tempo_bpm) >= _SAME_BPM
        if followed.running and followed.locked and steady and away and 20.0 <= bpm <= 300.0:
            session.edit(
                f"Tempo {bpm:.1f} bpm, as the clock",
                lambda kit: edits.set_kit(kit, tempo_bpm=bpm),
                "clock",
            )
        self._changed()

    def said(self) -> str:
        """How it is followed, in words."""
        told = self.followed
        if not self.follows:
            return "The groove goes at its own tempo."
        if told is None or not told.running:
            return "It waits for a start."
        if not told.locked:
            return f"{told.bpm:.1f} bpm, not sure yet"
        side = "late" if told.off_ms > 0.0 else "early"
        return f"{told.bpm:.1f} bpm, {abs(told.off_ms):.1f} ms {side}"
