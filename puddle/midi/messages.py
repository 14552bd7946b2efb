"""MIDI messages of a channel: out of bytes as they come over a cable, and what they say.

MIDI 1.0 Detailed Specification, 4.2.1: a status byte may be left out where it is the one before
(running status); bytes of system real time come between any others; system exclusive goes on until
the next status byte. A system port delivers whole messages already.
"""

from __future__ import annotations

from typing import Literal

import msgspec

NOTE_OFF, NOTE_ON, KEY_PRESSURE, CONTROL = 0x80, 0x90, 0xA0, 0xB0
PROGRAM, PRESSURE, WHEEL = 0xC0, 0xD0, 0xE0
_DATA_BYTES = {0x80: 2, 0x90: 2, 0xA0: 2, 0xB0: 2, 0xC0: 1, 0xD0: 1, 0xE0: 2}
_FIRST_STATUS, _FIRST_SYSTEM, _FIRST_REAL_TIME = 0x80, 0xF0, 0xF8
SONG_POSITION = 0xF2
CLOCK, START, CONTINUE, STOP, ACTIVE_SENSE = 0xF8, 0xFA, 0xFB, 0xFC, 0xFE
_UNDEFINED = (0xF9, 0xFD)
_ALL_SOUND_OFF, _ALL_NOTES_OFF = 120, 123
HAT_PEDAL, SUSTAIN = 4, 64

Kind = Literal["control", "wheel", "pressure", "key pressure", "program"]
_KINDS: dict[int, Kind] = {
    CONTROL: "control",
    WHEEL: "wheel",
    PRESSURE: "pressure",
    KEY_PRESSURE: "key pressure",
    PROGRAM: "program",
}


class Played(msgspec.Struct, frozen=True):
    """A note that begins, with a velocity, or ends, with none."""

    channel: int  # from 0
    note: int
    velocity: int


class Turned(msgspec.Struct, frozen=True):
    """What is no note: a control, the pitch wheel, pressure of a channel or key, or a program."""

    kind: Kind
    channel: int  # from 0
    number: int  # of a control, of the key that is pressed, or of the program; else 0
    raw: int  # 0 to 127; of a wheel 0 to 16383
    share: float  # of its way: 0 to 1


class Messages:
    """Whole messages out of bytes. What is broken is left out."""

    def __init__(self) -> None:
        self._status = 0
        self._data: list[int] = []

    def of(self, data: bytes) -> list[bytes]:
        """The messages of channels, real time and song position that some bytes complete."""
        found = []
        for byte in data:
            if byte >= _FIRST_REAL_TIME:
                if byte not in _UNDEFINED:
                    found.append(bytes([byte]))
            elif byte >= _FIRST_STATUS:
                self._status = byte if byte < _FIRST_SYSTEM or byte == SONG_POSITION else 0
                self._data = []
            elif self._status:
                self._data.append(byte)
                if len(self._data) == _DATA_BYTES.get(self._status & 0xF0, 2):
                    found.append(bytes([self._status, *self._data]))
                    self._data = []
                    if self._status == SONG_POSITION:  # which runs on in no other
                        self._status = 0
        return found


def played(message: bytes) -> Played | None:
    """The note that a message begins or ends; None for any other, or a broken one."""
    if len(message) != 3 or message[0] & 0xF0 not in (NOTE_OFF, NOTE_ON):
        return None
    velocity = message[2] & 0x7F if message[0] & 0xF0 == NOTE_ON else 0
    return Played(message[0] & 0x0F, message[1] & 0x7F, velocity)


def turned(message: bytes) -> Turned | None:
    """What a message turns, presses or chooses; None for any other, or a broken one."""
    status = message[0] & 0xF0 if message else 0
    if status not in _KINDS or len(message) != 1 + _DATA_BYTES[status]:
        return None
    kind, channel = _KINDS[status], message[0] & 0x0F
    if kind == "wheel":
        raw = (message[1] & 0x7F) | (message[2] & 0x7F) << 7
        return Turned(kind, channel, 0, raw, raw / 16383.0)
    number = message[1] & 0x7F if kind != "pressure" else 0
    raw = message[-1] & 0x7F
    return Turned(kind, channel, number, raw, raw / 127.0)


def song_position(message: bytes) -> float | None:
    """The beat that a song position names, in quarters; None for any other message."""
    if len(message) != 3 or message[0] != SONG_POSITION:
        return None
    return ((message[1] & 0x7F) | (message[2] & 0x7F) << 7) / 4.0


def ends_all(message: bytes) -> bool:
    """Whether it lets go of all notes of its channel."""
    return (
        len(message) == 3
        and message[0] & 0xF0 == CONTROL
        and message[1] in (_ALL_SOUND_OFF, *range(_ALL_NOTES_OFF, 128))
    )
