"""MIDI messages of a channel: out of bytes as they come over a cable, and what they say.

MIDI 1.0 Detailed Specification, 4.2.1: a status byte may be left out where it is the one before
(running status); bytes of system real time come between any others; system exclusive goes on until
the next status byte. A system port delivers whole messages already.
"""

from __future__ import annotations

from dataclasses import dataclass

NOTE_OFF, NOTE_ON, CONTROL = 0x80, 0x90, 0xB0
_DATA_BYTES = {0x80: 2, 0x90: 2, 0xA0: 2, 0xB0: 2, 0xC0: 1, 0xD0: 1, 0xE0: 2}
_FIRST_STATUS, _FIRST_SYSTEM, _FIRST_REAL_TIME = 0x80, 0xF0, 0xF8
_UNDEFINED = (0xF9, 0xFD)
_ALL_SOUND_OFF, _ALL_NOTES_OFF = 120, 123


@dataclass(frozen=True, slots=True)
class Played:
    """A note that begins, with a velocity, or ends, with none."""

    channel: int  # from 0
    note: int
    velocity: int


class Messages:
    """Whole messages out of bytes. What is broken is left out."""

    def __init__(self) -> None:
        self._status = 0
        self._data: list[int] = []

    def of(self, data: bytes) -> list[bytes]:
        """The messages of channels and real time that some bytes complete."""
        found = []
        for byte in data:
            if byte >= _FIRST_REAL_TIME:
                if byte not in _UNDEFINED:
                    found.append(bytes([byte]))
            elif byte >= _FIRST_STATUS:
                self._status = byte if byte < _FIRST_SYSTEM else 0
                self._data = []
            elif self._status:
                self._data.append(byte)
                if len(self._data) == _DATA_BYTES[self._status & 0xF0]:
                    found.append(bytes([self._status, *self._data]))
                    self._data = []
        return found


def played(message: bytes) -> Played | None:
    """The note that a message begins or ends; None for any other, or a broken one."""
    if len(message) != 3 or message[0] & 0xF0 not in (NOTE_OFF, NOTE_ON):
        return None
    velocity = message[2] & 0x7F if message[0] & 0xF0 == NOTE_ON else 0
    return Played(message[0] & 0x0F, message[1] & 0x7F, velocity)


def ends_all(message: bytes) -> bool:
    """Whether it lets go of all notes of its channel."""
    return (
        len(message) == 3
        and message[0] & 0xF0 == CONTROL
        and message[1] in (_ALL_SOUND_OFF, *range(_ALL_NOTES_OFF, 128))
    )
